import { anchoredWorld, type AnchoredWorld, anchoringTrials, calibration, draws } from '@mesure/synthetic';
import { applySimilarity, type Vec3 } from '../math';
import { anchorSolve, type AnchorInput } from './anchor-solve';
import { wordsOf } from '../warnings';

const anchored = (w: AnchoredWorld) => {
  const a = anchorSolve(w.input as AnchorInput, w.facts);
  return {
    ...a,
    heightOf: (camera: number) => {
      const c = a.positionCovarianceM2({ kind: 'camera', index: camera });
      return c && { valueM: applySimilarity(a.similarity, w.input.centers[camera] as Vec3)[1], sigmaM: Math.sqrt(c[3]) };
    },
  };
};
const far = (w: AnchoredWorld, a: number, b: number) => Math.hypot(...w.truth.points[a].map((v, i) => v - w.truth.points[b][i]));

describe('which of the facts is wrong', () => {
  test('two lengths and a height, one length 20 cm too long: the wrong one goes, the right ones stay', () => {
    for (let seed = 1; seed <= draws(25, 10); seed += 1) {
      const w = anchoredWorld(seed, { level: 6, lengths: 2, heights: 1, surveyed: 0 }, 0);
      w.facts.lengths[1].m += 0.2;
      const a = anchored(w);
      expect([seed, a.residuals.filter((r) => r.leftOut).map((r) => `${r.kind} ${r.index}`), a.undecided]).toEqual([seed, ['length 1'], null]);
      expect(Math.abs(a.similarity.scale / w.truth.scale - 1)).toBeLessThan(0.01);
      expect(wordsOf(a.warnings).join(' ')).toMatch(/^Length .* It was left out of the anchoring\.$/);
    }
  });

  test('the same pair read twice, the second reading wrong: its right twin and a third that agrees stay', () => {
    for (let seed = 1; seed <= 10; seed += 1) {
      const w = anchoredWorld(seed, { level: 4, lengths: 2, heights: 0, surveyed: 0 }, 0);
      w.facts.lengths.splice(1, 0, { ...w.facts.lengths[0], m: w.facts.lengths[0].m * 2.54 });
      const a = anchored(w);
      expect([seed, a.residuals.filter((r) => r.leftOut).map((r) => r.index)]).toEqual([seed, [1]]);
      expect(Math.abs(a.similarity.scale / w.truth.scale - 1)).toBeLessThan(0.01);
    }
  });

  test('two that contradict and nothing else: both worlds are shown, the sigma spans them, and what would decide is named', () => {
    const w = anchoredWorld(3, { level: 6, lengths: 1, heights: 1, surveyed: 0 }, 0);
    const right = w.facts.lengths[0].m;
    w.facts.lengths[0].m *= 2.7;
    const a = anchored(w);
    expect(a.undecided!.worlds.map((q) => q.wrong.map((words) => words.split(' ')[0])).sort()).toEqual([['Camera'], ['Length']]);
    const scales = a.undecided!.worlds.map((q) => q.scale / w.truth.scale).sort((p, q) => p - q);
    expect(scales[0]).toBeCloseTo(1, 1);
    expect(scales[1]).toBeCloseTo(2.7, 1);
    expect(Math.abs(a.similarity.scale - w.truth.scale)).toBeLessThan(1.1 * a.sigmaScale!);
    expect(a.residuals.filter((r) => r.undecided).map((r) => r.kind)).toEqual(['length', 'cameraHeight']);
    // each is judged by the world in which it took no part
    for (const r of a.residuals.filter((q) => q.undecided)) expect(Math.abs(r.normalised!)).toBeGreaterThan(10);
    expect(a.residuals.find((r) => r.kind === 'length')!.independentM).toBeCloseTo(right, 1);
    // what it says to measure is right in the true world
    const [, p, q, reads] = /Measure m(\d+)–m(\d+): ([\d.]+) m if length/.exec(a.undecided!.decide)!;
    expect(Number(reads) / far(w, Number(p), Number(q))).toBeCloseTo(1, 1);
  });

  test('a level mark on a step, and a surveyed place that was mixed up, are left out and said', () => {
    const w = anchoredWorld(11, { level: 6, lengths: 2, heights: 0, surveyed: 5 }, 0);
    w.facts.points[2].x += 0.4;
    // another mark lies on a step of 30 cm: it is a point of its own, said to be level
    w.facts.level.push('m11');
    const a = anchored(w);
    expect([...new Set(a.residuals.filter((r) => r.leftOut).map((r) => `${r.kind} ${r.about.replace(/ [xyz]$/, '')}`))].sort()).toEqual(['level m11', `surveyed ${w.facts.points[2].track}`]);
    expect(
      wordsOf(a.warnings)
        .filter((q) => /left out/.test(q))
        .map((q) => q.split(':')[0].replace(/, [xyz]$/, ''))
        .sort(),
    ).toEqual(['Level mark m11', `Surveyed place ${w.facts.points[2].track}`]);
  });

  test('one or two surveyed places go with lengths and levels: no origin of ours contradicts them', () => {
    for (const surveyed of [1, 2]) {
      const w = anchoredWorld(21, { level: 4, lengths: 2, heights: 0, surveyed }, 0);
      const a = anchored(w);
      expect(a.residuals.every((r) => !r.leftOut)).toBe(true);
      const [p] = w.facts.points;
      const at = applySimilarity(a.similarity, w.input.points[Number(p.track.slice(1))] as Vec3);
      expect(Math.hypot(at[0] - p.x, at[1] - p.y, at[2] - p.z)).toBeLessThan(0.02);
    }
  });

  test('a height at the end of a take whose end was not placed is not taken for that of the last frame that was', () => {
    const w = anchoredWorld(5, { level: 6, lengths: 1, heights: 0, surveyed: 0 }, 0);
    const facts = { ...w.facts, cameraHeights: [{ frame: 'last' as const, m: 2.4, sigmaM: 0.005 }] };
    const cut = anchorSolve({ ...(w.input as AnchorInput), lastFrame: 40 }, facts);
    expect(wordsOf(cut.warnings).join(' ')).toMatch(/Camera height: the last frame was not placed, so it was left out/);
    expect(cut.residuals.some((r) => r.kind === 'cameraHeight')).toBe(false);
    expect(anchorSolve({ ...(w.input as AnchorInput), lastFrame: w.input.frames.at(-1)! }, facts).residuals.some((r) => r.kind === 'cameraHeight')).toBe(true);
  });

  test('over many sets of facts a wrong fact is kept while a right one goes in under 1 in 100, sigmas hold', () => {
    const t = anchoringTrials(draws(250, 90), anchored);
    expect(t.wrongKept).toBeLessThanOrEqual(2);
    expect(t.falseDoubts).toBeLessThanOrEqual(2);
    expect(t.rightLeftOut).toBeLessThanOrEqual(4);
    expect(calibration(t.zScale).z2).toBeGreaterThan(0.75);
    expect(calibration(t.zScale).z2).toBeLessThan(1.3);
  });
});
