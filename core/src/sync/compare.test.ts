import { clapEvidence, compareSync, soundEvidence, timecodeEvidence } from '.';

const main = { timecode: '10:04:31:12', fps: 24 };
describe('three ways to one offset', () => {
  test('by timecode: the later a clip begins, the earlier in it a moment lies; over midnight too', () => {
    expect(timecodeEvidence(main, { timecode: '10:04:29:12', fps: 24 }).offsetS).toBeCloseTo(2, 12);
    expect(timecodeEvidence({ timecode: '00:00:01:00', fps: 25 }, { timecode: '23:59:59:00', fps: 25 }).offsetS).toBeCloseTo(2, 12);
    // 25 frames of 50 in a second: half of it
    expect(timecodeEvidence(main, { timecode: '10:04:31:00', fps: 50 }).offsetS).toBeCloseTo(0.5, 12);
    // a recorder's time reference: 10:04:29.5 is two seconds before the frame 12 of 24
    const recorder = timecodeEvidence(main, { startsAtS: 10 * 3600 + 4 * 60 + 29.5 });
    expect([recorder.offsetS, recorder.sigmaS]).toEqual([expect.closeTo(2, 9), expect.closeTo(Math.SQRT2 / 24 / Math.sqrt(12), 9)]);
    expect(timecodeEvidence({ startsAtS: 1 }, { startsAtS: 86_399 }).offsetS).toBeCloseTo(2, 9);
    expect(() => timecodeEvidence(main, { timecode: '10:04:31:24', fps: 24 })).toThrow(/last one is 23/);
  });
  test('by the clap, at different rates; sigma is that of a frame of each', () => {
    const e = clapEvidence({ frame: 48, fps: 24 }, { frame: 200, fps: 50 });
    expect(e.offsetS).toBeCloseTo(2, 12);
    expect(e.sigmaS).toBeCloseTo(Math.hypot(1 / 24, 1 / 50) / Math.sqrt(12), 12);
  });
});

describe('compared', () => {
  const clap = clapEvidence({ frame: 48, fps: 24 }, { frame: 96, fps: 24 });
  test('they agree: the finest is taken', () => {
    expect(compareSync([clap, soundEvidence({ offsetS: 2.004, confidence: 0.9 }), timecodeEvidence(main, { timecode: '10:04:29:12', fps: 24 })], 24)).toMatchObject({
      by: 'sound',
      offsetS: 2.004,
      contradictions: [],
      agreeing: ['clap', 'sound', 'timecode'],
    });
  });
  test.each([
    [timecodeEvidence(main, { timecode: '11:04:29:12', fps: 24 }), /1 hour apart: another time zone/],
    [timecodeEvidence(main, { timecode: '10:04:29:09', fps: 24 }), /3 frames apart/],
    [timecodeEvidence(main, { timecode: '10:09:29:12', fps: 24 }), /not jammed/],
  ])('two against one: the one is named with its usual reason', (odd, why) => {
    const c = compareSync([odd, clap, soundEvidence({ offsetS: 2.001, confidence: 0.8 })], 24);
    expect(c).toMatchObject({ by: 'sound', agreeing: ['clap', 'sound'] });
    expect(c.contradictions.map((x) => [x.a, x.b])).toEqual([
      ['timecode', 'clap'],
      ['timecode', 'sound'],
    ]);
    expect(c.contradictions[0].likely).toMatch(why);
  });
  test('a guess contradicts nothing and is not taken; without any evidence there is no offset', () => {
    expect(compareSync([clap, soundEvidence({ offsetS: 40, confidence: 0.2 })], 24)).toMatchObject({ by: 'clap', contradictions: [] });
    expect(compareSync([soundEvidence({ offsetS: 40, confidence: 0.2 })], 24)).toEqual({ offsetS: null, sigmaS: null, by: null, contradictions: [], agreeing: [] });
  });
  test('the wrong clap', () => {
    const c = compareSync([clapEvidence({ frame: 48, fps: 24 }, { frame: 120, fps: 24 }), soundEvidence({ offsetS: 2, confidence: 1 })], 24);
    expect(c.contradictions[0]).toMatchObject({ differenceS: -1, likely: expect.stringMatching(/wrong frame of it/) });
  });
});
