import { coefficientsOf, COEFFICIENTS, describeLens, quatToMat, renormalise, shotCamera, type FrameLens, type SolvedFrame, isBoundToFocal } from '@mesure/core';
import { jsonText, tidy } from '../json';
import { inOwnSpace, rateOf, shotFacts, type Shot, type ShotFile } from './shot';

/** The schema's protocol block. */
export const PROTOCOL = { name: 'OpenTrackIO', version: [1, 0, 1] } as const;

const DEG = 180 / Math.PI;

/**
 * Pan, tilt and roll in degrees of the schema's axes (Z up, the camera looks along +Y): turned about Z, then about the camera's own X, then about
 * its own Y. Ours is Y up with the camera along −Z, so (x, y, z) becomes (x, −z, y) in the world and in the camera alike.
 */
export function panTiltRoll(rotation: SolvedFrame['rotation']): { pan: number; tilt: number; roll: number } {
  const r = quatToMat(rotation);
  // rows and columns of C R Cᵀ with C = [1 0 0; 0 0 −1; 0 1 0]
  const at = (row: number, col: number): number => {
    const index = [0, 2, 1],
      sign = [1, -1, 1];
    return sign[row] * sign[col] * r[3 * index[row] + index[col]];
  };
  // Rz(pan) Rx(tilt) Ry(roll): its second column is (−sin pan cos tilt, cos pan cos tilt, sin tilt)
  return { pan: DEG * Math.atan2(-at(0, 1), at(1, 1)), tilt: DEG * Math.asin(Math.max(-1, Math.min(1, at(2, 1)))), roll: DEG * Math.atan2(-at(2, 0), at(2, 2)) };
}

/**
 * The schema's distortion block. Its Brown–Conrady coefficients are over the focal length that stands beside them, so ours are brought to that
 * one; another model goes under a name that says whose it is, so that no reader takes it for radial.
 */
export function distortionBlock(lens: FrameLens, ratio: number, overscan: number): Record<string, unknown> {
  const { distortion } = lens;
  if (distortion.model !== 'radial') return { model: `mesure ${distortion.model}`, radial: [...coefficientsOf(distortion)], custom: [...COEFFICIENTS[distortion.model]], overscan };
  const d = renormalise(distortion, ratio) as typeof distortion;
  return { model: 'Brown-Conrady U-D', radial: trimmed(d.k), tangential: d.p.some((v) => v !== 0) ? [...d.p] : undefined, overscan };
}

/** Without the zeros at the end, one coefficient at least. */
function trimmed(k: readonly number[]): number[] {
  const out = [...k];
  while (out.length > 1 && out[out.length - 1] === 0) out.pop();
  return out;
}

/** A rate as the schema has it: 23.976 is 24000/1001. */
export function rational(value: number): { num: number; denom: number } {
  const whole = Math.round(value);
  if (Math.abs(value - whole) < 1e-6) return { num: whole, denom: 1 };
  const drop = Math.round((value * 1001) / 1000);
  if (Math.abs((drop * 1000) / 1001 - value) < 5e-4) return { num: drop * 1000, denom: 1001 };
  return { num: Math.round(value * 10_000), denom: 10_000 };
}

/**
 * A sample a line, a line a frame, after the SMPTE open tracking metadata schema: metres, Z up, the camera along +Y. What the schema has no place
 * for stands under `mesure`, the whole of it in the first line.
 */
export function writeTracking(shot: Shot): string {
  const { solve, setup } = shot;
  const fps = rateOf(shot);
  const camera = shotCamera(setup, solve);
  const { widthPx, heightPx } = camera.lens;
  const { widthMm, heightMm } = camera.sensor;
  const offset = { x: tidy(((camera.principalPx[0] - widthPx / 2) * widthMm) / widthPx), y: tidy(((camera.principalPx[1] - heightPx / 2) * heightMm) / heightPx) };
  const overscan = tidy(Math.max(camera.undistorted.widthPx / widthPx, camera.undistorted.heightPx / heightPx));
  const fixed = {
    camera: {
      label: shot.body,
      activeSensorPhysicalDimensions: { width: widthMm, height: heightMm },
      activeSensorResolution: { width: widthPx, height: heightPx },
      anamorphicSqueeze: { num: Math.round((setup.squeeze ?? 1) * 10_000), denom: 10_000 },
      captureFrameRate: rational(shot.shotAtFps ?? fps),
    },
    lens: { model: shot.lens, serialNumber: shot.lensSerial === '' ? undefined : shot.lensSerial, nominalFocalLength: shot.markedFocalMm ?? setup.focal.mm, undistortionOverscanMax: overscan },
  };
  const normaliserMm = camera.lens.fyPx / camera.pxPerMm[1];
  return solve.frames
    .map((f, i) => {
      // a fisheye's coefficients hold for the focal length that they were found with
      const bound = isBoundToFocal(camera.lens.distortion.model) ? normaliserMm : f.focalMm;
      const [x, y, z] = f.position;
      const sample = {
        protocol: PROTOCOL,
        ...(i === 0 ? { static: fixed } : {}),
        tracker: { slate: shot.name, recording: false, status: solve.status, notes: `frame ${f.frame}` },
        timing: { mode: 'internal', sampleRate: rational(fps), sequenceNumber: i },
        lens: {
          pinholeFocalLength: f.focalMm,
          focusDistance: shot.focusM ?? undefined,
          projectionOffset: offset,
          ...(camera.distorted ? { distortion: [distortionBlock(camera.lens, bound / normaliserMm, overscan)], distortionOffset: offset } : {}),
        },
        transforms: [{ id: 'camera', translation: { x, y: -z, z: y }, rotation: panTiltRoll(f.rotation) }],
        mesure: {
          frame: f.frame,
          sigmaPositionM: f.sigmaPositionM,
          ...(i === 0 ? { facts: shotFacts({ ...shot, space: { unit: 'm', up: 'Z' } }), lens: camera.distorted ? describeLens(camera.lens) : 'none' } : {}),
        },
      };
      return jsonText(sample, 0);
    })
    .join('');
}

export const trackingFile: ShotFile = {
  format: 'tracking-json',
  file: 'tracking.jsonl',
  what: 'camera and lens, a sample a frame',
  readWith: 'SMPTE open tracking metadata schema (JSON, a line a frame)',
  needsMetres: true,
  needsFps: true,
  ownSpace: 'metres with Z up, as the schema has it',
  write: (shot) => writeTracking(inOwnSpace(shot)),
};
