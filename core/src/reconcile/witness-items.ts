import { quatToMat } from '../math';
import type { SolveSetup } from '../solve/setup';
import type { SolveResult } from '../solve/result';
import { item, type Cause, type ReconcileItem } from './item';

/** An angle that was read off a rig by eye, or by an inclinometer held to it. */
const READ_ANGLE_RAD = 0.02;
const DEG = 180 / Math.PI;

/** Where a witness sat on the main camera and how it was turned, against what was noted. */
export function witnessItems(setup: SolveSetup, { witness, anchoring }: Partial<Pick<SolveResult, 'witness' | 'anchoring'>>): ReconcileItem[] {
  const noted = setup.witness;
  if (!noted || !witness) return [];
  const scaled = anchoring?.scale != null;
  const [x, y, z] = witness.translation;
  const m = quatToMat(witness.rotation);
  // along −z of its own axes, in the main camera's
  const forward = [-m[2], -m[5], -m[8]];
  const offset = (about: string, recorded: number, solved: number): ReconcileItem =>
    item(
      'witnessOffset',
      `${noted.name}, ${about}`,
      'm',
      recorded,
      noted.sigmaM,
      scaled ? solved : null,
      scaled ? witness.sigmaM : null,
      () => swapped(recorded, solved, noted),
      'Nothing in this solve gives metres, so it cannot be checked. One length or height would do.',
    );
  const angle = (about: string, recordedRad: number, solvedRad: number): ReconcileItem =>
    item(
      'witnessAngle',
      `${noted.name}, ${about}`,
      '°',
      recordedRad * DEG,
      (noted.sigmaRad ?? READ_ANGLE_RAD) * DEG,
      solvedRad * DEG,
      witness.sigmaDeg,
      () =>
        Math.abs(recordedRad + solvedRad) < 3 * READ_ANGLE_RAD
          ? [cause('sign', 'The other way round: the sign is wrong', `${(-recordedRad * DEG).toFixed(1)}° for ${(recordedRad * DEG).toFixed(1)}°`)]
          : [],
      'This move does not show how the two are turned.',
    );
  return [
    offset('to the right', noted.rightM, x),
    offset('up', noted.upM, y),
    offset('forward', noted.forwardM, -z),
    angle('turned to the left', noted.turnRad, Math.atan2(-forward[0], -forward[2])),
    angle('tilted up', noted.tiltRad, Math.asin(Math.max(-1, Math.min(1, forward[1])))),
  ];
}

const cause = (name: string, title: string, evidence: string): Cause => ({ cause: name, title, evidence, likelihood: 0.8 });

/** A side taken for the other, or two of the three distances changed about. */
function swapped(recorded: number, solved: number, noted: NonNullable<SolveSetup['witness']>): Cause[] {
  const near = (v: number): boolean => Math.abs(v - solved) < 3 * noted.sigmaM + 0.005;
  if (near(-recorded)) return [cause('sign', 'The other side: the sign is wrong', `${(-recorded).toFixed(3)} m for ${recorded.toFixed(3)} m`)];
  const others = [noted.rightM, noted.upM, noted.forwardM].filter((v) => v !== recorded && Math.abs(v) > 0.02);
  const other = others.find((v) => near(v) || near(-v));
  return other === undefined ? [] : [cause('places-changed', 'Two of its three distances are in each other’s places', `${other.toFixed(3)} m stands for another direction`)];
}
