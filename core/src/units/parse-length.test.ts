import fc from 'fast-check';
import { CoreError } from '../errors';
import { formatLength } from './format-length';
import { METRES_PER, type LengthUnit } from './length-unit';
import { parseLength } from './parse-length';

describe('parseLength', () => {
  // whole numbers of the international inch (25.4 mm) and foot (304.8 mm), by hand
  const cases: [string, number, LengthUnit][] = [
    ['1.403 m', 1.403, 'm'],
    ['140,3 cm', 1.403, 'cm'],
    ['55.25 in', 1.40335, 'in'],
    ['55 1/4 in', 1.40335, 'in'],
    ['55-1/4"', 1.40335, 'in'],
    ['4\' 7 1/4"', 1.40335, 'ft-in'],
    ['4′7¼″', 1.40335, 'ft-in'],
    ['4 ft 7 in', 1.397, 'ft-in'],
    ["6'", 1.8288, 'ft'],
    ['3/8 in', 0.009525, 'in'],
    ['12 mm', 0.012, 'mm'],
    ['.5 m', 0.5, 'm'],
    ['2 metres', 2, 'm'],
  ];
  test.each(cases)('%s', (typed, valueM, unit) => {
    const parsed = parseLength(typed);
    expect(parsed.valueM).toBeCloseTo(valueM, 12);
    expect(parsed.unit).toBe(unit);
    expect(parsed.typed).toBe(typed);
  });

  test('a bare number takes the default unit and is refused without one', () => {
    expect(parseLength('1.4', 'm').valueM).toBe(1.4);
    expect(parseLength('55 1/4', 'ft-in').valueM).toBeCloseTo(1.40335, 12);
    expect(() => parseLength('1.4')).toThrow(expect.objectContaining({ code: 'AMBIGUOUS_INPUT' }));
  });

  test('what has two readings is asked about, never guessed', () => {
    expect(() => parseLength('1,403 m')).toThrow(expect.objectContaining({ code: 'AMBIGUOUS_INPUT', message: expect.stringContaining('1.403 or 1403') }));
  });

  test.each(['', 'abc', '-1 m', '1 furlong', '1.2.3 m', '4\' 13"', '1/0 in', '5 8/4 in', '1.234,5 m', 'm', '4 7 1/4"'])('refuses %p', (typed) => {
    expect(() => parseLength(typed, 'm', 'height')).toThrow(CoreError);
    try {
      parseLength(typed, 'm', 'height');
    } catch (e) {
      expect((e as CoreError).field).toBe('height');
    }
  });

  test('what is written is read back as the same length', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 16 * 12 * 200 }), (ticks) => {
        const valueM = (ticks / 16) * METRES_PER.in;
        expect(parseLength(formatLength(valueM, 'ft-in')).valueM).toBeCloseTo(valueM, 10);
      }),
    );
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 99_999 }), fc.constantFrom<LengthUnit>('m', 'cm', 'in'), (n, unit) => {
        const valueM = (n / 100) * METRES_PER[unit];
        expect(parseLength(formatLength(valueM, unit, { decimals: 2 })).valueM).toBeCloseTo(valueM, 10);
      }),
    );
  });

  test('carries up instead of writing twelve inches', () => {
    expect(formatLength(0.3047999, 'ft-in')).toBe('1\' 0"');
    expect(formatLength(1.40335, 'ft-in')).toBe('4\' 7 1/4"');
    expect(formatLength(Number.NaN, 'm')).toBe('–');
  });
});
