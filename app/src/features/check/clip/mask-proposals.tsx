import type { FootageBody } from '@mesure/contract';
import { edgeMasks, proposeMasks } from '@mesure/core';
import type { DrawnTrack } from '@mesure/formats/clip-look';
import { useMemo } from 'react';
import { View } from 'react-native';
import { newId } from '../../../data';
import { Action } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { maskFrom } from './masks';

const EDGE = 'edge';

interface Props {
  body: FootageBody;
  tracks: DrawnTrack[] | null;
  onChange: (now: (b: FootageBody) => FootageBody, label: string) => void;
}

/** Masks that need no drawing: what was found to move by itself, and the borders of the frame. */
export function MaskProposals({ body, tracks, onChange }: Props) {
  const movers = useMemo(
    () =>
      proposeMasks(
        (tracks ?? []).map((t) => ({ id: t.id, frames: t.frames.map((f) => f - body.firstFrame), xPx: t.xPx, yPx: t.yPx, moving: t.note === 'moving' })),
        body.widthPx,
        body.heightPx,
      ),
    [tracks, body.firstFrame, body.widthPx, body.heightPx],
  );
  const open = movers.filter((m) => !body.masks.some((q) => q.name === nameOf(m.tracks)));
  const edged = body.masks.some((m) => m.name.startsWith(EDGE));
  return (
    <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.s }}>
      {open.map((m) => (
        <Action
          key={m.tracks.join()}
          title={`Mask ${m.tracks.length} that move together`}
          label={`Mask ${m.tracks.length} tracks that share a motion of their own, frames ${m.from + body.firstFrame} to ${m.to + body.firstFrame}`}
          onPress={() => {
            const keys = m.keys.map((k) => ({ index: k.index, outline: k.outline.map(([x, y]): [number, number] => [x, y]) }));
            onChange((b) => ({ ...b, masks: [...b.masks, { id: newId(), name: nameOf(m.tracks), keys, from: m.from, to: m.to }] }), `${m.tracks.length} tracks that move together masked`);
          }}
          testID="mask-movers"
        />
      ))}
      {edged ? null : (
        <Action
          title="Mask the edges"
          onPress={() =>
            onChange((b) => ({ ...b, masks: [...b.masks, ...edgeMasks(b.widthPx, b.heightPx).map((outline, i) => maskFrom(newId(), `${EDGE} ${i + 1}`, 0, outline))] }), 'Edges of the frame masked')
          }
          testID="mask-edges"
        />
      )}
      {open.length > 0 ? (
        <Words look="small" dim>
          Proposed from what was followed; a mask of yours can be moved like any other.
        </Words>
      ) : null}
    </View>
  );
}

/** By its first track, so that it is not proposed again while it is here. */
const nameOf = (tracks: readonly string[]): string => `mover at ${tracks[0]}`.slice(0, 38);
