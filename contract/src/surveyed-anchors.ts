import { inLine, netOnPlan, type NetInput, type NetResult, type SolveSetup } from '@mesure/core';

/** Fewer give no place in space. */
const FEWEST = 3;
/** An adjusted point is not better than the mark that was taped. */
const MARK_SIGMA_M = 0.001;

/**
 * The setup of a test solve with the places of the tape net as its anchors, where enough of them are tracked and heights or measured places tie
 * the net to the floor; camera heights are then over the same floor. Ties between such points are left out: the places came from them, and a fact must
 * not count twice. Level marks, origin and heading that the net has given places are left out for the same reason.
 */
export function surveyedAnchors(setup: SolveSetup, net: SolvedNet | null, tracked: ReadonlySet<string>): SolveSetup {
  const points = surveyedPlaces(net)
    .filter((p) => tracked.has(p.id))
    .map(({ id, at: [x, y, z], sigmaM }) => ({ track: id, x, y, z, sigmaM }));
  if (points.length < FEWEST || inLine(points.map(({ x, y, z }) => [x, y, z] as const))) return setup;
  const open = openTwins(net!.result);
  const placed = new Set(net!.result.points.map((p) => p.id).filter((id) => !open.has(id)));
  const { origin: _origin, heading: _heading, ...rest } = setup.anchors ?? {};
  return { ...setup, anchors: { ...rest, level: [], lengths: (rest.lengths ?? []).filter((l) => !(placed.has(l.a) && placed.has(l.b))), points } };
}

export interface SolvedNet {
  input: NetInput;
  result: NetResult;
}
export interface SurveyedPlace {
  id: string;
  at: readonly [number, number, number];
  /** of one axis, m */
  sigmaM: number;
}

/** The places of a set's net in the plan's frame, over its floor; none where the net cannot hold a camera (`whyNoPlaces` says why). */
export function surveyedPlaces(net: SolvedNet | null): SurveyedPlace[] {
  if (!net || whyNoPlaces(net) !== null) return [];
  const open = openTwins(net.result);
  // in the plan's frame, where the set has one: what leaves then stands where the set was drawn
  return netOnPlan(net.result.points, net.input.near ?? new Map()).flatMap((p) => {
    const [x, y, z] = p.sigmaM;
    // of what may as well stand on the other side nobody knows the place
    return y === null || open.has(p.id) ? [] : [{ id: p.id, at: p.at, sigmaM: Math.max(MARK_SIGMA_M, Math.sqrt((x * x + y * y + z * z) / 3)) }];
  });
}

const openTwins = (result: NetResult): Set<string> => new Set(result.twins.flatMap((t) => t.ids));

/** Why a net holds no camera, and what would mend it; null when it does. */
export function whyNoPlaces({ input, result }: SolvedNet): string | null {
  if (result.status === 'none' || result.status === 'contradictory') return 'The tape net gives no places yet. Open it: it says which measure is missing.';
  if (!input.facts.some((f) => f.kind === 'height') && (input.known ?? []).length === 0) return 'Nothing ties the tape net to the floor. Measure the height of one mark over it.';
  // a net that may be its own mirror image holds no camera
  if (result.mirror.status !== 'settled') return 'The tape net may be its own mirror image. Say in it which mark stands on which side.';
  return null;
}
