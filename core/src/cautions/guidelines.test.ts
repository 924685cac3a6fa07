import { NO_SETUP_FACTS, studySetup } from '../setup';
import { mark, piece, plannedSetup } from '../setup/test-setup';
import { findCautions } from './find-cautions';
import { guidelines } from './guidelines';

test('one page says whom to tell what, with the numbers of the plan', () => {
  const setup = plannedSetup({
    pieces: [piece({ name: 'Back wall', detail: 'some' }), piece({ id: 'p', name: 'Cook', kind: 'person', moves: true, widthM: 0.5, depthM: 0.3, heightM: 1.75, zM: -3 })],
    marks: [mark('K1', [0, 1, -5], { placed: true }), mark('K2', [3, 5, -5])],
    measures: { level: ['K1'], levelSigmaM: 0.005, ties: [{ a: 'K1', b: 'K2', sigmaM: 0.002 }], heights: [{ timeS: 0, sigmaM: 0.003 }] },
  });
  const page = guidelines(setup, NO_SETUP_FACTS, findCautions(studySetup(setup), NO_SETUP_FACTS));
  const to = (whom: string) =>
    page
      .filter((g) => g.to === whom)
      .map((g) => g.text)
      .join('\n');
  expect(to('camera')).toMatch(/^Dolly over 4 s, height 1\.50 m, 24 mm, focus 5\.0 m\.\nShutter 180° at 24 frames a second, stop 8, ISO 800\.\nSwitch the stabiliser off/);
  expect(to('production')).toMatch(/untouched: Back wall\.\nMoves in the picture and is masked out: Cook\./);
  // (3, 4) apart: five metres
  expect(to('wrangler')).toMatch(/still to be placed: K2\.\nMeasure K1 to K2, about 5\.00 m\.\nMeasure the camera height at the start/);
  expect(to('wrangler')).toMatch(/fewer than 8|only \d fixed/);
  // what was taken note of is not told again
  expect(guidelines(setup, NO_SETUP_FACTS, []).every((g) => !/Place marks/.test(g.text))).toBe(true);
});
