export { guidelines, type Guideline } from './guidelines';
export { SEVERITIES, type Caution, type Remedy, type SetupWatch, type Severity } from './caution';
export { findCautions, watchSetup } from './find-cautions';
export { movingShare, rayAngleDeg } from './rules-geometry';
export { softShare, worstRun } from './rules-picture';
