import { reconcile, type ReconcileReport } from '../reconcile';
import type { SolveSetup } from '../solve/setup';
import type { NetFact } from '../facts';
import { lineUpByLengths } from './line-up-lengths';
import { lineUpPicture } from './line-up-picture';
import type { LineUp, LineUpMark, LineUpOptions, LineUpPoint } from './line-up-result';

/** What is asked of one picture: marks set in it, what is known of them, and what was recorded of the camera while it was shot. */
export interface LineUpQuestion extends LineUpOptions {
  marks: LineUpMark[];
  /** the surveyed places of the same names; or */
  points?: LineUpPoint[];
  /** what was measured between the marks */
  facts?: NetFact[];
  /** its anchors' camera heights, distances and angles are judged; none of them takes part in the line-up */
  setup: SolveSetup;
}
export interface CheckedLineUp {
  lineUp: LineUp;
  /** recorded against lined up; null where the picture could not be lined up */
  report: ReconcileReport | null;
}

/**
 * One picture lined up with its surveyed points, and what was recorded of its camera judged by it. No reading of the camera took part, so each is
 * judged by something that does not know it.
 * Distances  are judged with the sigma along the lens axis, the worst of all.
 * @throws CoreError for bad input
 */
export function checkLineUp({ marks, points, facts, setup, ...options }: LineUpQuestion): CheckedLineUp {
  const lineUp = points ? lineUpPicture(marks, points, setup, options) : lineUpByLengths(marks, facts ?? [], setup, options);
  if (lineUp.status === 'failed') return { lineUp, report: null };
  const anchors = judgedIn(lineUp, setup.anchors ?? {});
  const [x, y, z] = lineUp.sigmaPositionM!;
  const { angles } = lineUp;
  // one picture is one frame, the one that its readings name
  const frame = [...(anchors.cameraHeights ?? []), ...(anchors.distances ?? []), ...(anchors.cameraAngles ?? [])].map((r) => r.frame).find((f) => f !== 'last') ?? 0;
  const report = reconcile(
    { ...setup, anchors },
    {
      status: 'solved',
      called: 'picture',
      focalMm: lineUp.focalMm,
      sigmaFocalMm: lineUp.sigmaFocalMm,
      focalMode: setup.focal.mode ?? 'held',
      frames: [
        {
          frame,
          position: lineUp.position!,
          rotation: lineUp.rotation!,
          focalMm: lineUp.focalMm!,
          rmsPx: lineUp.rmsPx!,
          tracks: lineUp.marks.length,
          // of lengths the marks carry it, each its own
          sigmaPositionM: lineUp.frame === 'places' ? lineUp.sigmaAlongAxisM : 0,
          covarianceM2: [x * x, 0, 0, y * y, 0, z * z],
        },
      ],
      points: lineUp.places.map((p) => ({ track: p.id, position: p.position, sigmaM: p.sigmaM ?? 0, rmsPx: 0, observations: 1 })),
      angles: (anchors.cameraAngles ?? []).map(({ of }) => (of === 'tilt' ? { rad: angles!.tiltRad, sigmaRad: angles!.sigmaTiltRad } : { rad: angles!.rollRad, sigmaRad: angles!.sigmaRollRad })),
    },
  );
  return { lineUp, report };
}

/** The readings that this answer can judge: without a floor no height, without a level no angle. */
function judgedIn({ frame, angles }: LineUp, { lengths: _taped, ...anchors }: NonNullable<SolveSetup['anchors']>): NonNullable<SolveSetup['anchors']> {
  const heights = frame === 'places' || frame === 'floor';
  return { ...anchors, cameraHeights: heights ? anchors.cameraHeights : [], cameraAngles: angles ? anchors.cameraAngles : [] };
}
