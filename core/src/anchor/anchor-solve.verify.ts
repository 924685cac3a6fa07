import { anchoringTrials, calibration } from '@mesure/synthetic';
import { applySimilarity, type Vec3 } from '../math';
import { anchorSolve, type AnchorInput } from './anchor-solve';

test('2,000 random sets of facts: wrong ones are not kept for right ones, and sigmas are honest', () => {
  const t = anchoringTrials(2000, (w) => {
    const a = anchorSolve(w.input as AnchorInput, w.facts);
    return {
      ...a,
      heightOf: (camera) => {
        const c = a.positionCovarianceM2({ kind: 'camera', index: camera });
        return c && { valueM: applySimilarity(a.similarity, w.input.centers[camera] as Vec3)[1], sigmaM: Math.sqrt(c[3]) };
      },
    };
  });
  const scale = calibration(t.zScale);
  const height = calibration(t.zHeight);
  process.stdout.write(`${JSON.stringify({ ...t, zScale: scale, zHeight: height })}\n`);
  expect(t.wrongKept / t.count).toBeLessThan(0.01);
  expect(t.falseDoubts / t.count).toBeLessThan(0.01);
  for (const c of [scale, height]) {
    expect(c.z2).toBeGreaterThan(0.9);
    expect(c.z2).toBeLessThan(1.1);
    expect(c.inOne).toBeGreaterThan(0.64);
    expect(c.inTwo).toBeGreaterThan(0.93);
  }
});
