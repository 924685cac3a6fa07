export { bracketCount, shadowLengthM, sunAt, sunTravelDeg, type SunPlace } from './sun';
