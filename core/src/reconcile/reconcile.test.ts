import type { SolvedForReconcile } from './reconcile';
import { reconcile } from './reconcile';
import type { SolveSetup } from '../solve';
import { SOLVE } from '../warnings';

const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({ image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 32 }, ...change });
const solve = (focalMm: number, sigmaFocalMm: number, change: Partial<SolvedForReconcile> = {}): SolvedForReconcile => ({
  status: 'solved',
  focalMm,
  sigmaFocalMm,
  focalMode: 'free',
  frames: [{ frame: 1, position: [0, 1.4, 0], rotation: [0, 0, 0, 1], focalMm, rmsPx: 0.5, tracks: 20, sigmaPositionM: 0.004 }],
  points: [
    { track: 'a', position: [0, 0, 0], sigmaM: 0.001, rmsPx: 0.4, observations: 9 },
    { track: 'b', position: [2, 0, 0], sigmaM: 0.001, rmsPx: 0.4, observations: 9 },
  ],
  ...change,
});

describe('focal length', () => {
  test.each<[string, number, Partial<SolveSetup>, string]>([
    ['×0.71 reducer', 32 * 0.71, {}, 'forgotten-reducer'],
    ['×0.64 reducer', 32 * 0.64, {}, 'forgotten-reducer'],
    ['×1.4 extender', 32 * 1.4, {}, 'forgotten-extender'],
    ['adapter noted, not mounted', 32, { adapterFactor: 0.71 }, 'adapter-not-mounted'],
    ['full frame for a 24.9 mm sensor', 32 * (36 / 24.9), { sensor: { widthMm: 36, heightMm: 20 } }, 'full-frame-assumed'],
  ])('%s is named', (_name, solvedMm, change, cause) => {
    const r = reconcile(setup(change), solve(solvedMm, 0.05));
    expect(r.verdict).toBe('contradicts');
    expect(r.items[0].quantity).toBe('focalLength');
    expect(r.items[0].causes[0].cause).toBe(cause);
    expect(r.items[0].causes[0].evidence).toContain(solvedMm.toFixed(2));
  });

  test('the cause brings the entry that would put it right', () => {
    expect(reconcile(setup(), solve(22.75, 0.03)).items[0].causes[0].correction).toEqual({ field: 'adapterFactor', value: 0.71 });
  });

  test('an odd ratio gets no invented cause', () => {
    const item = reconcile(setup(), solve(29.1, 0.05)).items[0];
    expect(item.verdict).toBe('contradicts');
    expect(item.causes).toHaveLength(0);
  });

  test.each<[number, number, string]>([
    [32.1, 0.1, 'agrees'],
    [32.9, 0.1, 'drifts'],
    [25, 4, 'not observable'],
    [40, 3, 'not observable'],
    [22.7, 1.5, 'contradicts'],
  ])('solved %p ± %p mm %s', (mm, sigma, verdict) => {
    expect(reconcile(setup(), solve(mm, sigma)).items[0].verdict).toBe(verdict);
  });

  test('a held focal length cannot judge itself; a guided one is judged without its record', () => {
    expect(reconcile(setup(), solve(32, 0, { focalMode: 'held' })).items[0].verdict).toBe('not observable');
    // data alone 30 ± 0.5, record 32 ± 0.5: the posterior is 31 ± 0.354
    const item = reconcile(setup({ focal: { mode: 'guided', mm: 32, sigmaMm: 0.5 } }), solve(31, 0.5 / Math.SQRT2, { focalMode: 'guided' })).items[0];
    expect(item.solved).toBeCloseTo(30, 6);
    expect(item.sigma).toBeCloseTo(0.5, 6);
  });
});

describe('lengths and heights', () => {
  test.each([1e-12, -1e-12])('that disagree alike stand as they were noted, whatever their last digits', (by) => {
    const base = solve(32, 0.1);
    const points = [...base.points, { ...base.points[1], track: 'c', position: [0, 0, 2 + by] as const }];
    const lengths = ['b', 'c'].map((b) => ({ a: 'a', b, m: 2.03, sigmaM: 0.003 }));
    const { items } = reconcile(setup({ anchors: { lengths } }), { ...base, points } as SolvedForReconcile);
    expect(items.filter((i) => i.quantity === 'length').map((i) => i.about)).toEqual(['a–b', 'a–c']);
  });

  const facts = { lengths: [{ a: 'a', b: 'b', m: 2, sigmaM: 0.003 }], cameraHeights: [{ frame: 1, m: 1.4, sigmaM: 0.005 }] };
  test('are read off a plain result', () => {
    const r = reconcile(setup({ anchors: facts }), solve(32, 0.1));
    expect(r.items.map((i) => [i.quantity, i.verdict])).toEqual(
      expect.arrayContaining([
        ['length', 'agrees'],
        ['cameraHeight', 'agrees'],
      ]),
    );
    expect(r.verdict).toBe('agrees');
    expect(r.sentence).toBe('The record agrees with the solve.');
  });
  test('what the solve says nothing of is no part of what agrees', () => {
    const r = reconcile(setup({ anchors: { ...facts, lengths: [...facts.lengths, { a: 'a', b: 'nowhere', m: 1, sigmaM: 0.003 }] } }), solve(32, 9));
    expect(r.verdict).toBe('agrees');
    expect(r.sentence).toBe('What the solve shows of the record agrees. It cannot judge focal length and 1 of 2 lengths.');
  });
  test('of a wrong focal length that was held the length alone is judged; one that is off as lenses are is left to be freed', () => {
    const held = setup({ anchors: facts, focal: { mode: 'held', mm: 32 } });
    const asked = (mm: number) => reconcile(held, solve(32, 0, { focalMode: 'held', focalAsked: { mm, sigmaMm: 0.05 } }));
    expect(asked(22.72)).toMatchObject({ verdict: 'contradicts', sentence: expect.stringMatching(/reducer was mounted/) });
    const near = asked(32.7);
    expect(near).toMatchObject({ verdict: 'not observable', sentence: expect.stringMatching(/than was held, by 2\.2 %, as lenses differ.*Leave it free/) });
    expect(near.items.filter((i) => i.quantity !== 'focalLength' && i.verdict !== 'not observable')).toEqual([]);
  });
  test('a solve that was stopped while it still moved judges nothing', () => {
    const r = reconcile(setup({ anchors: facts }), solve(40, 0.1, { warnings: [SOLVE.STOPPED_EARLY(80)] }));
    expect(r).toMatchObject({ verdict: 'not observable', sentence: expect.stringMatching(/^The solve was stopped while it still moved: nothing can be judged/) });
    expect(r.items.filter((i) => i.verdict !== 'not observable' || i.causes.length > 0)).toEqual([]);
    // the same one, at rest
    expect(reconcile(setup({ anchors: facts }), solve(40, 0.1)).verdict).toBe('contradicts');
  });
  test('inches taken for centimetres', () => {
    const r = reconcile(setup({ anchors: { cameraHeights: [{ frame: 1, m: 0.5525, sigmaM: 0.002 }] } }), solve(32, 0.1, { frames: [{ ...solve(32, 0.1).frames[0], position: [0, 1.40335, 0] }] }));
    expect(r.items[0]).toMatchObject({ quantity: 'cameraHeight', verdict: 'contradicts' });
    expect(r.items[0].causes[0].cause).toBe('inches-for-centimetres');
  });
  test('the value that everything else gives is compared, not the one it helped to make', () => {
    const residuals = [
      {
        kind: 'length' as const,
        about: 'a–b',
        measuredM: 2,
        sigmaM: 0.003,
        solvedM: 2.0001,
        residualM: -0.0001,
        independentM: 2.31,
        sigmaIndependentM: 0.01,
        redundancy: 0.4,
        normalised: 30,
        leftOut: false,
      },
    ];
    const r = reconcile(setup({ anchors: { lengths: facts.lengths } }), solve(32, 0.1, { anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals } }));
    expect(r.items[0]).toMatchObject({ quantity: 'length', solved: 2.31, verdict: 'contradicts' });
    const blind = reconcile(
      setup({ anchors: { lengths: facts.lengths } }),
      solve(32, 0.1, { anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [{ ...residuals[0], independentM: null, sigmaIndependentM: null }] } }),
    );
    expect(blind.items.find((i) => i.quantity === 'length')!.verdict).toBe('not observable');
  });
  test('a failed solve is refused', () => {
    expect(() => reconcile(setup(), solve(32, 0.1, { status: 'failed', reason: 'no parallax' }))).toThrow(/no parallax/);
  });
});
