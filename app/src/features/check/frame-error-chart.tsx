import type { SolveResult } from '@mesure/core';
import Svg, { G, Line, Polyline, Text as SvgText } from 'react-native-svg';
import { fixed } from '../../ui/format';
import { FONT, usePalette } from '../../ui/theme';
import { B, H, L, R, T, W } from './frame-chart';

/** Reprojection error of each frame, px, with the overall RMS as a dashed line. */
export function FrameErrorChart({ solve }: { solve: SolveResult }) {
  const p = usePalette();
  const { frames } = solve;
  const first = frames[0].frame;
  const last = frames[frames.length - 1].frame;
  const max = Math.max(...frames.map((f) => f.rmsPx), solve.rmsPx ?? 0) * 1.15 || 1;
  const x = (frame: number) => L + ((W - L - R) * (frame - first)) / Math.max(1, last - first);
  const y = (v: number) => H - B - ((H - B - T) * v) / max;
  const worst = frames.reduce((a, b) => (b.rmsPx > a.rmsPx ? b : a));
  const say = `Error per frame: ${fixed(solve.rmsPx, 2)} px overall, worst ${fixed(worst.rmsPx, 2)} px at frame ${worst.frame}.`;
  return (
    <Svg width="100%" height={H * 1.2} viewBox={`0 0 ${W} ${H}`} role="img" aria-label={say}>
      {[0, 0.5, 1].map((q) => (
        <G key={q}>
          <Line x1={L} x2={W - R} y1={y(max * q)} y2={y(max * q)} stroke={p.line} strokeWidth={0.7} />
          <SvgText x={L - 5} y={y(max * q) + 4} textAnchor="end" fontSize={11} fontFamily={FONT.figures} fill={p.dim}>
            {fixed(max * q, 2)}
          </SvgText>
        </G>
      ))}
      <Polyline points={frames.map((f) => `${x(f.frame).toFixed(1)},${y(f.rmsPx).toFixed(1)}`).join(' ')} fill="none" stroke={p.blue} strokeWidth={1.6} />
      <Line x1={L} x2={W - R} y1={y(solve.rmsPx ?? 0)} y2={y(solve.rmsPx ?? 0)} stroke={p.tape} strokeWidth={1.4} strokeDasharray="5 4" />
      <SvgText x={L} y={H - 10} fontSize={11} fontFamily={FONT.figures} fill={p.dim}>{`frame ${first}`}</SvgText>
      <SvgText x={W - R} y={H - 10} textAnchor="end" fontSize={11} fontFamily={FONT.figures} fill={p.dim}>{`${last}`}</SvgText>
      <SvgText x={W / 2} y={H - 10} textAnchor="middle" fontSize={11} fontFamily={FONT.text} fill={p.dim}>
        px, dashed: overall
      </SvgText>
    </Svg>
  );
}
