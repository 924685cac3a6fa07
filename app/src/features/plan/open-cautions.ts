import { followPlan, type Lookup, type PlanBody, type PlateBody, type RecceBody, type SetBody } from '@mesure/contract';
import { CoreError, findCautions, studySetup } from '@mesure/core';

/** Moments of a move that are looked at for a list; the plan itself looks closer. */
const MOMENTS = 20;
const known = new WeakMap<PlanBody, { set: SetBody; rests: string; open: string[] }>();

/** What a plan gravely warns of and nobody has taken note of, in words; found once for each state of plan, set and kit, since boards ask often. */
export function openCautions(plan: PlanBody, set: SetBody, plates: readonly PlateBody[], find: Lookup, photo: RecceBody | null): readonly string[] {
  const followed = followPlan(plan, set, plates, find, photo);
  if ('problem' in followed) return [];
  const { setup, facts } = followed;
  const rests = JSON.stringify([setup.optics, setup.lens, setup.readoutMs, setup.fps, facts]);
  const before = known.get(plan);
  if (before && before.set === set && before.rests === rests) return before.open;
  const open = compute();
  known.set(plan, { set, rests, open });
  return open;

  function compute(): string[] {
    try {
      return findCautions(studySetup(setup, MOMENTS), facts)
        .filter((c) => c.severity === 'grave' && !plan.answered.some((a) => a.rule === c.rule))
        .map((c) => c.found);
    } catch (error) {
      if (error instanceof CoreError) return [];
      throw error;
    }
  }
}
