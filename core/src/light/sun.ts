import { CoreError } from '../errors';
import { degToRad, radToDeg } from '../units';

export interface SunPlace {
  /** from north, clockwise, 0…360 */
  azimuthDeg: number;
  /** over the horizon, refraction of the air included; negative below it */
  elevationDeg: number;
}

const mod360 = (v: number): number => ((v % 360) + 360) % 360;

/**
 * Where the sun stands.
 * Model    low-precision solar coordinates (mean longitude, equation of centre, obliquity with nutation), then hour angle and horizon.
 *          Refraction after Saemundsson, mean air. Good to 0.02° between 1900 and 2100.
 * Source   Meeus, Astronomical Algorithms (2nd ed. 1998), ch. 25 (low accuracy), ch. 12 (sidereal time), ch. 16 (refraction).
 * @param latitudeDeg north positive; @param longitudeDeg east positive; @param timeMs since 1970 UTC
 * @throws CoreError INVALID_OPTION | NON_FINITE_INPUT
 */
export function sunAt(latitudeDeg: number, longitudeDeg: number, timeMs: number): SunPlace {
  if (![latitudeDeg, longitudeDeg, timeMs].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', 'Place and time must be numbers', 'latitudeDeg');
  if (Math.abs(latitudeDeg) > 90) throw new CoreError('INVALID_OPTION', `The latitude is ${latitudeDeg}; it must lie between −90 and 90`, 'latitudeDeg');
  if (Math.abs(longitudeDeg) > 180) throw new CoreError('INVALID_OPTION', `The longitude is ${longitudeDeg}; it must lie between −180 and 180`, 'longitudeDeg');
  const days = timeMs / 86_400_000 - 10_957.5; // since noon of 1 January 2000
  const t = (days + 69 / 86_400) / 36_525; // dynamical time runs a little over a minute ahead
  const meanLongitude = 280.46646 + 36_000.76983 * t + 0.0003032 * t * t;
  const anomaly = degToRad(357.52911 + 35_999.05029 * t - 0.0001537 * t * t);
  const centre = (1.914602 - 0.004817 * t) * Math.sin(anomaly) + (0.019993 - 0.000101 * t) * Math.sin(2 * anomaly) + 0.000289 * Math.sin(3 * anomaly);
  const node = degToRad(125.04 - 1934.136 * t);
  const longitude = degToRad(meanLongitude + centre - 0.00569 - 0.00478 * Math.sin(node));
  const obliquity = degToRad(23.439291 - 0.0130042 * t + 0.00256 * Math.cos(node));
  const rightAscension = Math.atan2(Math.cos(obliquity) * Math.sin(longitude), Math.cos(longitude));
  const declination = Math.asin(Math.sin(obliquity) * Math.sin(longitude));
  const sidereal = 280.46061837 + 360.98564736629 * days;
  const hour = degToRad(mod360(sidereal + longitudeDeg)) - rightAscension;
  const latitude = degToRad(latitudeDeg);
  const height = Math.asin(Math.sin(latitude) * Math.sin(declination) + Math.cos(latitude) * Math.cos(declination) * Math.cos(hour));
  const azimuth = Math.atan2(Math.sin(hour), Math.cos(hour) * Math.sin(latitude) - Math.tan(declination) * Math.cos(latitude));
  const trueDeg = radToDeg(height);
  // below −2° the formula leaves its domain, and nobody sees the sun
  const refraction = trueDeg > -2 ? 1.02 / 60 / Math.tan(degToRad(trueDeg + 10.3 / (trueDeg + 5.11))) : 0;
  return { azimuthDeg: mod360(radToDeg(azimuth) + 180), elevationDeg: trueDeg + refraction };
}

/** Angle between two directions of the sun, degrees. */
export function sunTravelDeg(a: SunPlace, b: SunPlace): number {
  const [ea, eb] = [degToRad(a.elevationDeg), degToRad(b.elevationDeg)];
  const cos = Math.sin(ea) * Math.sin(eb) + Math.cos(ea) * Math.cos(eb) * Math.cos(degToRad(a.azimuthDeg - b.azimuthDeg));
  return radToDeg(Math.acos(Math.min(1, Math.max(-1, cos))));
}

/** Length of the shadow of an upright thing on level ground, m; Infinity at the horizon, null when the sun is below it. */
export function shadowLengthM(heightM: number, sun: SunPlace): number | null {
  if (sun.elevationDeg < 0) return null;
  return sun.elevationDeg === 0 ? Infinity : heightM / Math.tan(degToRad(sun.elevationDeg));
}

/**
 * How many exposures a panorama needs: so many steps apart that the sensor's range, moved along, covers the contrast of the place.
 * An odd number, so that one lies in the middle.
 * @throws CoreError INVALID_OPTION
 */
export function bracketCount(contrastStops: number, sensorStops: number, stepStops: number): number {
  if (!(contrastStops > 0 && sensorStops > 0 && stepStops > 0)) throw new CoreError('INVALID_OPTION', 'Contrast, range of the sensor and step must be above 0', 'contrastStops');
  const needed = Math.max(1, Math.ceil((contrastStops - sensorStops) / stepStops) + 1);
  return needed % 2 === 1 ? needed : needed + 1;
}
