import { anchoredWorld, type AnchoredWorld } from './anchored-world';
import { uniform } from './noise';

/** What an anchoring says of one world, as far as trials judge it. */
export interface AnchoringAnswer {
  similarity: { scale: number };
  scaled: boolean;
  sigmaScale: number | null;
  undecided: unknown;
  residuals: readonly { kind: string; index?: number; about: string; leftOut: boolean }[];
  /** height of a camera over the ground and its sigma, metres */
  heightOf(camera: number): { valueM: number; sigmaM: number } | null;
}
export interface Trials {
  count: number;
  /** a wrong fact was kept while a right one was left out, and nothing was said of doubt */
  wrongKept: number;
  undecided: number;
  /** undecided although nothing was wrong */
  falseDoubts: number;
  /** a right fact was left out, all wrong ones too */
  rightLeftOut: number;
  /** errors over their sigmas where the facts that hold were found */
  zScale: number[];
  zHeight: number[];
}

/** Draws sets of one to twelve facts with none, one or two of them wrong, and counts what an anchoring makes of them. */
export function anchoringTrials(count: number, anchor: (world: AnchoredWorld) => AnchoringAnswer): Trials {
  const trials: Trials = { count, wrongKept: 0, undecided: 0, falseDoubts: 0, rightLeftOut: 0, zScale: [], zHeight: [] };
  for (let seed = 1, done = 0; done < count; seed += 1) {
    const u = uniform(seed);
    const any = (list: readonly number[]) => list[Math.floor(u() * list.length)];
    const counts = { level: any([0, 3, 4, 6]), lengths: any([0, 1, 2, 3, 4, 5]), heights: any([0, 1, 2]), surveyed: any([0, 0, 0, 2, 4, 5]) };
    const facts = counts.level + counts.lengths + counts.heights + counts.surveyed;
    const wrong = seed % 3;
    if (facts < Math.max(1, wrong) || facts > 12) continue;
    done += 1;
    const world = anchoredWorld(seed, counts, wrong);
    const answer = anchor(world);
    const isWrong = (r: AnchoringAnswer['residuals'][number]) => world.wrong.some((w) => w.kind === r.kind && (w.kind === 'level' ? world.facts.level[w.index] === r.about : w.index === r.index));
    if (answer.undecided) {
      trials.undecided += 1;
      if (wrong === 0) trials.falseDoubts += 1;
      continue;
    }
    const wrongKept = answer.residuals.some((r) => isWrong(r) && !r.leftOut);
    const rightOut = answer.residuals.some((r) => !isWrong(r) && r.leftOut);
    if (wrongKept && rightOut) trials.wrongKept += 1;
    else if (rightOut) trials.rightLeftOut += 1;
    if (wrongKept || rightOut || !answer.scaled || !answer.sigmaScale) continue;
    trials.zScale.push((answer.similarity.scale - world.truth.scale) / answer.sigmaScale);
    const height = counts.level >= 3 ? answer.heightOf(3) : null;
    if (height) trials.zHeight.push((height.valueM - world.truth.centers[3][1]) / height.sigmaM);
  }
  return trials;
}

/** Mean of the squares, and the shares within one and two: 1, 0.68 and 0.95 of honest sigmas. */
export const calibration = (z: readonly number[]) => ({
  z2: z.reduce((s, v) => s + v * v, 0) / z.length,
  inOne: z.filter((v) => Math.abs(v) < 1).length / z.length,
  inTwo: z.filter((v) => Math.abs(v) < 2).length / z.length,
});
