import { quatToMat, type SolveResult, type Vec3 } from '@mesure/core';
import { Circle, G, Line, Polyline, Rect, Text as SvgText } from 'react-native-svg';
import { Drawing } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { labelsThatFit } from '../../ui/label-room';
import { FONT, usePalette } from '../../ui/theme';
import { NamedMark } from './named-mark';

const DEG = 180 / Math.PI;
/** Degrees to the right of where the first frame looks, and upwards (down the page is positive). */
const placeOf = (d: Vec3, heading: number): [number, number] => {
  const turn = Math.atan2(d[0], -d[2]) - heading;
  return [DEG * Math.atan2(Math.sin(turn), Math.cos(turn)), -DEG * Math.asin(Math.max(-1, Math.min(1, d[1])))];
};

/** Of a camera that only turned: where it looked, over the directions of the tracks, in degrees. There is no depth to draw. */
export function TurnDrawing({ solve, marks }: { solve: SolveResult; marks: readonly string[] }) {
  const p = usePalette();
  const views = solve.frames.map((f): Vec3 => {
    const m = quatToMat(f.rotation);
    return [-m[2], -m[5], -m[8]];
  });
  const heading = Math.atan2(views[0][0], -views[0][2]);
  // a turn of more than half a circle goes on past it
  const path: [number, number][] = [];
  for (const v of views) {
    const [x, y] = placeOf(v, heading);
    const before = path[path.length - 1]?.[0] ?? 0;
    path.push([x + 360 * Math.round((before - x) / 360), y]);
  }
  const directions = (solve.directions ?? []).map((d) => ({ track: d.track, at: placeOf(d.direction, heading) }));
  const all = [...path, ...directions.map((d) => d.at)];
  const [xs, ys] = [all.map((q) => q[0]), all.map((q) => q[1])];
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const pad = 0.08 * Math.max(x1 - x0, y1 - y0, 4);
  const box = { x: x0 - pad, y: y0 - pad, width: x1 - x0 + 2 * pad, height: y1 - y0 + 3 * pad };
  const last = path[path.length - 1];
  const bar = [20, 10, 5, 2, 1].find((d) => d < box.width / 4) ?? 1;
  const say = `Where the camera looked: it turns ${fixed(Math.abs(last[0]), 1)}° ${last[0] >= 0 ? 'to the right' : 'to the left'} and ${fixed(Math.abs(last[1] - path[0][1]), 1)}° ${last[1] <= path[0][1] ? 'up' : 'down'}, past the directions of ${directions.length} tracks. There is no depth in a turn.`;
  const named = new Set(marks);
  return (
    <Drawing box={box} describe={say} maxHeight={360}>
      {(px) => {
        const labels = labelsThatFit(
          directions.filter((d) => named.has(d.track)).map((d) => ({ text: d.track, x: d.at[0] + px(7), y: d.at[1] - px(4) })),
          px(1),
        );
        return (
          <G>
            {directions.map(({ track, at: [x, y] }) =>
              named.has(track) ? <NamedMark key={track} x={x} y={y} name={labels.has(track) ? track : null} px={px} /> : <Circle key={track} cx={x} cy={y} r={px(2)} fill={p.dim} />,
            )}
            <Polyline points={path.map((q) => q.map((v) => v.toFixed(3)).join(',')).join(' ')} fill="none" stroke={p.blue} strokeWidth={px(3)} />
            <Circle cx={path[0][0]} cy={path[0][1]} r={px(5)} fill={p.blue} />
            <Rect x={last[0] - px(5)} y={last[1] - px(5)} width={px(10)} height={px(10)} fill={p.paper} stroke={p.blue} strokeWidth={px(2.5)} />
            <Line x1={box.x + px(10)} x2={box.x + px(10) + bar} y1={box.y + box.height - px(12)} y2={box.y + box.height - px(12)} stroke={p.ink} strokeWidth={px(3)} />
            <SvgText x={box.x + px(10)} y={box.y + box.height - px(18)} fontSize={px(12)} fontFamily={FONT.text} fill={p.ink}>{`${bar}°`}</SvgText>
          </G>
        );
      }}
    </Drawing>
  );
}
