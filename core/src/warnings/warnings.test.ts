import * as room from '.';
import { ANCHOR, once, SOLVE, SURVEY, warningOf, warningsBut, wordsOf } from '.';

const tables = Object.entries(room).filter(([name, value]) => /^[A-Z]+$/.test(name) && typeof value === 'object') as [string, Record<string, unknown>][];

test('no code stands in two tables, and each is written like the code of an error', () => {
  expect(tables.map(([name]) => name).sort()).toEqual(['ANCHOR', 'CLIP', 'ELSEWHERE', 'FILES', 'FORECAST', 'GRID', 'PICTURE', 'SOLVE', 'SURVEY', 'WALK', 'WITNESS']);
  const codes = tables.flatMap(([, table]) => Object.keys(table));
  expect(codes.filter((c, i) => codes.indexOf(c) !== i)).toEqual([]);
  expect(codes.filter((c) => !/^[A-Z][A-Z_]+$/.test(c))).toEqual([]);
});

test('a warning is made by its code and says its numbers', () => {
  expect(SOLVE.TRACKS_DRIFT(2.345)).toEqual({ code: 'TRACKS_DRIFT', words: expect.stringContaining('2.3 times') });
  expect(SURVEY.HEIGHTS_OPEN(['m4', 'm7']).words).toMatch(/^How high m4, m7 stand is/);
  expect(SURVEY.HEIGHTS_OPEN(['m4']).words).toMatch(/^How high m4 stands is/);
});

test('asked for by code, left out by code, said once; sentences of results from before codes are kept', () => {
  const kept = [ANCHOR.NO_SCALE(), 'An older sentence.', ANCHOR.NO_SCALE(), SOLVE.CAMERA_STANDS()];
  expect(warningOf(kept, 'CAMERA_STANDS')).toEqual(SOLVE.CAMERA_STANDS());
  expect(warningOf(kept, 'CAMERA_TURNS')).toBeUndefined();
  expect(wordsOf(kept)).toEqual([ANCHOR.NO_SCALE().words, 'An older sentence.', SOLVE.CAMERA_STANDS().words]);
  expect(wordsOf(warningsBut(kept, 'NO_SCALE'))).toEqual(['An older sentence.', SOLVE.CAMERA_STANDS().words]);
  expect(once([SOLVE.LITTLE_PARALLAX(2), SOLVE.LITTLE_PARALLAX(3), SOLVE.LITTLE_PARALLAX(2)])).toHaveLength(2);
});
