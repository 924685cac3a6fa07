import type { StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { useAll, useMayWrite, useRecordsState } from '../../data';
import { CameBack } from '../../forms';
import { Action } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { BodyEditor } from './body-editor';
import { AdapterEditor, LensEditor } from './lens-editor';
import { usePartForm, type PartForm, type PartKind } from './use-part-form';

const KIND_WORDS: Record<PartKind, string> = { body: 'Body', lens: 'Lens', adapter: 'Adapter' };

/** One body, lens or adapter. */
export function PartScreen({ partId }: { partId: string }) {
  const router = useRouter();
  const record = useRecordsState((s) => s.records[partId]);
  return (
    <RecordsGate what="the part">
      {record && !record.deleted && record.kind in KIND_WORDS ? (
        <PartForms key={record.id} record={record as StoredRecord<PartKind>} />
      ) : (
        <Page>
          <Empty title="No such part" text="It was undone or removed." action={{ title: 'Go to Kit', onPress: () => router.replace('/kit') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

function PartForms({ record }: { record: StoredRecord<PartKind> }) {
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const form = usePartForm(record);
  const packages = useAll('package').filter((p) => [p.body.bodyId, p.body.lensId, p.body.adapterId, p.body.secondAdapterId].includes(record.id));
  const mountedOn = packages.map((p) => `${p.body.camera}-cam`).join(', ');
  const mayWrite = useMayWrite();
  return (
    <Page
      action={
        form.changed && mayWrite ? (
          <View style={{ flexDirection: 'row', gap: SPACE.m }}>
            <View style={{ flex: 1 }}>
              <Action kind="main" title={`Save ${record.body.name}`} disabled={!form.valid} onPress={form.save} testID="save-part" />
            </View>
            <Action title="Revert" onPress={form.revert} />
          </View>
        ) : (
          <Action title="Back to the kit" icon="arrow-back" onPress={() => router.push('/kit')} />
        )
      }
    >
      <Words look="title" level={1}>
        {record.body.name}
      </Words>
      <Words dim>{`${KIND_WORDS[record.kind]}${mountedOn ? ` · mounted on ${mountedOn}` : ' · not mounted'}`}</Words>
      {form.cameBack && form.changed ? <CameBack /> : null}
      <View style={{ height: SPACE.m }} />
      {record.kind === 'body' ? (
        <BodyEditor form={form as unknown as PartForm<'body'>} usedModes={new Set(packages.map((p) => p.body.modeId))} />
      ) : record.kind === 'lens' ? (
        <LensEditor form={form as unknown as PartForm<'lens'>} />
      ) : (
        <AdapterEditor form={form as unknown as PartForm<'adapter'>} />
      )}
      {mayWrite ? (
        <View style={{ marginTop: SPACE.xl, alignItems: 'flex-start' }}>
          <Action
            title={mountedOn ? `Mounted on ${mountedOn}` : `Remove ${record.body.name}`}
            icon="delete-outline"
            disabled={packages.length > 0}
            testID="remove-part"
            onPress={() => {
              void write(record.kind, record.id, (now) => now, `${record.body.name} removed`, true);
              router.replace('/kit');
            }}
          />
        </View>
      ) : null}
    </Page>
  );
}
