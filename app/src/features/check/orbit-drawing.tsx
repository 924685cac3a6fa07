import { quatToMat, type SolveComparison, type SolveResult, type Vec3 } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Circle, G, Line, Path, Polyline, Rect } from 'react-native-svg';
import { IconAction } from '../../ui/controls';
import { Drawing } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { labelsThatFit } from '../../ui/label-room';
import { usePalette } from '../../ui/theme';
import { NamedMark } from './named-mark';
import { WitnessPath, witnessWords } from './witness-path';

const RAD = Math.PI / 180;
const STEP_DEG = 15;
/** Of a drag over a hundred pixels. */
const DEG_PER_PX = 0.5;
const START = { heading: 30, tilt: 25 };
/** What lies further out than this share of the points on either side is no reason to draw everything small. */
const CUT = 0.02;

interface Seen {
  /** degrees to the right of −Z along which one looks, and from how far above */
  heading: number;
  tilt: number;
}

/** Right and down in the drawing of a place, seen from far away: nothing gets smaller with its distance. */
const projection = ({ heading, tilt }: Seen) => {
  const [c, s, ct, st] = [Math.cos(heading * RAD), Math.sin(heading * RAD), Math.cos(tilt * RAD), Math.sin(tilt * RAD)];
  return (p: readonly [number, number, number]): [number, number] => [c * p[0] + s * p[2], -(ct * p[1] + st * (s * p[0] - c * p[2]))];
};

/** The middle of what there is and how far it reaches, the path whole. */
function reach(solve: SolveResult): { middle: Vec3; radius: number } {
  const path = [...solve.frames, ...(solve.witness?.frames ?? [])].map((f) => f.position);
  const range = [0, 1, 2].map((k) => {
    const v = [...path, ...solve.points.map((q) => q.position)].map((q) => q[k]).sort((a, b) => a - b);
    const along = path.map((q) => q[k]);
    return [Math.min(v[Math.floor(v.length * CUT)], ...along), Math.max(v[Math.ceil(v.length * (1 - CUT)) - 1], ...along)];
  });
  const middle = range.map(([a, b]) => (a + b) / 2) as unknown as Vec3;
  return { middle, radius: Math.max(0.25, Math.hypot(...range.map(([a, b]) => b - a)) / 2) };
}

interface Props {
  solve: SolveResult;
  marks: readonly string[];
  over?: SolveComparison['path'];
  mover: 'camera' | 'object';
  /** which way the camera looked at every place, and not only where the path begins, in its middle and where it ends */
  everyView?: boolean;
}

/** Path and points turned to be looked at from any side: dragged, or step by step by its buttons. */
export function OrbitDrawing({ solve, marks, over = [], mover, everyView = false }: Props) {
  const p = usePalette();
  const [seen, setSeen] = useState<Seen>(START);
  const turn = (dHeading: number, dTilt: number) => setSeen((v) => ({ heading: (v.heading + dHeading + 360) % 360, tilt: Math.max(0, Math.min(90, v.tilt + dTilt)) }));
  const pick = projection(seen);
  const { middle, radius } = reach(solve);
  const [mx, my] = pick(middle);
  const box = { x: mx - 1.1 * radius, y: my - 0.85 * radius, width: 2.2 * radius, height: 1.7 * radius };
  const scaled = solve.anchoring.scale !== null;
  const named = new Set(marks);
  const line = (places: readonly { position: Vec3 }[]) => places.map((f) => pick(f.position).map((v) => v.toFixed(4)).join(',')).join(' '); // prettier-ignore
  const ends = [0, 0.5, 1].map((t) => solve.frames[Math.round(t * (solve.frames.length - 1))]);
  const views = everyView ? solve.frames : ends;
  const say = `Seen ${fixed(seen.heading, 0)}° round and from ${fixed(seen.tilt, 0)}° above: ${solve.frames.length} places of the ${mover}, ${solve.points.length} points${scaled ? '; a square of the floor is a metre' : ''}.${witnessWords(solve)} Drag it to turn it.`;
  return (
    <View testID="orbit">
      <Drawing box={box} describe={say} maxHeight={420} onTurn={(dx, dy) => turn(-dx * DEG_PER_PX, dy * DEG_PER_PX)}>
        {(px) => {
          const places = solve.points.filter((q) => named.has(q.track)).map((q) => ({ q, at: pick(q.position) }));
          const labels = labelsThatFit(
            places.map(({ q, at: [x, y] }) => ({ text: q.track, x: x + px(7), y: y - px(4) })),
            px(1),
          );
          return (
            <G>
              {scaled ? <Path d={floorOf(middle, radius, pick)} stroke={p.line} strokeWidth={px(1)} fill="none" /> : null}
              {solve.points.map((q) => {
                const [x, y] = pick(q.position);
                return named.has(q.track) ? null : <Circle key={q.track} cx={x} cy={y} r={px(2)} fill={p.dim} />;
              })}
              {places.map(({ q, at: [x, y] }) => {
                const [fx, fy] = pick([q.position[0], 0, q.position[2]]);
                return (
                  <G key={q.track}>
                    {scaled ? <Line x1={x} y1={y} x2={fx} y2={fy} stroke={p.tape} strokeWidth={px(1)} strokeDasharray={`${px(3)} ${px(3)}`} /> : null}
                    <NamedMark x={x} y={y} name={labels.has(q.track) ? q.track : null} px={px} />
                  </G>
                );
              })}
              <Polyline points={line(solve.frames)} fill="none" stroke={p.blue} strokeWidth={px(3)} />
              {over.length > 0 ? <Polyline points={line(over)} fill="none" stroke={p.ink} strokeWidth={px(1.5)} strokeDasharray={`${px(6)} ${px(5)}`} /> : null}
              {mover === 'camera'
                ? views.map((f) => <Path key={f.frame} d={lookOf(f, (everyView ? 0.07 : 0.16) * radius, solve.height / solve.width, pick)} stroke={p.blue} strokeWidth={px(1.3)} fill="none" />)
                : null}
              <Circle cx={pick(ends[0].position)[0]} cy={pick(ends[0].position)[1]} r={px(5)} fill={p.blue} />
              <Rect x={pick(ends[2].position)[0] - px(5)} y={pick(ends[2].position)[1] - px(5)} width={px(10)} height={px(10)} fill={p.paper} stroke={p.blue} strokeWidth={px(2.5)} />
              <WitnessPath solve={solve} pick={pick} px={px} />
            </G>
          );
        }}
      </Drawing>
      <View style={{ flexDirection: 'row' }}>
        <IconAction icon="rotate-left" label="Turn it to the left" onPress={() => turn(STEP_DEG, 0)} />
        <IconAction icon="rotate-right" label="Turn it to the right" onPress={() => turn(-STEP_DEG, 0)} />
        <IconAction icon="arrow-upward" label="Look from higher" onPress={() => turn(0, STEP_DEG)} />
        <IconAction icon="arrow-downward" label="Look from lower" onPress={() => turn(0, -STEP_DEG)} />
      </View>
    </View>
  );
}

/** The floor under it, a line each metre. */
function floorOf(middle: Vec3, radius: number, pick: ReturnType<typeof projection>): string {
  const step = radius > 12 ? 5 : 1;
  const [x0, x1, z0, z1] = [middle[0] - radius, middle[0] + radius, middle[2] - radius, middle[2] + radius].map((v, i) => (i % 2 === 0 ? Math.floor(v / step) : Math.ceil(v / step)) * step);
  const from = (a: number, b: number) => Array.from({ length: Math.round((b - a) / step) + 1 }, (_, i) => a + i * step);
  const stroke = (a: Vec3, b: Vec3) => `M${pick(a).join(' ')}L${pick(b).join(' ')}`;
  return [...from(x0, x1).map((x) => stroke([x, 0, z0], [x, 0, z1])), ...from(z0, z1).map((z) => stroke([x0, 0, z], [x1, 0, z]))].join('');
}

/** Which way the camera looks, as the frame that it sees at a short distance. */
function lookOf({ position, rotation }: SolveResult['frames'][number], far: number, aspect: number, pick: ReturnType<typeof projection>): string {
  const m = quatToMat(rotation);
  const corner = (x: number, y: number) => pick([0, 1, 2].map((k) => position[k] + far * (0.4 * x * m[3 * k] + 0.4 * aspect * y * m[3 * k + 1] - m[3 * k + 2])) as unknown as Vec3);
  const corners = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)];
  const [cx, cy] = pick(position);
  return `M${corners.map((q) => q.join(' ')).join('L')}Z${corners.map((q) => `M${cx} ${cy}L${q.join(' ')}`).join('')}`;
}
