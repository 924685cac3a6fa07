export { renderChequer, type ChequerScene, type RenderedPlate } from './render-chequer';
export { simulateShot, type ShotScene, type SimulatedShot } from './simulate-shot';
export { brownConrady, invertBrownConrady, type Lens } from './lens';
export { normals, uniform } from './noise';
