import { watchMoments } from '../marks';
import type { SetupFacts, SetupStudy } from '../setup';
import { watchWitness } from '../witness';
import { SEVERITIES, type Caution, type SetupWatch } from './caution';
import { GEOMETRY_RULES } from './rules-geometry';
import { INPUT_RULES } from './rules-input';
import { KIT_RULES } from './rules-kit';
import { PICTURE_RULES } from './rules-picture';
import { WITNESS_RULES } from './rules-witness';

const RULES = [...INPUT_RULES, ...GEOMETRY_RULES, ...PICTURE_RULES, ...KIT_RULES, ...WITNESS_RULES];

export function watchSetup(study: SetupStudy, facts: SetupFacts): SetupWatch {
  return { moments: watchMoments(study), witnesses: facts.witnesses.map((w) => (w.camera ? watchWitness(study, w.camera) : null)) };
}

/** All cautions of a setup, worst first; within a severity, what cannot be comes before the rest. `watch`: when it is at hand already. */
export function findCautions(study: SetupStudy, facts: SetupFacts, watch: SetupWatch = watchSetup(study, facts)): Caution[] {
  const input = { study, watch: watch.moments, witnesses: watch.witnesses, facts };
  return RULES.flatMap((rule) => rule(input) ?? []).sort((a, b) => SEVERITIES.indexOf(a.severity) - SEVERITIES.indexOf(b.severity));
}
