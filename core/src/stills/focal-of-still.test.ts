import type { PictureNotes } from '../optics';
import { focalOfStill } from './focal-of-still';

const HOUSE = { body: 'Sorrel P1', focalMm: 9, adapterFactor: 1, sensorWidthMm: 13.2, sensorHeightMm: 8.8 };
const notes = (n: Partial<PictureNotes>): PictureNotes => ({
  ...{ widthPx: 960, heightPx: 640, shotWidthPx: null, shotHeightPx: null, focalMm: null, focal35Mm: null, focusM: null, body: null, lens: null, digitalZoom: null, shotAt: null },
  ...n,
});
const of = (n: Partial<PictureNotes> | null, size = { widthPx: 960, heightPx: 640 }, recorded: typeof HOUSE | null = HOUSE) => focalOfStill({ ...size, notes: n && notes(n) }, recorded);

test('the recorded camera: by its sensor, upright too, and by another length only where the file plainly says one', () => {
  expect(of(null)).toEqual({ focalPx: (9 * 960) / 13.2, pxPerMm: 960 / 13.2, lens: 'Sorrel P1, 9 mm', by: 'record' });
  expect(of({ body: 'SORREL p1', focalMm: 9.1 }, { widthPx: 640, heightPx: 960 })).toMatchObject({ focalPx: (9 * 960) / 13.2, by: 'record' });
  expect(of({ body: 'Sorrel P1', focalMm: 12 })).toEqual({ focalPx: (12 * 960) / 13.2, pxPerMm: 960 / 13.2, lens: 'Sorrel P1, 12 mm', by: 'file' });
});

test('an adapter lengthens what is marked on the lens, whoever says it', () => {
  const extended = { ...HOUSE, adapterFactor: 1.4 };
  expect(of(null, undefined, extended)!.focalPx).toBeCloseTo((1.4 * 9 * 960) / 13.2, 9);
  expect(of({ focalMm: 12 }, undefined, extended)!.focalPx).toBeCloseTo((1.4 * 12 * 960) / 13.2, 9);
});

test('a picture that its camera enlarged has a lens of its own, and is none to judge the record by', () => {
  expect(of({ body: 'Sorrel P1', digitalZoom: 2 })).toEqual({ focalPx: (2 * 9 * 960) / 13.2, pxPerMm: (2 * 960) / 13.2, lens: 'Sorrel P1, 9 mm enlarged × 2', by: 'file' });
});

test('another camera counts by its own file: the equivalent length is one of the diagonal', () => {
  // a sensor of half of 36 × 24 each way: 13 mm on it see what 26 mm see on the whole one
  const phone = of({ body: 'Teasel 4', focalMm: 13, focal35Mm: 26 }, { widthPx: 3600, heightPx: 2400 });
  expect(phone).toMatchObject({ by: 'file', lens: 'Teasel 4, 13 mm' });
  expect(phone!.focalPx).toBeCloseTo(2600, 6);
  expect(phone!.pxPerMm).toBeCloseTo(200, 6);
  // of four to three the diagonal decides, not the width
  expect(of({ body: 'Teasel 4', focal35Mm: 26 }, { widthPx: 4000, heightPx: 3000 })!.focalPx).toBeCloseTo((26 * 5000) / Math.hypot(36, 24), 6);
});

test('where nobody says it, it is not known', () => {
  expect(of({ body: 'Teasel 4', focalMm: 5 })).toBeNull();
  expect(of(null, undefined, null)).toBeNull();
});
