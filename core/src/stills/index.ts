export { STILLS_OVERLAP, stillsAlong, stillsRoom, stillsRound, timesSeen, type StillsWalk, type StillStation } from './plan-stills';
