import type { SolveResult } from '@mesure/core';
import { View } from 'react-native';
import Svg, { G, Line, Path, Text as SvgText } from 'react-native-svg';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { FONT, usePalette } from '../../ui/theme';
import { B, H, L, R, T, W } from './frame-chart';

/** "zooms from 24.1 to 40.2 mm": its ends in time. */
export const zoomWords = (solve: SolveResult): string => `zooms from ${fixed(solve.frames[0].focalMm, 1)} to ${fixed(solve.frames[solve.frames.length - 1].focalMm, 1)} mm`;

/** Focal length of each frame of a zoom, with the band of two standard deviations. */
export function FocalChart({ solve }: { solve: SolveResult }) {
  const p = usePalette();
  const { frames } = solve;
  const band = frames.map((f) => ({ frame: f.frame, mm: f.focalMm, low: f.focalMm - 2 * (f.sigmaFocalMm ?? 0), high: f.focalMm + 2 * (f.sigmaFocalMm ?? 0) }));
  const [low, high] = [Math.min(...band.map((b) => b.low)), Math.max(...band.map((b) => b.high))];
  const [first, last] = [frames[0].frame, frames[frames.length - 1].frame];
  const x = (frame: number) => L + ((W - L - R) * (frame - first)) / Math.max(1, last - first);
  const y = (mm: number) => H - B - ((H - B - T) * (mm - low)) / Math.max(1e-6, high - low);
  const line = (pick: (b: (typeof band)[number]) => number, list = band) => list.map((b) => `${x(b.frame).toFixed(1)} ${y(pick(b)).toFixed(1)}`).join('L');
  return (
    <View testID="focal-chart">
      <Svg width="100%" height={H * 1.2} viewBox={`0 0 ${W} ${H}`} role="img" aria-label={`Focal length by frame: ${zoomWords(solve)}.`}>
        {[0, 0.5, 1].map((q) => (
          <G key={q}>
            <Line x1={L} x2={W - R} y1={y(low + q * (high - low))} y2={y(low + q * (high - low))} stroke={p.line} strokeWidth={0.7} />
            <SvgText x={L - 5} y={y(low + q * (high - low)) + 4} textAnchor="end" fontSize={11} fontFamily={FONT.figures} fill={p.dim}>
              {fixed(low + q * (high - low), 1)}
            </SvgText>
          </G>
        ))}
        <Path d={`M${line((b) => b.high)}L${line((b) => b.low, [...band].reverse())}Z`} fill={p.blue} fillOpacity={0.3} />
        <Path d={`M${line((b) => b.mm)}`} fill="none" stroke={p.blue} strokeWidth={1.8} />
        <SvgText x={L} y={H - 10} fontSize={11} fontFamily={FONT.figures} fill={p.dim}>{`frame ${first}`}</SvgText>
        <SvgText x={W - R} y={H - 10} textAnchor="end" fontSize={11} fontFamily={FONT.figures} fill={p.dim}>{`${last}`}</SvgText>
        <SvgText x={W / 2} y={H - 10} textAnchor="middle" fontSize={11} fontFamily={FONT.text} fill={p.dim}>
          mm
        </SvgText>
      </Svg>
      <Words look="label" dim>
        Focal length by frame, with two standard deviations
      </Words>
    </View>
  );
}
