import { useState } from 'react';
import { View, type LayoutChangeEvent } from 'react-native';
import Svg, { Line, Path, Rect } from 'react-native-svg';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

/** One value, or the lowest and highest of several, at even steps; null: none there. */
export type TraceValue = number | readonly [number, number] | null;

const HEIGHT_PX = 56;

/**
 * A quantity over time, small: a line, or a band from lowest to highest, with its limits as broken lines and the present moment as an upright one.
 * Its sentence says the same for those who cannot see it.
 */
export function Trace({ title, values, share, limits, top, say }: { title: string; values: readonly TraceValue[]; share: number; limits: readonly number[]; top: number; say: string }) {
  const p = usePalette();
  const [width, setWidth] = useState(340);
  const x = (i: number) => (values.length > 1 ? (i / (values.length - 1)) * width : width / 2);
  const y = (v: number) => HEIGHT_PX - 2 - Math.min(1, Math.max(0, v / top)) * (HEIGHT_PX - 4);
  // broken where there is nothing
  const runs: { i: number; low: number; high: number }[][] = [[]];
  values.forEach((v, i) => {
    if (v === null) runs.push([]);
    else runs[runs.length - 1].push(typeof v === 'number' ? { i, low: v, high: v } : { i, low: v[0], high: v[1] });
  });
  const line = (run: (typeof runs)[number], pick: (q: { low: number; high: number }) => number) => run.map((q) => `${x(q.i).toFixed(1)} ${y(pick(q)).toFixed(1)}`).join('L');
  return (
    <View style={{ marginVertical: SPACE.s }} onLayout={(e: LayoutChangeEvent) => setWidth(Math.max(100, e.nativeEvent.layout.width))}>
      <Words look="label" dim>
        {title}
      </Words>
      <Svg width={width} height={HEIGHT_PX} role="img" aria-label={`${title}: ${say}`}>
        <Rect x={0} y={0} width={width} height={HEIGHT_PX} fill={p.sunk} />
        {limits.map((v) => (
          <Line key={v} x1={0} x2={width} y1={y(v)} y2={y(v)} stroke={p.ink} strokeWidth={1} strokeDasharray="5 4" />
        ))}
        {runs
          .filter((run) => run.length > 0)
          .map((run) => (
            <Path key={run[0].i} d={`M${line(run, (q) => q.high)}L${line([...run].reverse(), (q) => q.low)}Z`} fill={p.blue} fillOpacity={0.35} stroke={p.blue} strokeWidth={2} />
          ))}
        <Line x1={share * width} x2={share * width} y1={0} y2={HEIGHT_PX} stroke={p.tape} strokeWidth={2} />
      </Svg>
      <Words look="small">{say}</Words>
    </View>
  );
}
