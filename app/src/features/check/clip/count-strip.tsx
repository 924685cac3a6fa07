import type { TracksOutcome } from '@mesure/contract';
import { FLOOR_TRACKS } from '@mesure/core';
import { View } from 'react-native';
import { Line, Rect } from 'react-native-svg';
import { IconAction } from '../../../ui/controls';
import { percent } from '../../../ui/format';
import { Strip } from '../../../ui/strip';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

/** Time of the clip under the thumb, with how many tracks each frame holds against the floor of eight. */
export function CountStrip({ frames, firstFrame, index, count, onChange }: { frames: TracksOutcome['frames']; firstFrame: number; index: number; count: number; onChange: (index: number) => void }) {
  const p = usePalette();
  const most = Math.max(2 * FLOOR_TRACKS, ...frames.map((f) => f.tracks));
  const now = frames[index];
  const words = `frame ${firstFrame + index}${now ? `: ${now.tracks} tracks in ${now.cells} of 12 parts of the picture${now.masked > 0.005 ? `, ${percent(now.masked)} masked` : ''}` : ` of ${firstFrame} to ${firstFrame + count - 1}`}`;
  return (
    <View>
      <View style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.xs }}>
        <IconAction icon="chevron-left" label="One frame back" onPress={() => onChange(Math.max(0, index - 1))} />
        <View style={{ flex: 1 }}>
          <Strip label="Frame of the clip" valueText={words} value={count > 1 ? index / (count - 1) : 0} steps={count - 1} onChange={(v) => onChange(Math.round(v * (count - 1)))}>
            {(at, up) => (
              <>
                {frames.map((f, i) => (
                  <Rect
                    key={i}
                    x={at(i / frames.length)}
                    y={up(f.tracks / most)}
                    width={Math.max(1, at(1 / frames.length) - 0.5)}
                    height={Math.max(0, up(0) - up(f.tracks / most))}
                    fill={f.tracks < FLOOR_TRACKS ? p.against : p.line}
                  />
                ))}
                {frames.length > 0 ? <Line x1={at(0)} y1={up(FLOOR_TRACKS / most)} x2={at(1)} y2={up(FLOOR_TRACKS / most)} stroke={p.ink} strokeWidth={1} strokeDasharray="5 4" /> : null}
              </>
            )}
          </Strip>
        </View>
        <IconAction icon="chevron-right" label="One frame on" onPress={() => onChange(Math.min(count - 1, index + 1))} />
      </View>
      <Words look="small" testID="clip-frame">
        {words}
      </Words>
      {frames.length > 0 ? <Words look="label" dim>{`Columns: tracks that a solve may use; broken line: ${FLOOR_TRACKS}`}</Words> : null}
    </View>
  );
}
