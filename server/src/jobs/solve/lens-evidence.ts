import { bookPlates, mountPackage, type Lookup, type MountedPackage, type RecordKind, type StoredRecord } from '@mesure/contract';
import type { Database } from '../../db/connect';
import { gridOutcomes } from '../grid/outcomes';

/** What is known of how a mounted lens bends: its measured plates, the book between them, and pictures with marked edges. */
export async function lensEvidence(db: Database, productionId: string, m: MountedPackage, all: <K extends RecordKind>(kind: K) => StoredRecord<K>[], find: Lookup) {
  const plates = await gridOutcomes(
    db,
    productionId,
    all('plate').filter((p) => p.body.lensId === m.pack.lensId),
  );
  const measured = plates.flatMap(({ id, plate, report }) => {
    const pack = find('package', plate.packageId);
    const mountedThen = pack ? mountPackage(pack.body, find) : null;
    return mountedThen && !('missing' in mountedThen) ? [{ id, plate, report, mounted: mountedThen }] : [];
  });
  const edges = all('edges')
    .map((e) => e.body)
    .filter((e) => e.lensId === m.pack.lensId);
  return { plates, book: bookPlates(measured, m), edges };
}
