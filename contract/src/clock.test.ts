import { dateAt, instantIn, stampIn, timeIn, zoneWords } from './index';

const AMSTERDAM = 'Europe/Amsterdam';

test.each([
  [AMSTERDAM, '2026-06-21T12:10:00.000Z', '2026-06-21 14:10'],
  [AMSTERDAM, '2026-11-23T12:10:00.000Z', '2026-11-23 13:10'],
  [AMSTERDAM, '2026-11-23T23:30:00.000Z', '2026-11-24 00:30'],
  ['America/Los_Angeles', '2026-11-23T02:05:00.000Z', '2026-11-22 18:05'],
  ['Asia/Kathmandu', '2026-11-23T18:30:00.000Z', '2026-11-24 00:15'],
  ['UTC', '2026-11-23T00:00:00.000Z', '2026-11-23 00:00'],
])('%s shows %s as %s, and what it shows is that instant', (zone, iso, shown) => {
  expect(stampIn(zone, iso)).toBe(shown);
  expect(timeIn(zone, iso)).toBe(shown.slice(11));
  expect(instantIn(zone, shown)).toBe(iso);
  expect(instantIn(zone, shown.slice(11), dateAt(zone, iso))).toBe(iso);
});

test('a time that the clock leaves out is none; of one that comes twice the first is meant', () => {
  expect(instantIn(AMSTERDAM, '2026-03-29 02:30')).toBeNull();
  expect(instantIn(AMSTERDAM, '2026-10-25 02:30')).toBe('2026-10-25T00:30:00.000Z');
  expect(stampIn(AMSTERDAM, '2026-10-25T01:30:00.000Z')).toBe('2026-10-25 02:30');
});

test.each(['', '14', '24:10', '14:60', '2026-13-01 14:10', '2026-02-30 14:10', 'noon', '14:10:20'])('"%s" is no time', (text) => {
  expect(instantIn('UTC', text, '2026-11-23')).toBeNull();
});

test('a time of day alone needs its date', () => {
  expect(instantIn('UTC', '14:10')).toBeNull();
  expect(instantIn('UTC', '9.05', '2026-11-23')).toBe('2026-11-23T09:05:00.000Z');
});

test('the zone has words for who may think of another clock', () => {
  expect(zoneWords('UTC', '2026-11-23T12:10:00.000Z')).toBe('UTC');
  expect(zoneWords(AMSTERDAM, '2026-06-21T12:10:00.000Z')).toBe('CEST');
});
