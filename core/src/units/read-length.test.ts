import fc from 'fast-check';
import { AmbiguousInput } from '../errors';
import { FOCUS_INFINITY_M, focusCell, formatFocus } from './focus';
import { formatLength } from './format-length';
import { LENGTH_UNITS, METRES_PER, type LengthUnit } from './length-unit';
import { mustReadLength, readLength, type LengthQuantity } from './read-length';

/**
 * What each typed form becomes for a person of each unit: metres, `?` for a question, `x` for a refusal. Lengths by hand from the
 * international inch (25.4 mm) and foot (304.8 mm).
 */
const ORDER: LengthUnit[] = ['m', 'cm', 'mm', 'in', 'ft', 'ft-in'];
type Row = [text: string, quantity: LengthQuantity, ...expected: (number | '?' | 'x')[]];
const same = (text: string, quantity: LengthQuantity, what: number | '?' | 'x'): Row => [text, quantity, what, what, what, what, what, what];
const H = 'camera height';
const ROWS: Row[] = [
  // a bare number is in the person's unit where that can be, and asked about where not
  ['1.41', H, 1.41, '?', '?', '?', 0.429768, '?'],
  ['1,41', H, 1.41, '?', '?', '?', 0.429768, '?'],
  ['64', H, '?', 0.64, '?', 1.6256, '?', 1.6256],
  ['5', H, 5, '?', '?', 0.127, 1.524, '?'],
  ['2', H, 2, '?', '?', '?', 0.6096, 0.6096],
  ['12', H, 12, 0.12, '?', 0.3048, 3.6576, '?'],
  ['141', H, '?', 1.41, 0.141, 3.5814, '?', 3.5814],
  ['162.5', H, '?', 1.625, 0.1625, 4.1275, '?', 4.1275],
  ['1410', H, '?', '?', 1.41, '?', '?', '?'],
  ['1620', H, '?', '?', 1.62, '?', '?', '?'],
  ['1 620', H, '?', '?', 1.62, '?', '?', '?'],
  ['.5', H, 0.5, '?', '?', '?', 0.1524, '?'],
  ['55 1/4', H, '?', '?', '?', 1.40335, '?', 1.40335],
  ['63-3/4', H, '?', '?', '?', 1.61925, '?', 1.61925],
  ['162½', H, '?', 1.625, '?', 4.1275, '?', 4.1275],
  // feet and inches without their signs are read by who measures so, and asked of who does not
  ['5-4', H, '?', '?', '?', 1.6256, 1.6256, 1.6256],
  ['5 4', H, '?', '?', '?', 1.6256, 1.6256, 1.6256],
  ['5 - 4', H, '?', '?', '?', 1.6256, 1.6256, 1.6256],
  ['5-4-1/2', H, '?', '?', '?', 1.6383, 1.6383, 1.6383],
  ['5 4 1/2', H, '?', '?', '?', 1.6383, 1.6383, 1.6383],
  ['5-13', H, 'x', 'x', 'x', 'x', 'x', 'x'],
  // with a unit nobody's own unit matters
  same('1.41 m', H, 1.41),
  same('1,41m', H, 1.41),
  same('1m62', H, 1.62),
  same('1 m 62', H, 1.62),
  same('162 cm', H, 1.62),
  same('162½ cm', H, 1.625),
  same('1620mm', H, 1.62),
  same('1 620 mm', H, 1.62),
  same('1,620 mm', H, 1.62),
  same('1.620 mm', H, 1.62),
  same('1.620 m', H, 1.62),
  same('1,403 m', H, 1.403),
  same('5\' 4"', H, 1.6256),
  same('5′4½″', H, 1.6383),
  same('5ft4', H, 1.6256),
  same('5ft 4in', H, 1.6256),
  same("5'4", H, 1.6256),
  same('5 ft', H, 1.524),
  same('63 3/4 in', H, 1.61925),
  same('63-3/4"', H, 1.61925),
  same('+1.41 m', H, 1.41),
  // what cannot be is refused, what is unusual is asked, also with a unit
  same('0', H, 'x'),
  same('0 m', H, 'x'),
  same('1 mm', H, 'x'),
  same('2 cm', H, '?'),
  same('135 ft', H, '?'),
  same('64 ft', H, '?'),
  same('1620 m', H, 'x'),
  same('-1.4 m', H, 'x'),
  same('1.4 furlong', H, 'x'),
  same('4\' 13"', H, 'x'),
  same('', H, 'x'),
  same('about a metre', H, 'x'),
  same('1.2.3 m', H, 'x'),
  // other quantities have other spans
  ['3.2', 'focus distance', 3.2, '?', '?', '?', 0.97536, '?'],
  ['12', 'focus distance', 12, 0.12, '?', 0.3048, 3.6576, '?'],
  same('150 m', 'focus distance', 150),
  same('2000 m', 'focus distance', '?'),
  ['2.41', 'tie', 2.41, '?', '?', 0.061214, 0.734568, 0.061214],
  same('2.41 m', 'tie', 2.41),
  same('95 m', 'tie', '?'),
  same('0', 'mark height', 0),
  ['20', 'cell of a chart', '?', 0.2, 0.02, '?', '?', '?'],
  same('20 mm', 'cell of a chart', 0.02),
  same('20 m', 'cell of a chart', 'x'),
  same('1/2 in', 'cell of a chart', 0.0127),
];
const CASES = ROWS.flatMap(([text, quantity, ...expected]) => ORDER.map((unit, i) => ({ text, quantity, unit, expected: expected[i] })));

test('there are more than three hundred of them', () => expect(CASES.length).toBeGreaterThan(300));

test.each(CASES)('$text as $quantity, measured in $unit', ({ text, quantity, unit, expected }) => {
  const r = readLength(text, { quantity, unit });
  if (expected === 'x') expect(r).toMatchObject({ status: 'refused', why: expect.stringMatching(/\w/) });
  else if (expected === '?') {
    expect(r.status).toBe('ask');
    if (r.status !== 'ask') return;
    // each answer is whole: typed with its unit, it reads as the same length for anybody
    for (const l of r.readings) {
      const again = readLength(l.typed, { quantity, unit: 'm' });
      expect([l.typed, ...(again.status === 'read' ? [again.length] : again.status === 'ask' ? again.readings : []).map((q) => q.valueM)]).toContainEqual(expect.closeTo(l.valueM, 9));
    }
    expect(() => mustReadLength(text, { quantity, unit })).toThrow(expect.objectContaining({ code: 'AMBIGUOUS_INPUT' }));
  } else {
    expect(r).toMatchObject({ status: 'read' });
    if (r.status === 'read') {
      expect(r.length.valueM).toBeCloseTo(expected, 9);
      // printed with its unit, never as the bare typing
      expect(r.length.typed).toMatch(/[a-z'"′″]/i);
      expect(mustReadLength(text, { quantity, unit }).valueM).toBe(r.length.valueM);
    }
  }
});

test('said again with a mark behind it an unusual length is read; what cannot be, or is still two, is not', () => {
  const read = (text: string, unit: LengthUnit = 'm', nearM?: number) => readLength(text, { quantity: H, unit, nearM });
  expect(read('13 m')).toMatchObject({ status: 'ask' });
  expect(read('13 m!')).toMatchObject({ status: 'read', length: { valueM: 13, typed: '13 m' } });
  expect(read('5 !', 'm', 1.4)).toMatchObject({ status: 'read', length: { valueM: 5, typed: '5 m' } });
  expect(read('151 m!')).toMatchObject({ status: 'refused' });
  expect(read('12!', 'ft-in')).toMatchObject({ status: 'ask' });
  // what is asked about says what to write, and each of it is read as what it says wherever it is written
  for (const [text, unit] of [
    ['64', 'm'],
    ['1.41', 'ft-in'],
    ['13 m', 'm'],
    ['135 ft', 'ft'],
    ['5-4', 'm'],
  ] as const) {
    let asked: unknown;
    try {
      mustReadLength(text, { quantity: H, unit });
    } catch (e) {
      asked = e;
    }
    expect(asked).toBeInstanceOf(AmbiguousInput);
    for (const r of (asked as AmbiguousInput).readings) {
      const again = mustReadLength(r.write, { quantity: H, unit });
      expect(r.words.startsWith(again.typed)).toBe(true);
    }
  }
});

test('far from the last take or the plan it is asked about, with what else the digits may mean', () => {
  const near = (text: string, unit: LengthUnit) => readLength(text, { quantity: H, unit, nearM: 1.4 });
  expect(near('1.35', 'm')).toMatchObject({ status: 'read' });
  expect(near('5', 'm')).toMatchObject({ status: 'ask', readings: [{ typed: '5 m' }, { typed: '5 ft' }] });
  expect(near('14', 'cm')).toMatchObject({ status: 'ask' });
  expect(near('0.3 m', 'm')).toMatchObject({ status: 'ask', readings: [{ typed: '0.3 m' }], why: expect.stringContaining('far from 1.400 m') });
});

test('what was measured in a unit and written in it is never read as another length', () => {
  fc.assert(
    fc.property(fc.integer({ min: 90, max: 9000 }), fc.constantFrom<LengthUnit>('m', 'cm', 'in', 'ft-in'), fc.constantFrom(...LENGTH_UNITS), (mm, written, own) => {
      const text = formatLength(mm / 1000, written);
      const r = readLength(text, { quantity: H, unit: own });
      expect(r.status).toBe('read');
      if (r.status === 'read') expect(Math.abs(r.length.valueM - mm / 1000)).toBeLessThan(0.0009);
    }),
  );
});

test('a bare number never becomes a length that is not in the person’s unit', () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 300_000 }), fc.integer({ min: 0, max: 3 }), fc.constantFrom(...LENGTH_UNITS), (n, digits, unit) => {
      const text = (n / 10 ** digits).toFixed(digits);
      const r = readLength(text, { quantity: H, unit });
      if (r.status !== 'read') return;
      const own = unit === 'ft-in' ? [METRES_PER.in, METRES_PER.ft] : [METRES_PER[unit]];
      // three digits behind a point are a decimal, or thousands in another country
      const values = [Number(text), ...(/^\d{1,3}\.\d{3}$/.test(text) ? [Number(text.replace('.', ''))] : [])];
      expect(own.flatMap((u) => values.map((v) => v * u)).some((m) => Math.abs(m - r.length.valueM) < 1e-9)).toBe(true);
    }),
  );
});

describe('a lens at its stop', () => {
  test.each(['∞', 'inf', 'Infinity', ' inf '])('%p is a focus distance, whatever is measured in, and no other length', (typed) => {
    for (const unit of LENGTH_UNITS)
      expect(readLength(typed, { unit, quantity: 'focus distance' })).toEqual({ status: 'read', length: expect.objectContaining({ typed: '∞', valueM: FOCUS_INFINITY_M }) });
    expect(readLength(typed, { unit: 'm', quantity: 'camera height' }).status).toBe('refused');
  });
  test('is told as that on screens and in tables, and a distance as itself', () => {
    expect([formatFocus(FOCUS_INFINITY_M, 'ft-in'), formatFocus(Infinity, 'm'), formatFocus(3.2, 'm', 2)]).toEqual(['∞', '∞', '3.20 m']);
    expect([focusCell(FOCUS_INFINITY_M), focusCell(3.2), focusCell(null), focusCell(undefined)]).toEqual(['infinity', 3.2, '', '']);
  });
});

test('feet and inches of somebody who measures in metres are asked about as what they are, not as something unusual', () => {
  const r = readLength('5-4-1/2', { unit: 'm', quantity: 'camera height' });
  expect(r).toMatchObject({ status: 'ask', why: '5-4-1/2 is not how metres are written, which you measure in' });
});
