import { followPlan, type MountedPackage, type PlanBody, type SetBody, type StoredRecord } from '@mesure/contract';
import { CoreError, findCautions, studySetup, watchSetup, type Caution, type Forecast, type PlannedSetup, type SetupFacts, type SetupStudy, type SetupWatch } from '@mesure/core';
import { useMemo, useState } from 'react';
import { onto, useAll, useFind, useRecordsState } from '../../data';
import { inWorker, useAnswer } from '../../workers';

/** While something is dragged the move is followed in fewer moments, so that the numbers keep up with the finger. */
const DRAG_MOMENTS = 20;
const FORECAST_PAUSE_MS = 150;

/** The plan of a setup as it was kept, changed here by drags and typing, and kept again when a finger or a field lets go. */
export function usePlanDraft(plan: StoredRecord<'plan'>, set: StoredRecord<'set'>) {
  const write = useRecordsState((s) => s.write);
  const [draft, setDraft] = useState<Draft>({ live: false });
  /** each of the two with what stood there when its own change began */
  const changed = (d: Draft, change: Change): Draft => ({
    ...d,
    ...change,
    ...(change.plan && !d.plan ? { planBase: plan.body } : {}),
    ...(change.set && !d.set ? { setBase: set.body } : {}),
  });
  return {
    setId: set.id,
    planBody: draft.plan ?? plan.body,
    setBody: draft.set ?? set.body,
    /** something is under the finger or being typed, and not kept yet */
    dragging: draft.live,
    /** shows a change without keeping it */
    show: (change: Change) => setDraft((d) => ({ ...changed(d, change), live: true })),
    /** keeps what is shown, or the given change of it */
    keep: (label: string, change: Change = {}) => {
      const all: Draft = { ...changed(draft, change), live: false };
      // shown until it is kept: else the thing would jump back for a moment
      setDraft(all);
      // on what is there at its turn: what somebody else changed since the drag began stays
      const writes = [all.plan ? write('plan', plan.id, onto('plan', all.planBase!, all.plan), label) : null, all.set ? write('set', set.id, onto('set', all.setBase!, all.set), label) : null];
      void Promise.all(writes).then(() => setDraft((d) => (d === all ? { live: false } : d)));
    },
  };
}
interface Change {
  plan?: PlanBody;
  set?: SetBody;
}
interface Draft extends Change {
  live: boolean;
  /** on what the change was begun: what came in from others meanwhile is not undone by it */
  planBase?: PlanBody;
  setBase?: SetBody;
}
export type PlanDraft = ReturnType<typeof usePlanDraft>;

export interface PlanNumbers {
  mounted: MountedPackage;
  planned: PlannedSetup;
  facts: SetupFacts;
  study: SetupStudy;
  watch: SetupWatch;
  cautions: Caution[];
}

/** What each drawing of a plan is given. */
export interface PlanViewProps {
  numbers: PlanNumbers;
  draft: PlanDraft;
  /** moment of the move, 0…1 */
  share: number;
  chosen: string | null;
  onChoose: (id: string) => void;
  mayWrite: boolean;
}

/** Everything that follows from a plan at once; a sentence instead where its entries cannot be followed. */
export function usePlanNumbers(planBody: PlanBody, setBody: SetBody, dragging: boolean): PlanNumbers | { problem: string } {
  const find = useFind();
  const plates = useAll('plate');
  const photo = useRecceOf(planBody.setupId)?.body ?? null;
  const followed = followPlan(
    planBody,
    setBody,
    plates.map((p) => p.body),
    find,
    photo,
  );
  const key = JSON.stringify([followed, dragging]);
  return useMemo(() => {
    if ('problem' in followed) return followed;
    try {
      const study = studySetup(followed.setup, dragging ? DRAG_MOMENTS : undefined);
      const watch = watchSetup(study, followed.facts);
      return { mounted: followed.mounted, planned: followed.setup, facts: followed.facts, study, watch, cautions: findCautions(study, followed.facts, watch) };
    } catch (error) {
      if (error instanceof CoreError) return { problem: `${error.message}. What you entered is kept.` };
      throw error;
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all that it rests on: kit and plates of others come in while it is open
  }, [key]);
}

export type ForecastState =
  /** `old`: of the setup as it was, while that of the setup as it is is being computed */
  { status: 'pending' } | { status: 'done'; forecast: Forecast; old: boolean } | { status: 'failed'; message: string };

/** The forecast of the setup, computed off the page's thread a moment after the last change; what was there stays until then, and is called old. */
export function useForecast(planned: PlannedSetup | null, dragging: boolean): ForecastState {
  const answer = useAnswer(planned && !dragging ? JSON.stringify(planned) : null, () => inWorker({ kind: 'forecast', setup: planned! }), FORECAST_PAUSE_MS);
  if (answer.failed !== null) return { status: 'failed', message: answer.failed };
  return answer.last ? { status: 'done', forecast: answer.last, old: answer.now === null } : { status: 'pending' };
}

/** The plan of a setup: the first one, when two devices without a network each began one. */
export function usePlanOf(setupId: string): StoredRecord<'plan'> | null {
  return (
    useAll('plan')
      .filter((p) => p.body.setupId === setupId)
      .sort((a, b) => (a.id < b.id ? -1 : 1))[0] ?? null
  );
}

/** The photo of a setup's set: the newest one. */
export function useRecceOf(setupId: string): StoredRecord<'recce'> | null {
  return (
    useAll('recce')
      .filter((r) => r.body.setupId === setupId)
      .sort((a, b) => (a.body.shotAt === b.body.shotAt ? (a.id < b.id ? -1 : 1) : a.body.shotAt > b.body.shotAt ? -1 : 1))[0] ?? null
  );
}

/** Cautions that nobody has taken note of. */
export const openCautions = (cautions: readonly Caution[], plan: PlanBody): Caution[] => cautions.filter((c) => !plan.answered.some((a) => a.rule === c.rule));
