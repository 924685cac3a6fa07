import { lensDay, type DayPlate } from '.';

const prime = { lensId: 'p', minFocalMm: 32, maxFocalMm: 32, closeFocusM: 0.4, focusMatters: true };
const still = { ...prime, lensId: 's', focusMatters: false };
const zoom = { lensId: 'z', minFocalMm: 24, maxFocalMm: 70, closeFocusM: null, focusMatters: true };
const on = (packageId: string, lensId: string, modeId = 'm', factor = 1) => ({ packageId, lensId, bodyId: 'b', modeId, factor });
const shot = (lensId: string, packageId: string, focalMm: number, focusM: number | null, minute = 0): DayPlate => ({
  lensId,
  packageId,
  focalMm,
  focusM,
  shotAt: new Date(Date.UTC(2026, 10, 23, 8, minute)).toISOString(),
});

test('a prime near and far, one that does not breathe once, a zoom in even steps', () => {
  const day = lensDay([prime, still, zoom], [on('A', 'p'), on('B', 's'), on('C', 'z')], []);
  const of = (id: string) => day.shots.filter((s) => s.lensId === id).map((s) => [s.focalMm, s.focusM]);
  expect(of('p')).toEqual([
    [32, 0.5],
    [32, 5],
  ]);
  expect(of('s')).toEqual([[32, null]]);
  const focals = [...new Set(of('z').map(([f]) => f!))];
  expect(focals[0]).toBe(24);
  expect(focals.at(-1)).toBe(70);
  for (let i = 1; i < focals.length; i += 1) expect(focals[i] / focals[i - 1]).toBeLessThan(1.5);
  expect(day).toMatchObject({ done: 0, paceFrom: 'assumed', paceMin: 3, minutesLeft: 3 * day.shots.length });
});

test('each mode and each adapter is a list of its own; two cameras alike are one', () => {
  const day = lensDay([still], [on('A', 's'), on('B', 's'), on('C', 's', 'windowed'), on('D', 's', 'm', 0.71)], []);
  expect(day.shots.map((s) => s.packageId)).toEqual(['A', 'C', 'D']);
  // a plate of B counts for A, since they see the same
  expect(lensDay([still], [on('A', 's'), on('B', 's')], [shot('s', 'B', 32, null)]).done).toBe(1);
});

test('plates tick off what they are, as near as a barrel is read', () => {
  const cameras = [on('A', 'p')];
  expect(lensDay([prime], cameras, [shot('p', 'A', 32, 0.45)]).shots.map((s) => s.done)).toEqual([true, false]);
  expect(lensDay([prime], cameras, [shot('p', 'A', 32, null)]).done).toBe(0);
  expect(lensDay([prime], cameras, [shot('p', 'A', 35, 0.5), shot('p', 'X', 32, 0.5)]).done).toBe(0);
});

test('the pace is the middle gap of the day, pauses left out', () => {
  const plates = [0, 2, 4, 7, 60, 62].map((minute) => shot('z', 'C', 24, 0.8, minute));
  const day = lensDay([zoom], [on('C', 'z')], plates);
  expect(day).toMatchObject({ paceMin: 2, paceFrom: 'this day' });
  expect(day.minutesLeft).toBe(2 * (day.shots.length - 1));
});
