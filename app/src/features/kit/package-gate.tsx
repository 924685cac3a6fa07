import { mountPackage, type MountedPackage, type StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import type { ReactNode } from 'react';
import { useFind, useRecord } from '../../data';
import { Empty } from '../../ui/states';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';

/** A screen about one complete package; else it says what became of it. */
export function PackageGate({ packageId, what, children }: { packageId: string; what: string; children: (record: StoredRecord<'package'>, mounted: MountedPackage) => ReactNode }) {
  const router = useRouter();
  const record = useRecord('package', packageId);
  const find = useFind();
  const mounted = record && !record.deleted ? mountPackage(record.body, find) : null;
  return (
    <RecordsGate what={what}>
      {record && mounted && !('missing' in mounted) ? (
        children(record, mounted)
      ) : (
        <Page>
          <Empty title="No such package" text="It was taken apart, or a part of it is missing." action={{ title: 'Go to Kit', onPress: () => router.replace('/kit') }} />
        </Page>
      )}
    </RecordsGate>
  );
}
