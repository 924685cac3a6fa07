import type { ReconcileItem } from '@mesure/core';
import type { RecordBodies, StoredRecord } from './records';
import type { Analysis } from './wire';

/** Something else that says how long the lens of a package is, by which a verdict stands or falls. */
export interface FocalWitness {
  kind: 'plate' | 'walk' | 'take';
  /** of the plate, of the walk's setup, of the take */
  id: string;
  name: string;
  /** effective, mm: as it was recorded there, and as it was found */
  recordedMm: number;
  foundMm: number;
  sigmaMm: number;
  /** it was found before the record changed, and speaks of that */
  stale: boolean;
}
export interface FocalSaid {
  /** they say the same of the record as the verdict does */
  same: FocalWitness[];
  /** they say something else */
  other: FocalWitness[];
}

/** A focal length that is known no better says nothing of whether two agree. */
const TELLS_SHARE = 0.02;
const AGREE_SIGMAS = 3.3;
/** Focus and marking move a focal length by so much from one use to the next. */
const SAME_SHARE = 0.01;

type All = <K extends 'plate' | 'take' | 'plan' | 'setup'>(kind: K) => StoredRecord<K>[];

/**
 * What plates, stills walks and other takes of one package say of its focal length. Each is compared by what it found over what was recorded for it, so
 * that a zoom at another length and a take of another day speak of the same reducer.
 * @param but the take whose own verdict it is
 */
export function focalWitnesses(packageId: string, but: string, bySubject: Readonly<Record<string, Analysis | undefined>>, all: All): FocalWitness[] {
  const done = (id: string) => (bySubject[id]?.status === 'done' ? bySubject[id] : undefined);
  const ofItem = (kind: 'walk' | 'take', id: string, name: string, a: Analysis | undefined, item: ReconcileItem | undefined): FocalWitness[] =>
    a && item?.quantity === 'focalLength' && item.solved !== null && item.sigma !== null
      ? [{ kind, id, name, recordedMm: item.recorded, foundMm: item.solved, sigmaMm: item.sigma, stale: Boolean(a.stale) }]
      : [];
  const focalOf = (items: readonly ReconcileItem[] | undefined) => items?.find((i) => i.quantity === 'focalLength');
  const plates = all('plate').flatMap(({ id, body }): FocalWitness[] => {
    const a = body.packageId === packageId ? done(id) : undefined;
    if (a?.outcome?.kind !== 'grid') return [];
    const { focalFromDistance, focalFromTilt, distortion } = a.outcome.report;
    const [told] = [focalFromDistance, focalFromTilt].filter((t) => t !== null).sort((p, q) => p.sigmaMm - q.sigmaMm);
    return told && distortion ? [{ kind: 'plate', id, name: body.picture.name, recordedMm: distortion.focalMm, foundMm: told.mm, sigmaMm: told.sigmaMm, stale: Boolean(a.stale) }] : [];
  });
  const walks = all('plan').flatMap(({ body }): FocalWitness[] => {
    const a = body.stills?.packageId === packageId ? done(body.setupId) : undefined;
    const setup = all('setup').find((s) => s.id === body.setupId);
    return a?.outcome?.kind === 'walk' && setup ? ofItem('walk', body.setupId, setup.body.name, a, focalOf(a.outcome.reconcile?.items)) : [];
  });
  const takes = all('take').flatMap(({ id, body }: StoredRecord<'take'> & { body: RecordBodies['take'] }): FocalWitness[] => {
    const a = id !== but && body.packageId === packageId ? done(id) : undefined;
    return a?.outcome?.kind === 'solve' ? ofItem('take', id, `${body.slate} take ${body.take}`, a, focalOf(a.outcome.reconcile?.items)) : [];
  });
  return [...plates, ...walks, ...takes].filter((w) => w.sigmaMm < TELLS_SHARE * w.foundMm);
}

/** Which of them say the same of the record as an item does, by the ratio of found to recorded. */
export function sameOrOther(item: Pick<ReconcileItem, 'recorded' | 'solved' | 'sigma'>, witnesses: readonly FocalWitness[]): FocalSaid {
  if (item.solved === null || item.sigma === null) return { same: [], other: [] };
  const own = item.solved / item.recorded;
  const agrees = (w: FocalWitness): boolean => {
    const theirs = w.foundMm / w.recordedMm;
    const sigma = Math.hypot(item.sigma! / item.recorded, w.sigmaMm / w.recordedMm, SAME_SHARE * own);
    return Math.abs(theirs - own) < AGREE_SIGMAS * sigma;
  };
  return { same: witnesses.filter(agrees), other: witnesses.filter((w) => !agrees(w)) };
}
