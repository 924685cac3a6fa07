export { checkWalk, oneAfterTheOther, walkNeighbours, type StillRemark, type WalkCheck, type WalkGap, type WalkPicture } from './check-walk';
export { compareStills, type StillPair } from './compare-stills';
export { edgeSpreadByZone } from './edge-spread';
export { lookAtStill, type StillLook } from './look-at-still';
export { stationBetween, stationNames, STILLS_OVERLAP, stillsAlong, stillsRoom, stillsRound, timesSeen, type StillsWalk, type StillStation } from './plan-stills';
export { packFeatures, stillFeatures, unpackFeatures, type StillFeatures } from './still-features';
export { placeWalk, type PlacedStill, type PlacedWalk, type PlaceWalkOptions, type WalkLens, type WalkPlace, type WalkShot } from './place-walk';
export type { WalkTie } from './match-walk';
export { walkFeatures, type WalkFeatures } from './walk-features';
