import { netOnPlan, type NetInput, type NetResult, type SolveSetup } from '@mesure/core';

/** Fewer give no place in space. */
const FEWEST = 3;
/** An adjusted point is not better than the mark that was taped. */
const MARK_SIGMA_M = 0.001;

/**
 * The setup of a test solve with the places of the tape net as its anchors, where enough of them are tracked and heights or measured places tie
 * the net to the floor; camera heights are then over the same floor. Ties between such points are left out: the places came from them, and a fact must
 * not count twice. Level marks, origin and heading that the net has given places are left out for the same reason.
 */
export function surveyedAnchors(setup: SolveSetup, net: { input: NetInput; result: NetResult } | null, tracked: ReadonlySet<string>): SolveSetup {
  // a net that may be its own mirror image holds no camera
  const usable =
    net?.result.mirror.status === 'settled' &&
    (net.result.status === 'solved' || net.result.status === 'partial') &&
    (net.input.facts.some((f) => f.kind === 'height') || (net.input.known ?? []).length > 0);
  if (!usable) return setup;
  const open = new Set(net.result.twins.flatMap((t) => t.ids));
  // in the plan's frame, where the set has one: what leaves then stands where the set was drawn
  const points = netOnPlan(net.result.points, net.input.near ?? new Map()).flatMap((p) => {
    const [x, y, z] = p.sigmaM;
    // of what may as well stand on the other side nobody knows the place
    if (!tracked.has(p.id) || y === null || open.has(p.id)) return [];
    return [{ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: Math.max(MARK_SIGMA_M, Math.sqrt((x * x + y * y + z * z) / 3)) }];
  });
  if (points.length < FEWEST || inLine(points)) return setup;
  const placed = new Set(net.result.points.map((p) => p.id).filter((id) => !open.has(id)));
  const { origin: _origin, heading: _heading, ...rest } = setup.anchors ?? {};
  return { ...setup, anchors: { ...rest, level: [], lengths: (rest.lengths ?? []).filter((l) => !(placed.has(l.a) && placed.has(l.b))), points } };
}

/** Points on one line leave the world turning about it. */
const LINE_SHARE = 0.02;
function inLine(points: readonly { x: number; y: number; z: number }[]): boolean {
  const [a] = points;
  const from = points.map((p) => [p.x - a.x, p.y - a.y, p.z - a.z] as const);
  const b = from.reduce((far, v) => (Math.hypot(...v) > Math.hypot(...far) ? v : far));
  const length = Math.hypot(...b);
  return length === 0 || from.every((v) => Math.hypot(v[1] * b[2] - v[2] * b[1], v[2] * b[0] - v[0] * b[2], v[0] * b[1] - v[1] * b[0]) / length < LINE_SHARE * length);
}
