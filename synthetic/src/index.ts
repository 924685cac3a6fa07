export { renderChequer, type ChequerScene, type RenderedPlate } from './render-chequer';
export { simulateShot, type ShotScene, type SimulatedShot } from './simulate-shot';
export { anamorphicLens, bend, brownConrady, divisionLens, fisheyeLens, invertBrownConrady, unbend, type Lens } from './lens';
export { normals, uniform } from './noise';
export { anchoredWorld, type AnchoredWorld, type WrongFact } from './anchored-world';
export { anchoringTrials, calibration, type AnchoringAnswer, type Trials } from './anchoring-trials';
export { driftingTracks, driftTrial } from './drifting-tracks';
export { roomShot, tracksText } from './room-shot';
export { renderStill, roomPanels, sharedShare, type Panel, type StillCamera, type StillLooks } from './render-room';
