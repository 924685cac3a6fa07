export { bracketOf, exposureStops, type Bracket, type Exposure } from './exposures';
export { shadowOutline } from './shadow';
export { bracketCount, shadowLengthM, sunAt, sunTravelDeg, type SunPlace } from './sun';
