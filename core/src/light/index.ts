export { shadowOutline } from './shadow';
export { bracketCount, shadowLengthM, sunAt, sunTravelDeg, type SunPlace } from './sun';
