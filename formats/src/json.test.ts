import { jsonText, readSolveJson } from '.';

const solve = { status: 'partial', reason: null, frames: [], points: [] };
const warnings = [
  { code: 'CAMERA_STANDS', words: 'The camera stands still.' },
  { code: 'NO_SCALE', words: 'No scale.' },
];

test('warnings leave as sentences with their codes beside them, at any depth, and come in again as they were', () => {
  const text = jsonText({ ...solve, warnings });
  expect(JSON.parse(text)).toMatchObject({ warnings: ['The camera stands still.', 'No scale.'], warningCodes: ['CAMERA_STANDS', 'NO_SCALE'] });
  expect(readSolveJson(text, 'a.json').warnings).toEqual(warnings);
  expect('warningCodes' in readSolveJson(text, 'a.json')).toBe(false);
  expect(JSON.parse(jsonText({ plates: [{ warnings: warnings.slice(0, 1) }] }))).toEqual({ plates: [{ warnings: ['The camera stands still.'], warningCodes: ['CAMERA_STANDS'] }] });
});

test('a file from before codes keeps its sentences; none stay none', () => {
  expect(readSolveJson(JSON.stringify({ ...solve, warnings: ['No scale.'] }), 'a.json').warnings).toEqual([{ code: 'FROM_FILE', words: 'No scale.' }]);
  expect(JSON.parse(jsonText({ ...solve, warnings: [] }))).toEqual({ ...solve, warnings: [] });
  expect(readSolveJson(JSON.stringify(solve), 'a.json').warnings).toEqual([]);
});
