import type { PointedMark, StoredRecord } from '@mesure/contract';
import { View } from 'react-native';
import { Action, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

interface Props {
  set: StoredRecord<'set'>;
  /** marks whose places are known; null: it makes no difference here */
  placed: readonly string[] | null;
  /** in this picture already */
  pointed: readonly PointedMark[];
  place: { x: number; y: number };
  onKeep: (at: PointedMark) => void;
  onClose: () => void;
}

/** After a place was aimed at in a picture: which mark of the set it is. */
export function WhichMark({ set, placed, pointed, place, onKeep, onClose }: Props) {
  // those whose places are known count; the others may be measured yet
  const named = placed ? [...placed, ...set.body.marks.filter((m) => !placed.includes(m))] : set.body.marks;
  const open = named.filter((m) => !pointed.some((q) => q.mark === m));
  const moved = named.filter((m) => !open.includes(m));
  const known = (m: string) => !placed || placed.includes(m);
  const keep = (mark: string) => {
    onKeep({ mark, x: Number(place.x.toFixed(2)), y: Number(place.y.toFixed(2)) });
    onClose();
  };
  return (
    <Sheet title="Which mark is this?" open onClose={onClose}>
      {named.length === 0 ? <Words>The set has no marks yet. Name them on the mark sheet of the set, and tape them.</Words> : null}
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        {open.map((m) => (
          <Action key={m} title={m} label={known(m) ? m : `${m}, its place is not known yet`} kind={known(m) ? undefined : 'quiet'} onPress={() => keep(m)} testID={`mark-is-${m}`} />
        ))}
      </View>
      {moved.length > 0 ? (
        <>
          <Words look="label" dim style={{ marginTop: SPACE.m }}>
            Pointed out already: put it here instead
          </Words>
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
            {moved.map((m) => (
              <Action key={m} title={m} kind="quiet" onPress={() => keep(m)} testID={`mark-is-${m}`} />
            ))}
          </View>
        </>
      ) : null}
    </Sheet>
  );
}
