import { mountPackage, type FloorBody, type StoredRecord, type TakeWords } from '@mesure/contract';
import type { LengthUnit } from '@mesure/core';
import { useAll, useData, useFind, useRecord } from '../../data';

/** What the production notes of each take and how its clips are named; null until somebody chose. */
export function useFloor(): FloorBody | null {
  const { session } = useData();
  const record = useRecord('floor', session.production.id);
  return record && !record.deleted ? record.body : null;
}

/** The unit in which this person measures. */
export function useLengthUnit(): LengthUnit {
  const { session } = useData();
  const usual = useAll('production')[0]?.body.lengthUnit ?? 'm';
  return useRecord('person', session.userId)?.body.lengthUnit ?? usual;
}

/** By letter; of one camera what is on it now before what was. */
export const byCamera = (a: StoredRecord<'package'>, b: StoredRecord<'package'>): number =>
  a.body.camera.localeCompare(b.body.camera, 'en', { numeric: true }) || (b.body.until ?? '9').localeCompare(a.body.until ?? '9');

/** What text of a take refers to. */
export function useTakeWords(): TakeWords {
  const find = useFind();
  const unit = useLengthUnit();
  const packages = [...useAll('package')].sort(byCamera).map((p) => {
    const mounted = mountPackage(p.body, find);
    return { id: p.id, camera: p.body.camera, focalMm: p.body.focalMm, fps: 'missing' in mounted ? 24 : mounted.mode.fps, ...(p.body.offsetsM ? { offsetsM: p.body.offsetsM } : {}) };
  });
  return { unit, packages };
}
