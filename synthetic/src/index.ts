export { renderChequer, type ChequerScene, type RenderedPlate } from './render-chequer';
export { simulateShot, type ShotScene, type SimulatedShot } from './simulate-shot';
export { anamorphicLens, bend, brownConrady, divisionLens, fisheyeLens, invertBrownConrady, unbend, type Lens } from './lens';
export { normals, uniform } from './noise';
export { roomShot, tracksText } from './room-shot';
