import type { SetupLack, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { Pressable } from 'react-native';
import { Icon, type IconName } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE, TOUCH_PX, usePalette } from '../../../ui/theme';

const ICONS: Record<SetupLack['kind'], IconName> = {
  cautions: 'report-problem',
  takes: 'movie',
  marks: 'place',
  ties: 'straighten',
  stills: 'photo-camera',
  witness: 'videocam',
  light: 'wb-sunny',
  fields: 'edit-note',
};

/** What is still missing of a setup; a touch goes to where it is done. */
export function LackList({ setup, lacks }: { setup: StoredRecord<'setup'>; lacks: readonly SetupLack[] }) {
  const p = usePalette();
  const router = useRouter();
  const where = (l: SetupLack): Href =>
    (l.takeId
      ? `/floor/take/${l.takeId}?to=missing`
      : l.kind === 'ties'
        ? `/floor/net/${setup.id}`
        : l.kind === 'stills'
          ? `/floor/stills/${setup.id}`
          : l.kind === 'marks' || l.kind === 'cautions'
            ? `/plan/${setup.id}`
            : `/floor/${setup.id}`) as Href;
  return (
    <>
      {lacks.map((l) => (
        <Pressable
          key={`${l.kind} ${l.what}`}
          accessibilityRole="button"
          accessibilityLabel={`Missing: ${l.what}`}
          testID={`lack-${setup.body.scene}-${l.kind}`}
          onPress={() => router.push(where(l))}
          style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.s, minHeight: TOUCH_PX - 8, paddingVertical: SPACE.xs, borderBottomWidth: 1, borderColor: p.line }}
        >
          <Icon name={ICONS[l.kind]} size={18} color={p.dim} />
          <Words look="small" style={{ flex: 1 }}>
            {l.what}
          </Words>
          <Icon name="chevron-right" size={18} color={p.dim} />
        </Pressable>
      ))}
    </>
  );
}
