import type { SolveComparison, SolveResult } from '@mesure/core';
import { Circle, G, Line, Polyline, Rect, Text as SvgText } from 'react-native-svg';
import { Drawing, type Box } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { labelsThatFit } from '../../ui/label-room';
import { FONT, usePalette } from '../../ui/theme';
import { NamedMark } from './named-mark';
import { WitnessPath, witnessWords } from './witness-path';

type Pick = (p: readonly [number, number, number]) => [number, number];

/** From above: x to the right, −z up the page. From the side: depth (−z) to the right, height upwards. */
const ABOVE: Pick = (p) => [p[0], p[2]];
const SIDE: Pick = (p) => [-p[2], -p[1]];

function boxOf(solve: SolveResult, pick: Pick, over: SolveComparison['path']): Box {
  const all = [...solve.frames.map((f) => pick(f.position)), ...solve.points.map((q) => pick(q.position))];
  // a few far points must not shrink the set to a dot
  const axis = (k: 0 | 1) => {
    const v = all.map((q) => q[k]).sort((a, b) => a - b);
    const path = [...solve.frames, ...over, ...(solve.witness?.frames ?? [])].map((f) => pick(f.position)[k]);
    return [Math.min(v[Math.floor(v.length * 0.02)], ...path), Math.max(v[Math.floor(v.length * 0.98)], ...path)];
  };
  const [x0, x1] = axis(0);
  const [y0, y1] = axis(1);
  const pad = 0.12 * Math.max(x1 - x0, y1 - y0, 0.5);
  return { x: x0 - pad, y: y0 - pad, width: x1 - x0 + 2 * pad, height: y1 - y0 + 2.4 * pad };
}

/** `over`: the path of another solve of the take, dashed, in this one's world. */
export function PathDrawing({
  solve,
  from,
  marks,
  over = [],
  mover = 'camera',
}: {
  solve: SolveResult;
  from: 'above' | 'side';
  marks: readonly string[];
  over?: SolveComparison['path'];
  /** what the path is of */
  mover?: 'camera' | 'object';
}) {
  const p = usePalette();
  const pick = from === 'above' ? ABOVE : SIDE;
  const box = boxOf(solve, pick, over);
  const scaled = solve.anchoring.scale !== null;
  const unit = scaled ? 'm' : 'units';
  const first = solve.frames[0];
  const last = solve.frames[solve.frames.length - 1];
  const travel = solve.frames.slice(1).reduce((s, f, i) => s + Math.hypot(...f.position.map((v, k) => v - solve.frames[i].position[k])), 0);
  const say =
    from === 'above'
      ? `From above: the ${mover} travels ${fixed(travel, 2)} ${unit} past ${solve.points.length} points.${witnessWords(solve)}`
      : `From the side: ${mover === 'camera' ? 'camera height' : 'height of the object'} ${fixed(first.position[1], 3)} ${unit} at frame ${first.frame}, ${fixed(last.position[1], 3)} ${unit} at frame ${last.frame}.`;
  const bar = box.width > 4 ? 1 : 0.5;
  const line = (places: SolveComparison['path']) =>
    places
      .map((f) =>
        pick(f.position)
          .map((v) => v.toFixed(4))
          .join(','),
      )
      .join(' ');
  const named = new Set(marks);
  return (
    <Drawing box={box} describe={say} maxHeight={360}>
      {(px) => {
        const places = solve.points.filter((q) => named.has(q.track)).map((q) => ({ text: q.track, x: pick(q.position)[0] + px(7), y: pick(q.position)[1] - px(4) }));
        const labels = labelsThatFit(places, px(1));
        return (
          <G>
            {from === 'side' ? <Line x1={box.x} x2={box.x + box.width} y1={0} y2={0} stroke={p.tape} strokeWidth={px(1.5)} strokeDasharray={`${px(8)} ${px(4)}`} /> : null}
            {solve.points.map((q) => {
              const [x, y] = pick(q.position);
              return named.has(q.track) ? <NamedMark key={q.track} x={x} y={y} name={labels.has(q.track) ? q.track : null} px={px} /> : <Circle key={q.track} cx={x} cy={y} r={px(2)} fill={p.dim} />;
            })}
            <Polyline points={line(solve.frames)} fill="none" stroke={p.blue} strokeWidth={px(3)} />
            {over.length > 0 ? <Polyline points={line(over)} fill="none" stroke={p.ink} strokeWidth={px(1.5)} strokeDasharray={`${px(6)} ${px(5)}`} /> : null}
            <Circle cx={pick(first.position)[0]} cy={pick(first.position)[1]} r={px(5)} fill={p.blue} />
            <Rect x={pick(last.position)[0] - px(5)} y={pick(last.position)[1] - px(5)} width={px(10)} height={px(10)} fill={p.paper} stroke={p.blue} strokeWidth={px(2.5)} />
            <WitnessPath solve={solve} pick={pick} px={px} />
            <Line x1={box.x + px(10)} x2={box.x + px(10) + bar} y1={box.y + box.height - px(12)} y2={box.y + box.height - px(12)} stroke={p.ink} strokeWidth={px(3)} />
            <SvgText x={box.x + px(10)} y={box.y + box.height - px(18)} fontSize={px(12)} fontFamily={FONT.text} fill={p.ink}>{`${bar} ${unit}`}</SvgText>
            {from === 'above' ? (
              <SvgText x={box.x + px(10)} y={box.y + px(20)} fontSize={px(12)} fontFamily={FONT.text} fill={p.dim}>
                ↑ −Z
              </SvgText>
            ) : null}
          </G>
        );
      }}
    </Drawing>
  );
}
