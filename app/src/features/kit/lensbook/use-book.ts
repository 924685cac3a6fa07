import { bookPlates, bookRange, mountPackage, opticsOf, pupilGroups, type MeasuredPlate, type MountedPackage, type StoredRecord } from '@mesure/contract';
import { openBook, type LensBook } from '@mesure/core';
import { useMemo } from 'react';
import { useAll, useAnalysesState, useFind } from '../../../data';

/** All measured plates of the production, each with the package that it was shot with. */
export function useMeasuredPlates(): MeasuredPlate[] {
  const find = useFind();
  const plates = useAll('plate');
  const bySubject = useAnalysesState((s) => s.bySubject);
  return plates.flatMap((record) => {
    const outcome = bySubject[record.id]?.outcome;
    const pack = find('package', record.body.packageId);
    const mounted = pack ? mountPackage(pack.body, find) : null;
    return outcome?.kind === 'grid' && mounted && !('missing' in mounted) ? [{ id: record.id, plate: record.body, report: outcome.report, mounted }] : [];
  });
}

/** The lens book of a package's lens, over the frame of its mode; `book` is null before the first usable plate. */
export function useBook(record: StoredRecord<'package'>, mounted: MountedPackage) {
  const measured = useMeasuredPlates();
  const plates = bookPlates(measured, mounted);
  const setup = opticsOf(mounted, record.body.focalMm);
  const key = JSON.stringify([plates, setup]);
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all of it
  const book = useMemo<LensBook | null>(() => (plates.length > 0 ? openBook(plates, setup) : null), [key]);
  return { book, measured, range: bookRange(mounted.lens), groups: pupilGroups(measured, mounted), setup };
}
