import type { StoredRecord, TakeBody } from '@mesure/contract';

/** What the next take of a setup starts from: counted up, and everything that rarely changes carried over and marked as such. */
export function nextTake(setup: StoredRecord<'setup'>, takes: readonly StoredRecord<'take'>[], fallbackPackage: StoredRecord<'package'> | undefined, now: string): TakeBody | null {
  const mine = takes.filter((t) => t.body.setupId === setup.id).sort((a, b) => a.body.take - b.body.take);
  const last = mine[mine.length - 1]?.body;
  if (last) {
    const number = Math.max(...mine.filter((t) => t.body.slate === last.slate).map((t) => t.body.take)) + 1;
    return {
      ...last,
      take: number,
      circled: false,
      notes: '',
      tracks: null,
      loggedAt: now,
      carried: ['packageId', 'focalMm', ...(last.focusM === null ? [] : ['focusM']), ...(last.height ? ['height'] : [])],
    };
  }
  if (!fallbackPackage) return null;
  return {
    setupId: setup.id,
    slate: setup.body.scene,
    take: 1,
    packageId: fallbackPackage.id,
    focalMm: fallbackPackage.body.focalMm,
    focusM: null,
    height: null,
    heightFrame: 1,
    circled: false,
    notes: '',
    tracks: null,
    loggedAt: now,
    carried: ['packageId', 'focalMm'],
  };
}

/** What a take still lacks for its handover. */
export function takeLacks(t: TakeBody): string[] {
  return [...(t.height ? [] : ['camera height']), ...(t.focusM === null ? ['focus distance'] : [])];
}
