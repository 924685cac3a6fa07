export { rigOffset, type RigOffset } from './rig-offset';
