import { watchMoments } from '../marks';
import type { SetupFacts, SetupStudy } from '../setup';
import { SEVERITIES, type Caution } from './caution';
import { GEOMETRY_RULES } from './rules-geometry';
import { INPUT_RULES } from './rules-input';
import { KIT_RULES } from './rules-kit';
import { PICTURE_RULES } from './rules-picture';

const RULES = [...INPUT_RULES, ...GEOMETRY_RULES, ...PICTURE_RULES, ...KIT_RULES];

/** All cautions of a setup, worst first; within a severity, what cannot be comes before the rest. */
export function findCautions(study: SetupStudy, facts: SetupFacts): Caution[] {
  const input = { study, watch: watchMoments(study), facts };
  return RULES.flatMap((rule) => rule(input) ?? []).sort((a, b) => SEVERITIES.indexOf(a.severity) - SEVERITIES.indexOf(b.severity));
}
