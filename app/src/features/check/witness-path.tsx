import type { SolveResult, Vec3 } from '@mesure/core';
import { G, Line, Polyline, Text as SvgText } from 'react-native-svg';
import { FONT, usePalette } from '../../ui/theme';

/** Ties between the two that are drawn along the way. */
const TIES = 5;

/** The way of a witness beside the main camera's, tied to it here and there, in any drawing of places. */
export function WitnessPath({ solve, pick, px }: { solve: SolveResult; pick: (p: Vec3) => [number, number]; px: (n: number) => number }) {
  const p = usePalette();
  const { witness } = solve;
  if (!witness || witness.frames.length === 0) return null;
  const main = new Map(solve.frames.map((f) => [f.frame, f.position]));
  const step = Math.max(1, Math.floor((witness.frames.length - 1) / (TIES - 1)));
  const tied = witness.frames.flatMap((f, i) => {
    const there = i % step === 0 ? main.get(f.frame) : undefined;
    return there ? [{ frame: f.frame, from: pick(there), to: pick(f.position) }] : [];
  });
  const [x, y] = pick(witness.frames[witness.frames.length - 1].position);
  return (
    <G>
      {tied.map(({ frame, from, to }) => (
        <Line key={frame} x1={from[0]} y1={from[1]} x2={to[0]} y2={to[1]} stroke={p.blue} strokeWidth={px(1)} />
      ))}
      <Polyline
        points={witness.frames
          .map((f) =>
            pick(f.position)
              .map((v) => v.toFixed(4))
              .join(','),
          )
          .join(' ')}
        fill="none"
        stroke={p.blue}
        strokeWidth={px(1.5)}
      />
      <SvgText x={x + px(9)} y={y + px(16)} fontSize={px(12)} fontFamily={FONT.text} fill={p.ink}>
        {witness.name}
      </SvgText>
    </G>
  );
}

/** What a drawing says of it. */
export const witnessWords = ({ witness }: SolveResult): string => (witness ? ` ${witness.name} goes with it, tied to it by thin lines.` : '');
