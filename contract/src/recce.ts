import type { RecceInput, RecceSet } from '@mesure/core';
import { newPlan } from './planned-setup';
import { lengthSigma } from './recorded-setup';
import type { PlanBody, RecceBody, SetBody } from './records';

const DIAGONAL_36X24_MM = Math.hypot(36, 24);
/** A phone's main lens, where a file says nothing. */
const USUAL_FOCAL_35_MM = 26;
/** A focal length that a file states is rounded, and the lens bends a little. */
const STATED_SHARE = 0.03;
const UNKNOWN_SHARE = 0.25;

/** What core measures of a photo. */
export function recceInputOf(body: RecceBody): RecceInput {
  const { widthPx, heightPx } = body;
  return {
    widthPx,
    heightPx,
    focalPx: ((body.focal35Mm ?? USUAL_FOCAL_35_MM) / DIAGONAL_36X24_MM) * Math.hypot(widthPx, heightPx),
    sigmaFocalShare: body.focal35Mm === null ? UNKNOWN_SHARE : STATED_SHARE,
    lengths: body.lengths.map((l) => ({ kind: l.kind, a: l.a, b: l.b, m: l.length.valueM, sigmaM: lengthSigma(l.length) })),
  };
}

/** The set and the plan that a photo begins: what it shows, and the camera where the photo was taken. */
export function planFromRecce(found: RecceSet, set: SetBody, setupId: string, packageId: string, focalMm: number, before: PlanBody | null): { set: SetBody; plan: PlanBody } {
  const drawn: SetBody = { ...set, pieces: found.pieces, sheet: found.marks, marks: [...new Set([...set.marks, ...found.marks.map((m) => m.id)])] };
  const plan = before ?? newPlan(setupId, packageId, focalMm, drawn);
  const middle = found.marks.reduce((sum, m) => sum + Math.hypot(m.at[0], m.at[1] - found.station.heightM, m.at[2]), 0) / found.marks.length;
  // the move is kept, and carried to where the photo was taken
  const [first] = plan.move.stations;
  const centre = plan.move.stations.reduce((sum, s) => sum + s.xM - first.xM, 0) / plan.move.stations.length;
  const stations = plan.move.stations.map((s) => ({
    ...s,
    ...found.station,
    xM: s.xM - first.xM - centre,
    zM: s.zM - first.zM,
    heightM: found.station.heightM + s.heightM - first.heightM,
    focusM: Math.max(0.3, Math.round(100 * middle) / 100),
  }));
  return { set: drawn, plan: { ...plan, move: { ...plan.move, stations }, measures: { ...plan.measures, ties: [...found.ties] } } };
}
