export { soundOffset, type SoundOffset } from './sound-offset';
export type { Sound } from './resample';
export { compareSync, timecodeEvidence, clapEvidence, soundEvidence, TRUSTED_CONFIDENCE, type ClipStart, type SyncEvidence, type SyncComparison } from './compare';
