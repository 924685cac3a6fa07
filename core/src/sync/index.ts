export { soundOffset, type SoundOffset } from './sound-offset';
export type { Sound } from './resample';
