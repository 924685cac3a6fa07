import { coefficientsOf, COEFFICIENTS, OWN_SPACE, shotCamera, spaceWords } from '@mesure/core';
import { csvText } from '../csv-cells';
import { tidy } from '../json';
import { focalPx, placesUnit, placing, sigmasOf, unitOf, type Shot, type ShotFile } from './shot';

const some = (v: number | null | undefined): number | '' => (v === null || v === undefined ? '' : v);

/**
 * Camera path of conventions.md: unit quaternion camera to world, full precision. What a reader needs to project with it stands in every row, so
 * that no row depends on another file: picture, sensor, focal length in pixels, principal point, and the distortion with what it is normalised by.
 */
export function writeCameraCsv(shot: Shot): string {
  const { solve, setup } = shot;
  const camera = shotCamera(setup, solve);
  const { distortion } = camera.lens;
  const into = placing(shot);
  const names = camera.distorted ? COEFFICIENTS[distortion.model] : [];
  const constants: [string, string | number][] = [
    ['cx_px', camera.principalPx[0]],
    ['cy_px', camera.principalPx[1]],
    ['width_px', setup.image.width],
    ['height_px', setup.image.height],
    ['sensor_width_mm', setup.sensor.widthMm],
    ['sensor_height_mm', setup.sensor.heightMm],
    ['fps', shot.fps ?? ''],
    ['clip_timecode_in', shot.timecodeIn ?? ''],
    ['unit', placesUnit(shot)],
    ['up', (shot.space ?? OWN_SPACE).up],
    ['distortion', camera.distorted ? distortion.model : 'none'],
    ...(camera.distorted
      ? ([
          ['normalised_fx_px', camera.lens.fxPx],
          ['normalised_fy_px', camera.lens.fyPx],
        ] as [string, number][])
      : []),
    ...names.map((n, i): [string, number] => [n, coefficientsOf(distortion)[i]]),
  ];
  const header = ['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'focal_mm', 'fx_px', 'fy_px', 'sigma_x', 'sigma_y', 'sigma_z', 'rms_px', ...constants.map(([name]) => name)];
  const rows = solve.frames.map((f) => [
    f.frame,
    ...into.place(f.position),
    ...into.rotation(f.rotation),
    f.focalMm,
    ...focalPx(camera, f.focalMm).map(tidy),
    ...into.spread(sigmasOf(f.covarianceM2, f.sigmaPositionM)).map((s) => (s === null ? '' : tidy(s))),
    tidy(f.rmsPx),
    ...constants.map(([, value]) => (typeof value === 'number' ? tidy(value) : value)),
  ]);
  return csvText([header, ...rows]);
}

/** The path alone, in the columns of conventions.md: of a result that does not tell with which setup it was made. */
export function writePathCsv(shot: Pick<Shot, 'solve' | 'space'>): string {
  const into = placing(shot);
  const { unit, up } = { unit: placesUnit(shot), up: (shot.space ?? OWN_SPACE).up };
  const own = (unit === 'm' || unit === 'of the solve') && up === 'Y';
  const rows = shot.solve.frames.map((f) => [f.frame, ...into.place(f.position), ...into.rotation(f.rotation), f.focalMm, ...(own ? [] : [unit, up])]);
  return csvText([['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'focal_mm', ...(own ? [] : ['unit', 'up'])], ...rows]);
}

/** An object's way before the still camera, in the set: unit quaternion object to world. The points of the solve are in the object's frame. */
export function writeObjectCsv(shot: Pick<Shot, 'solve' | 'space'>): string {
  const into = placing(shot);
  const { unit, up } = { unit: placesUnit(shot), up: (shot.space ?? OWN_SPACE).up };
  const rows = (shot.solve.object ?? []).map((o) => [o.frame, ...into.place(o.position), ...into.rotation(o.rotation), unit, up]);
  return csvText([['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'unit', 'up'], ...rows]);
}

/** Points of conventions.md with their covariances, which depth makes far longer than wide. */
export function writePointsCsv(shot: Pick<Shot, 'solve' | 'space'>): string {
  const into = placing(shot);
  const unit = placesUnit(shot);
  const { up } = shot.space ?? OWN_SPACE;
  const rows = shot.solve.points.map((p) => {
    const c = p.covarianceM2 ? into.covariance(p.covarianceM2) : null;
    const spread = into.spread(sigmasOf(p.covarianceM2, p.sigmaM)).map((s) => (s === null ? '' : tidy(s)));
    return [p.track, ...into.place(p.position), ...spread, ...[1, 2, 4].map((i) => (c ? tidy(c[i]) : '')), some(p.rmsPx), p.observations, unit, up];
  });
  return csvText([['id', 'x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z', 'cov_xy', 'cov_xz', 'cov_yz', 'rms_px', 'observations', 'unit', 'up'], ...rows]);
}

/** Points as PLY (ASCII); names go into comments, since the format knows numbers only. An unknown sigma is -1. */
export function writePointsPly(shot: Pick<Shot, 'solve' | 'name' | 'space'>): string {
  const { solve, name, space = OWN_SPACE } = shot;
  const into = placing(shot);
  const line = (text: string) => text.replace(/[\r\n]+/g, ' ');
  const head = [
    'ply',
    'format ascii 1.0',
    `comment points of ${line(name)}, right-handed, ${unitOf(solve) === 'm' ? spaceWords(space) : `unit of the solve, ${space.up} up`}`,
    ...solve.points.map((p, i) => `comment vertex ${i} ${line(p.track)}`),
    `element vertex ${solve.points.length}`,
    ...['x', 'y', 'z', 'sigma_x', 'sigma_y', 'sigma_z'].map((n) => `property double ${n}`),
    'end_header',
  ];
  const rows = solve.points.map((p) => [...into.place(p.position), ...into.spread(sigmasOf(p.covarianceM2, p.sigmaM)).map((s) => s ?? -1)].map(tidy).join(' '));
  return `${[...head, ...rows].join('\n')}\n`;
}

export const cameraCsvFile: ShotFile = { format: 'csv', file: 'camera.csv', what: 'camera move, full precision, with its lens in every row', readWith: 'CSV', write: writeCameraCsv };
export const pointsCsvFile: ShotFile = { format: 'points', file: 'points.csv', what: 'points with standard deviations and covariances', readWith: 'CSV', write: writePointsCsv };
export const pointsPlyFile: ShotFile = { format: 'ply', file: 'points.ply', what: 'points with standard deviations', readWith: 'PLY', write: writePointsPly };
export const objectCsvFile: ShotFile = {
  format: 'object-csv',
  file: 'object.csv',
  what: 'way of the object before the still camera, frame by frame',
  readWith: 'CSV',
  only: 'object',
  write: writeObjectCsv,
};
