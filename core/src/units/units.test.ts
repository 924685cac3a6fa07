import {
  formatAngle,
  formatShutter,
  formatTimecode,
  frameTimecode,
  nextClipName,
  clipPatternProblem,
  parseAngle,
  parseShutter,
  parseTimecode,
  shutterDeg,
  shutterSeconds,
  timecodeFrames,
  timecodeSeconds,
} from '.';

describe('timecode', () => {
  // published: at 29.97 drop-frame one hour is 107 892 pictures (SMPTE ST 12-1), a day 2 589 408
  test.each([
    ['01:00:00;00', 29.97, 107_892],
    ['00:01:00;02', 29.97, 1800],
    ['00:00:59;29', 29.97, 1799],
    ['00:10:00;00', 29.97, 17_982],
    ['01:00:00;00', 59.94, 215_784],
    ['10:04:31:12', 24, ((10 * 60 + 4) * 60 + 31) * 24 + 12],
    ['10043112', 24, ((10 * 60 + 4) * 60 + 31) * 24 + 12],
  ])('%s at %d is picture %d', (text, fps, frames) => {
    expect(timecodeFrames(parseTimecode(text, fps), fps)).toBe(frames);
  });
  test('every picture of an hour of drop-frame has one number, and comes back', () => {
    for (let frame = 0; frame < 107_892; frame += 7) {
      const t = frameTimecode(frame, 29.97, true);
      expect(timecodeFrames(parseTimecode(formatTimecode(t), 29.97), 29.97)).toBe(frame);
    }
  });
  test('true seconds: an hour of numbers at 23.976 lasts 3.6 s longer', () => {
    expect(timecodeSeconds(parseTimecode('01:00:00:00', 23.976), 23.976)).toBeCloseTo(3603.6036, 4);
  });
  test.each(['10:04:31', '10:61:00:00', '24:00:00:00', '10:00:00:24', '00:01:00;00', 'abc', ''])('%s is refused', (text) => {
    expect(() => parseTimecode(text, text.includes(';') ? 29.97 : 24)).toThrow(expect.objectContaining({ code: 'UNREADABLE_INPUT' }));
  });
});

describe('shutter', () => {
  test('angle and time are one thing at one frame rate', () => {
    expect(shutterDeg(parseShutter('1/50'), 25)).toBeCloseTo(180, 9);
    expect(shutterSeconds(parseShutter('180'), 24)).toBeCloseTo(1 / 48, 12);
    expect(shutterSeconds(parseShutter('172,8°'), 24)).toBeCloseTo(0.02, 12);
  });
  test.each([
    ['180', '180°'],
    ['172.8°', '172.8°'],
    ['1/50 s', '1/50 s'],
    ['0.02 s', '1/50 s'],
    ['0.6 s', '0.6 s'],
  ])('%s is written %s, and read again is the same', (typed, written) => {
    expect(formatShutter(parseShutter(typed))).toBe(written);
    expect(formatShutter(parseShutter(written))).toBe(written);
  });
  test.each(['0', '361', '1/0', '11 s', 'open', ''])('%s is refused', (text) => {
    expect(() => parseShutter(text)).toThrow(/shutter/);
  });
});

describe('angle', () => {
  test.each([
    ['-3.5', -3.5],
    ['−3,5°', -3.5],
    ["3° 30'", 3.5],
    ['-0° 30\' 36"', -0.51],
    ['+12 deg', 12],
  ])('%s', (text, deg) => {
    expect(parseAngle(text).valueRad).toBeCloseTo((deg * Math.PI) / 180, 12);
  });
  test.each(['181', "3° 60'", 'level', ''])('%s is refused', (text) => {
    expect(() => parseAngle(text)).toThrow(expect.objectContaining({ code: 'UNREADABLE_INPUT' }));
  });
  test('no minus before nothing', () => expect([formatAngle(-0.0001), formatAngle(-0.1)]).toEqual(['0.0°', '-5.7°']));
});

describe('clip names', () => {
  const words = { camera: 'A', slate: '41A', take: 3 };
  test.each([
    ['A012C###', [], 'A012C001'],
    ['A012C###', ['A012C001', 'A012C006', 'B012C040', 'A012C0071x'], 'A012C007'],
    ['A012C###', ['A012C999'], 'A012C1000'],
    ['{camera}_{slate}_{take}', ['x'], 'A_41A_3'],
    ['{slate}-##', ['40-07', '41A-08'], '41A-09'],
    ['a.b+#', ['a.b+4', 'aXb+9'], 'a.b+5'],
  ])('%s after %j is %s', (pattern, taken, name) => {
    expect(nextClipName(pattern, words, taken)).toBe(name);
  });
  test.each([
    ['', /Write a pattern/],
    ['A012', /same name/],
    ['#A#', /One run/],
    ['{reel}#', /\{reel\} is not known/],
    ['{open#', /not known/],
  ])('%s cannot be used', (pattern, why) => {
    expect(clipPatternProblem(pattern)).toMatch(why);
    expect(() => nextClipName(pattern, words, [])).toThrow(expect.objectContaining({ code: 'INVALID_OPTION', field: 'pattern' }));
  });
});
