import { reconcile, type KitAround, type ReconcileReport } from '../reconcile';
import type { SolveSetup } from '../solve';
import type { PlacedWalk } from './place-walk';

/** The lens of a walk as it was recorded, to be judged by what its pictures say of it. */
export interface RecordedWalkLens {
  /** which of the walk's lenses it is */
  lens: string;
  /** px of its pictures to a mm of the sensor */
  pxPerMm: number;
  /** focal length, sensor and adapter; nothing else is read */
  setup: SolveSetup;
}

/**
 * A walk's focal length against the record of its camera, with the causes that a solve of a shot has.
 * @returns null where the pictures do not tell it
 */
export function checkPlacedWalk(walk: PlacedWalk, recorded: RecordedWalkLens, around?: KitAround): ReconcileReport | null {
  const found = walk.lenses.find((l) => l.lens === recorded.lens);
  const [still] = found ? found.stills.flatMap((i) => walk.stills[i] ?? []) : [];
  if (!found?.told || found.sigmaPx === null || (!still && !walk.turnsOnly)) return null;
  const { image, sensor, squeeze, adapterFactor, focal } = recorded.setup;
  const focalMm = found.focalPx / recorded.pxPerMm;
  return reconcile(
    { image, sensor, squeeze, adapterFactor, focal: { mode: 'free', mm: focal.mm } },
    {
      status: 'solved',
      called: 'walk',
      focalMm,
      sigmaFocalMm: found.sigmaPx / recorded.pxPerMm,
      focalMode: 'free',
      frames: [{ frame: 0, position: still?.position ?? [0, 0, 0], rotation: still?.rotation ?? [0, 0, 0, 1], focalMm, rmsPx: 0, tracks: 0, sigmaPositionM: null }],
      points: [],
    },
    around,
  );
}
