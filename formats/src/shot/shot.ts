import {
  describeLens,
  intoSpace,
  OWN_SPACE,
  PICTURE_ORIGIN,
  shotCamera,
  spaceWords,
  type IntoSpace,
  type LensDescription,
  type ShotCamera,
  type SolvedFrame,
  type SolveResult,
  type SolveSetup,
  type Space,
} from '@mesure/core';

/** One solved take, with what a receiver must know beside the solve. */
export interface Shot {
  name: string;
  solve: SolveResult;
  setup: SolveSetup;
  /** at which the frames play, and by which times in seconds are counted; null where nobody said */
  fps: number | null;
  /** nobody said that rate */
  fpsAssumed?: boolean;
  /** of the camera, where it is known to be another */
  shotAtFps?: number | null;
  clip?: string | null;
  /** of the clip's first frame, as recorded; which number that frame has is not known here */
  timecodeIn?: string | null;
  body?: string;
  lens?: string;
  lensSerial?: string;
  markedFocalMm?: number;
  focusM?: number | null;
  /** in what places are counted, of the formats that leave it open; missing: metres, Y up */
  space?: Space;
  /** added to the numbers that frames have in the tracks; missing: nothing */
  addFrames?: number;
}

/** A file that carries a solved take: one of these and a line in the table makes another format. */
export interface ShotFile {
  /** as the command line calls it */
  format: string;
  /** `camera.glb`; what is not whole or not in metres has it said in its name */
  file: string;
  what: string;
  readWith: string;
  /** no such file without a scale: the format knows metres only */
  needsMetres?: boolean;
  /** no such file without a frame rate: the format counts in seconds */
  needsFps?: boolean;
  /** it is written of such a solve only */
  only?: 'object';
  /** the standard leaves unit and axes not open: which it has */
  ownSpace?: string;
  write(shot: Shot): Promise<Uint8Array | string> | Uint8Array | string;
}

/** Lengths are metres, or of a size that nothing tells. */
export const unitOf = (solve: SolveResult): 'm' | 'of the solve' => (solve.anchoring.scale === null ? 'of the solve' : 'm');

/** The unit that places are written in, of a format that leaves it open. */
export const placesUnit = ({ solve, space = OWN_SPACE }: Pick<Shot, 'solve' | 'space'>): Space['unit'] | 'of the solve' => (unitOf(solve) === 'm' ? space.unit : 'of the solve');
/** How places are brought there; what has no scale keeps its own unit and only turns. */
export const placing = ({ solve, space = OWN_SPACE }: Pick<Shot, 'solve' | 'space'>): IntoSpace => intoSpace(space, unitOf(solve) === 'm');

/** The take as a format of its own standard holds it: metres, and the axes that the standard names. */
export const inOwnSpace = (shot: Shot): Shot => ({ ...shot, space: OWN_SPACE });

/** Frames under the numbers that the receiver counts with. */
export function renumbered<S extends Pick<Shot, 'solve' | 'addFrames'>>(shot: S): S {
  const { addFrames = 0, solve } = shot;
  if (addFrames === 0) return shot;
  const moved = <F extends { frame: number }>(list: readonly F[]): F[] => list.map((f) => ({ ...f, frame: f.frame + addFrames }));
  const frames = moved(solve.frames);
  return {
    ...shot,
    solve: { ...solve, frames, ...(solve.witness ? { witness: { ...solve.witness, frames: moved(solve.witness.frames) } } : {}), ...(solve.object ? { object: moved(solve.object) } : {}) },
  };
}

/** What a solve's files say in their name: `camera.partial.unscaled.glb`; `camera.object.glb` moves in the frame of the object. */
export function fileName({ file, only }: Pick<ShotFile, 'file' | 'only'>, solve: SolveResult): string {
  const marks = `${solve.motion === 'object' && !only ? '.object' : ''}${solve.status === 'partial' ? '.partial' : ''}${unitOf(solve) === 'm' ? '' : '.unscaled'}`;
  return file.replace(/(\.[^.]+)$/, `${marks}$1`);
}

/** @throws Error where a format that counts in seconds is asked for without a rate */
export function rateOf(shot: Shot): number {
  if (shot.fps === null) throw new Error(`${shot.name} has no frame rate`);
  return shot.fps;
}

export const focalPx = (camera: ShotCamera, mm: number): [number, number] => [mm * camera.pxPerMm[0], mm * camera.pxPerMm[1]];

/** xx, xy, xz, yy, yz, zz; null where nothing is known of it. */
export const sigmasOf = (c: SolvedFrame['covarianceM2'], mean: number | null | undefined): [number | null, number | null, number | null] => {
  const root = (v: number) => Math.sqrt(Math.max(0, v));
  return c ? [root(c[0]), root(c[3]), root(c[5])] : [mean ?? null, mean ?? null, mean ?? null];
};

export interface ShotFacts {
  take: string;
  motion: 'free' | 'pan' | 'object';
  status: SolveResult['status'];
  /** of the places in this file */
  unit: Space['unit'] | 'of the solve';
  up: Space['up'];
  world: string;
  camera: string;
  frames: { first: number; last: number; count: number; fps: number | null; fpsAssumed: boolean; shotAtFps: number | null; numbering: string };
  /** null: nobody took a skew of the rows out */
  readout: { ms: number; what: string } | null;
  clip: { name: string | null; timecodeOfFirstFrame: string | null };
  picture: { widthPx: number; heightPx: number; origin: string };
  sensor: { widthMm: number; heightMm: number; squeeze: number; what: string };
  kit: { body: string | null; lens: string | null; lensSerial: string | null; adapterFactor: number; markedFocalMm: number | null; focusM: number | null };
  focalLength: { mm: number | null; sigmaMm: number | null; px: [number, number] | null; what: string; byFrame?: { frame: number; mm: number; sigmaMm: number | null }[] };
  principalPointPx: [number, number];
  distortion: LensDescription | 'none';
  undistorted: { widthPx: number; heightPx: number; recordedCornerPx: [number, number]; principalPointPx: [number, number]; whole: boolean };
}

/** What holds for the whole take, in words and numbers; the same block in every file that can hold one. Frames are those of the shot that is given. */
export function shotFacts(shot: Shot): ShotFacts {
  const { solve, setup, space = OWN_SPACE, addFrames = 0 } = shot;
  const camera = shotCamera(setup, solve);
  const frames = solve.frames.map((f) => f.frame);
  const zooms = solve.focalMode === 'zoom';
  return {
    take: shot.name,
    motion: solve.motion ?? 'free',
    status: solve.status,
    unit: placesUnit(shot),
    up: space.up,
    world: `right-handed, ${space.up} up, ${solve.motion === 'object' ? 'in the frame of the object, which moved before a still camera; ' : ''}${solve.motion === 'pan' ? 'without places: the camera turns at the origin, and tracks have directions and no depth' : unitOf(solve) === 'm' ? spaceWords(space).split(',')[0] : 'in a unit of its own: nothing that was measured gave this solve a scale'}`,
    camera: 'looks along its -Z, +Y up, +X right; rotation is a unit quaternion x y z w, camera to world',
    frames: {
      first: Math.min(...frames),
      last: Math.max(...frames),
      count: frames.length,
      fps: shot.fps,
      fpsAssumed: shot.fpsAssumed ?? false,
      shotAtFps: shot.shotAtFps ?? null,
      numbering: `${addFrames === 0 ? 'as in the tracks' : `those of the tracks ${addFrames > 0 ? 'and' : 'less'} ${Math.abs(addFrames)}: frame ${solve.frames[0].frame} is frame ${solve.frames[0].frame - addFrames} there`}; not every frame between first and last need be there`,
    },
    readout: setup.readout
      ? {
          ms: setup.readout.ms,
          what: 'the rows of a picture were read one after the other, from the top, in so long; the camera of a frame is that of its middle row, and the pictures keep their skew',
        }
      : null,
    clip: { name: shot.clip ?? null, timecodeOfFirstFrame: shot.timecodeIn ?? null },
    picture: { widthPx: setup.image.width, heightPx: setup.image.height, origin: PICTURE_ORIGIN },
    sensor: { widthMm: setup.sensor.widthMm, heightMm: setup.sensor.heightMm, squeeze: setup.squeeze ?? 1, what: 'the area that the recorded picture covers' },
    kit: {
      body: shot.body ?? null,
      lens: shot.lens ?? null,
      lensSerial: shot.lensSerial ?? null,
      adapterFactor: setup.adapterFactor ?? 1,
      markedFocalMm: shot.markedFocalMm ?? setup.focal.mm,
      focusM: shot.focusM ?? null,
    },
    focalLength: {
      mm: solve.focalMm,
      sigmaMm: solve.sigmaFocalMm,
      px: solve.focalMm === null ? null : focalPx(camera, solve.focalMm),
      what: `${zooms ? 'a zoom: mm and px are its middle, and each frame has its own in byFrame; ' : ''}effective, after the adapter; of an anamorphic lens the vertical one. px: across and down in the recorded, squeezed picture`,
      ...(zooms ? { byFrame: solve.frames.map((f) => ({ frame: f.frame, mm: f.focalMm, sigmaMm: f.sigmaFocalMm ?? null })) } : {}),
    },
    principalPointPx: camera.principalPx,
    distortion: camera.distorted ? describeLens(camera.lens) : 'none',
    undistorted: {
      widthPx: camera.undistorted.widthPx,
      heightPx: camera.undistorted.heightPx,
      recordedCornerPx: [camera.overscan.left, camera.overscan.top],
      principalPointPx: camera.undistorted.principalPx,
      whole: camera.whole,
    },
  };
}
