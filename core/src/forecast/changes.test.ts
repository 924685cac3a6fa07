import { mark, piece, plannedSetup } from '../setup/test-setup';
import { studySetup, type PlannedSetup } from '../setup';
import { matToQuat } from '../math';
import { forecastFile, nextBest, type ForecastFile } from '.';

const marks = [
  ...Array.from({ length: 12 }, (_, i) => mark(`m${i}`, [-0.9 + 0.45 * (i % 4), 0.8 + 0.5 * Math.floor(i / 4), -4 - 0.6 * ((i * 3) % 4)])),
  mark('f1', [-0.6, 0, -3.6]),
  mark('f2', [0.6, 0, -3.8]),
  mark('f3', [0, 0, -5]),
];
const setup = plannedSetup({ pieces: [piece({ zM: -7 })], marks });

/** The same plan as it would stand in a file: the frames that the study samples, marks in the open. */
function asFile(s: PlannedSetup): ForecastFile {
  const study = studySetup(s, 16);
  return {
    ...s.optics,
    focal: { mm: s.move.stations[0].focalMm, mode: s.lens.mode },
    // a lens that is held in a plan is held by its plate
    ...(s.lens.mode === 'held' ? { distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] } } : {}),
    path: study.tracked.map((m, i) => {
      const r = m.toCamera;
      // rows right, down, forward to camera-to-world with y up, looking along −z
      return { frame: i + 1, position: m.position, rotation: matToQuat([r[0], -r[3], -r[6], r[1], -r[4], -r[7], r[2], -r[5], -r[8]]) };
    }),
    marks: s.marks.map((m) => ({ id: m.id, position: m.at })),
    noisePx: s.noisePx,
    anchors: { level: s.measures.level, lengths: s.measures.ties.map((t) => ({ a: t.a, b: t.b, meters: 1, sigmaM: t.sigmaM })), cameraHeights: [], points: [], origin: null, heading: null },
  } as unknown as ForecastFile;
}

const measured = (list: readonly { kind: string; words: string }[]) => list.filter((c) => c.kind !== 'mark' && c.kind !== 'slower').map((c) => c.words);

describe('what would help', () => {
  test('is the same measurements for a plan on the phone and for the same plan in a file', () => {
    const onPhone = measured(nextBest(setup));
    const fromFile = measured(forecastFile(asFile(setup)).nextBest);
    expect(onPhone.length).toBeGreaterThan(0);
    expect(new Set(fromFile)).toEqual(new Set(onPhone));
    expect(fromFile[0]).toBe(onPhone[0]);
  });
  test('a tie that is planned is not offered again', () => {
    const tied = { ...setup, measures: { ...setup.measures, ties: [{ a: 'm0', b: 'm3', sigmaM: 0.002 }] } };
    const [first] = nextBest(setup).filter((c) => c.kind === 'tie');
    const [, a, b] = /^A tie from (\S+) to (\S+),/.exec(first.words)!;
    const again = { ...tied, measures: { ...tied.measures, ties: [{ a: b, b: a, sigmaM: 0.002 }] } };
    for (const list of [nextBest(again), forecastFile(asFile(again)).nextBest]) expect(list.map((c) => c.words)).not.toContain(first.words);
  });
  test('from a file, too, what makes the scale known goes first and is named', () => {
    expect(forecastFile(asFile(setup)).nextBest[0]).toMatchObject({ makesKnown: expect.stringContaining('scale') });
  });
});
