import { View } from 'react-native';
import { Line, Path, Rect } from 'react-native-svg';
import { useIsWide } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Strip } from '../../ui/strip';
import { Words } from '../../ui/text';
import { SPACE, textSize, usePalette } from '../../ui/theme';
import type { ForecastState, PlanNumbers } from './use-plan';

const FLOOR = 8;

/** Time of the move: what is seen as columns with the floor of eight, slip as a line over them. */
export function TimeStrip({ numbers, forecast, share, onChange }: { numbers: PlanNumbers; forecast: ForecastState; share: number; onChange: (share: number) => void }) {
  const p = usePalette();
  const wide = useIsWide();
  const { study } = numbers;
  const watch = numbers.watch.moments;
  const frames = forecast.status === 'done' ? forecast.forecast.frames : [];
  const m = Math.round(share * (watch.length - 1));
  const now = watch[m];
  const slip = frames.length > 0 ? frames[Math.round(share * (frames.length - 1))].slipPx : null;
  const most = Math.max(2 * FLOOR, ...watch.map((w) => w.marks + w.features));
  const slips = frames.flatMap((f) => (f.slipPx === null ? [] : [f.slipPx]));
  const mostSlip = Math.max(1, ...slips);
  const frame = Math.round(share * (study.frameCount - 1)) + 1;
  const words = `frame ${frame} of ${study.frameCount}, ${now.marks} mark${now.marks === 1 ? '' : 's'} and ${now.features} features seen${slip === null ? '' : `, slip ${fixed(slip, 2)} px`}`;
  return (
    <View>
      <Strip label="Time of the move" valueText={words} value={share} steps={Math.max(1, watch.length - 1)} onChange={onChange}>
        {(at, up) => (
          <>
            {watch.map((w, i) => {
              const x = at(i / watch.length);
              const width = at(1 / watch.length) - 0.5;
              const count = w.marks + w.features;
              return <Rect key={i} x={x} y={up(count / most)} width={Math.max(1, width)} height={Math.max(0, up(0) - up(count / most))} fill={p.line} />;
            })}
            <Line x1={at(0)} y1={up(FLOOR / most)} x2={at(1)} y2={up(FLOOR / most)} stroke={p.ink} strokeWidth={1} strokeDasharray="5 4" />
            {frames.length > 1 ? (
              <Path
                d={frames
                  .map((f, i) =>
                    f.slipPx === null ? '' : `${i === 0 || frames[i - 1].slipPx === null ? 'M' : 'L'}${at(i / (frames.length - 1)).toFixed(1)} ${up(Math.min(1, f.slipPx / mostSlip)).toFixed(1)}`,
                  )
                  .join('')}
                stroke={p.blue}
                strokeWidth={2.5}
                fill="none"
              />
            ) : null}
          </>
        )}
      </Strip>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', gap: SPACE.m }}>
        <Words look="small" testID="strip-words" style={{ flex: 1, minHeight: wide ? undefined : textSize(38) }}>
          {words}
        </Words>
        <Words look="small" dim numberOfLines={1}>{`${fixed(study.moments[m].timeS - study.moments[0].timeS, 1)} s`}</Words>
      </View>
      <Words look="label" dim>{`Columns: things to track, broken line: ${FLOOR}${frames.length > 1 && slips.length > 0 ? `; line: slip, up to ${fixed(mostSlip, 1)} px` : ''}`}</Words>
    </View>
  );
}
