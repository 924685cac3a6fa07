import { mark, piece, plannedSetup } from '../setup/test-setup';
import { studySetup } from '../setup';
import { forecast } from './forecast';
import { nextBest, withLens } from './next-best';
import { planOfStudy } from './of-study';
import { forecastSentence } from './words';

const marks = Array.from({ length: 14 }, (_, i) => mark(`m${i}`, [-0.9 + 0.45 * (i % 5), 0.8 + 0.5 * Math.floor(i / 5), -4 - 0.6 * ((i * 3) % 4)]));
const setup = plannedSetup({ pieces: [piece({ zM: -7 })], marks });
const predict = (s: typeof setup) => forecast(planOfStudy(studySetup(s)));

test('what makes the scale known goes first, and does so when it is done', () => {
  const [first] = nextBest(setup);
  expect(first).toMatchObject({ kind: 'tie', makesKnown: 'scale' });
  expect(predict(setup).sigmaScalePct).toBeNull();
  expect(predict(first.setup).sigmaScalePct).toBeGreaterThan(0);
});
test('the others stand by how much slip they take away, and take it away', () => {
  const rest = nextBest(setup).filter((n) => n.makesKnown === null);
  expect(rest.map((n) => n.gainPct)).toEqual(rest.map((n) => n.gainPct).sort((a, b) => b - a));
  expect(predict(rest[0].setup).slipPx!).toBeLessThan(predict(setup).slipPx!);
  expect(setup.marks).toHaveLength(14); // the plan that was asked about is untouched
});
test('a lens that is held is offered no plate, and knowing it never harms', () => {
  expect(nextBest(setup).some((n) => n.kind === 'plate')).toBe(false);
  const slip = (mode: 'held' | 'free') => predict({ ...setup, lens: { mode, sigmaPct: 1 } }).slipPx!;
  // this camera does not turn: the place of the object takes up what the focal length does, but for the definition of the datum
  expect(slip('held')).toBeLessThan(1.001 * slip('free'));
});
test('a lens that nobody measured bears what it may bend, and so does another one that is put in its place', () => {
  const guided = { ...setup, lens: { mode: 'guided' as const, sigmaPct: 1 }, measures: { ...setup.measures, ties: [{ a: 'm0', b: 'm4', sigmaM: 0.001 }] } };
  const plated = { ...guided, lens: { ...guided.lens, plated: true } };
  const [bent, straight] = [predict(guided), predict(plated)];
  expect(bent.slipPx!).toBeGreaterThan(straight.slipPx!);
  expect(bent.sigmaScalePct!).toBeGreaterThan(straight.sigmaScalePct!);
  const worth = (s: typeof setup) => nextBest(s).find((n) => n.kind === 'plate')?.gainPct ?? 0;
  expect(worth(guided)).toBeGreaterThan(worth(plated));
  const other = { id: 'b', words: 'another', focalMm: 24, optics: setup.optics };
  expect(predict(withLens(plated, other)).slipPx!).toBeCloseTo(bent.slipPx!, 9);
  expect(predict(withLens(guided, { ...other, plated: true })).slipPx!).toBeCloseTo(straight.slipPx!, 9);
});
test('another focal length is weighed with all that follows from it, and named by its lens', () => {
  const other = (id: string, focalMm: number) => ({ id, words: `${focalMm} mm instead`, focalMm, optics: { ...setup.optics, focal: { mm: focalMm } } });
  const list = nextBest({ ...setup, measures: { ...setup.measures, ties: [{ a: 'm0', b: 'm4', sigmaM: 0.001 }] } }, [other('long', 40), other('short', 12)]);
  const long = list.find((n) => n.kind === 'focal');
  // at 40 mm hardly a mark is left in the frame, at 12 all are, and half as many pixels tell of each: the wide one slips less or is not offered
  expect(long?.lensId ?? 'short').toBe('short');
  const zoom = withLens({ ...setup, move: { ...setup.move, stations: setup.move.stations.map((s, i) => ({ ...s, focalMm: 24 * (i + 1) })) } }, other('short', 12));
  expect(zoom.move.stations.map((s) => s.focalMm)).toEqual([12, 24]);
  expect(zoom.optics.focal!.mm).toBe(12);
});
test('progress runs to its end', () => {
  const told: number[] = [];
  nextBest(setup, [], (done) => told.push(done));
  expect(told).toEqual([...told].sort((a, b) => a - b));
  expect(told[told.length - 1]).toBe(1);
});
test('the sentence says what cannot be had before what can', () => {
  expect(forecastSentence(predict(setup), 24)).toMatch(/^Scale not observable, a still object slips [\d.]+ px at worst, around frame \d+\.$/);
  expect(forecastSentence(predict({ ...setup, marks: [] }), 24)).toMatch(/^Cannot be solved\. No frame sees 4 fixed points/);
});
