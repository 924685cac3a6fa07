import type { RecordBodies, StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { newId, useAll, useMayWrite, useRecordsState } from '../../data';
import { Action, Row, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Empty } from '../../ui/states';
import { SPACE } from '../../ui/theme';
import { lensWords } from './package-words';
import type { PartKind } from './use-part-form';

/** What a new part starts from: something that can be, to be put right at once. */
const NEW: { [K in PartKind]: () => RecordBodies[K] } = {
  body: () => ({ name: 'New body', modes: [{ id: newId(), name: 'full', widthPx: 4096, heightPx: 2304, sensorWidthMm: 24, sensorHeightMm: 13.5, fps: 24 }] }),
  lens: () => ({ name: 'New lens', kind: 'prime', minFocalMm: 35, maxFocalMm: 35, squeeze: 1, serial: '' }),
  adapter: () => ({ name: 'New adapter', factor: 1 }),
};

/** Everything that can be mounted, and the way to add to it. */
export function PartsList() {
  const bodies = useAll('body');
  const lenses = useAll('lens');
  const adapters = useAll('adapter');
  return (
    <>
      <Parts kind="body" title="Bodies" records={bodies} detail={(b) => `${b.modes.length} mode${b.modes.length === 1 ? '' : 's'}: ${b.modes.map((m) => m.name).join(', ')}`} />
      <Parts kind="lens" title="Lenses" records={lenses} detail={(l) => `${lensWords(l)}${l.squeeze === 1 ? '' : ` · squeeze ${fixed(l.squeeze, 2)}`}${l.serial ? ` · ${l.serial}` : ''}`} />
      <Parts kind="adapter" title="Adapters" records={adapters} detail={(a) => `focal length × ${a.factor}`} />
    </>
  );
}

function Parts<K extends PartKind>({ kind, title, records, detail }: { kind: K; title: string; records: readonly StoredRecord<K>[]; detail: (body: RecordBodies[K]) => string }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const add = async () => {
    const id = newId();
    await write(kind, id, NEW[kind](), `New ${kind} added`);
    router.push(`/kit/part/${id}`);
  };
  return (
    <Section
      title={title}
      right={!mayWrite ? undefined : <Action kind="quiet" title={`Add ${kind === 'adapter' ? 'an' : 'a'} ${kind}`} icon="add" onPress={() => void add()} testID={`add-${kind}`} />}
    >
      {records.length === 0 ? <Empty title={`No ${title.toLowerCase()} yet`} text={`Add the first ${kind} of the production.`} /> : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {[...records]
          .sort((a, b) => (a.body.name < b.body.name ? -1 : 1))
          .map((r) => (
            <Row key={r.id} testID={`part-${r.body.name}`} title={r.body.name} detail={detail(r.body)} onPress={() => router.push(`/kit/part/${r.id}`)} />
          ))}
      </View>
    </Section>
  );
}
