import type { LineUp, Vec3 } from '@mesure/core';
import { quatToMat } from '@mesure/core';
import { Ellipse, G, Line, Polygon, Text as SvgText } from 'react-native-svg';
import { Drawing } from '../../../ui/drawing';
import { fixed } from '../../../ui/format';
import { labelsThatFit } from '../../../ui/label-room';
import { FONT, usePalette } from '../../../ui/theme';

/** From above: the marks of the set, and where the camera stood by one picture, with twice its standard deviation. */
export function StandDrawing({ lineUp, places, pointed }: { lineUp: LineUp; places: ReadonlyMap<string, Vec3>; pointed: ReadonlySet<string> }) {
  const p = usePalette();
  const at = lineUp.position!;
  const [sx, , sz] = lineUp.sigmaPositionM!;
  const m = quatToMat(lineUp.rotation!);
  const ahead = [-m[2], -m[8]];
  const long = Math.hypot(ahead[0], ahead[1]) || 1;
  const all = [...[...places.values()].map((q) => [q[0], q[2]]), [at[0], at[2]]];
  const range = (k: 0 | 1) => [Math.min(...all.map((q) => q[k])), Math.max(...all.map((q) => q[k]))];
  const [x0, x1] = range(0);
  const [y0, y1] = range(1);
  const pad = 0.14 * Math.max(x1 - x0, y1 - y0, 0.5);
  const box = { x: x0 - pad, y: y0 - pad, width: x1 - x0 + 2 * pad, height: y1 - y0 + 2.4 * pad };
  const bar = box.width > 4 ? 1 : 0.5;
  return (
    <Drawing
      box={box}
      maxHeight={340}
      describe={
        lineUp.frame === 'places'
          ? `From above: the camera stood at x ${fixed(at[0], 2)} m, z ${fixed(at[2], 2)} m of the plan, ${fixed(at[1], 2)} m high. The shaded shape is two standard deviations.`
          : `From above, before the camera: ${[...places].map(([id, q]) => `${id} ${fixed(Math.hypot(q[0] - at[0], q[1] - at[1], q[2] - at[2]), 2)} m away`).join(', ')}.`
      }
    >
      {(px) => {
        const labels = labelsThatFit(
          [...places].map(([id, q]) => ({ text: id, x: q[0] + px(7), y: q[2] - px(4) })),
          px(1),
        );
        const [fx, fz] = [(ahead[0] / long) * px(26), (ahead[1] / long) * px(26)];
        return (
          <G>
            {[...places].map(([id, q]) => (
              <G key={id}>
                <Line x1={q[0] - px(5)} x2={q[0] + px(5)} y1={q[2]} y2={q[2]} stroke={pointed.has(id) ? p.tape : p.dim} strokeWidth={px(2)} />
                <Line x1={q[0]} x2={q[0]} y1={q[2] - px(5)} y2={q[2] + px(5)} stroke={pointed.has(id) ? p.tape : p.dim} strokeWidth={px(2)} />
                {labels.has(id) ? (
                  <SvgText x={q[0] + px(7)} y={q[2] - px(4)} fontSize={px(12)} fontFamily={FONT.text} fill={p.ink}>
                    {id}
                  </SvgText>
                ) : null}
              </G>
            ))}
            <Ellipse cx={at[0]} cy={at[2]} rx={Math.max(px(4), 2 * sx)} ry={Math.max(px(4), 2 * sz)} fill={p.blue} fillOpacity={0.3} stroke={p.blue} strokeWidth={px(1)} />
            <Polygon
              points={`${at[0]},${at[2]} ${at[0] + fx - 0.45 * fz},${at[2] + fz + 0.45 * fx} ${at[0] + fx + 0.45 * fz},${at[2] + fz - 0.45 * fx}`}
              fill="none"
              stroke={p.blue}
              strokeWidth={px(2)}
            />
            <Line x1={box.x + px(10)} x2={box.x + px(10) + bar} y1={box.y + box.height - px(12)} y2={box.y + box.height - px(12)} stroke={p.ink} strokeWidth={px(3)} />
            <SvgText x={box.x + px(10)} y={box.y + box.height - px(18)} fontSize={px(12)} fontFamily={FONT.text} fill={p.ink}>{`${bar} m`}</SvgText>
          </G>
        );
      }}
    </Drawing>
  );
}
