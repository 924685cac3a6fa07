import { STABILISER, type Shutter, type TrackCounting } from '@mesure/core';
import { HEIGHT_PLACES, type MeasuredLength, type AngleReading, type HeightReading, type FileRef } from './shared';
import { defineKind } from './define';

/** One run of the camera, as it was. What is missing or null was not noted. */
export interface TakeBody {
  setupId: string;
  /** missing: the setup's */
  scene?: string | null;
  slate: string;
  take: number;
  /** the letter on the slate; missing: the package's */
  camera?: string | null;
  clip?: string | null;
  packageId: string;
  /** at the start; at the end too where the next is missing */
  focalMm: number;
  focalEndMm?: number | null;
  /** first and last frame of the zoom */
  zoomFrom?: number | null;
  zoomTo?: number | null;
  /** focal length per frame, as a lens or a camera told it */
  focalByFrame?: { frame: number; mm: number }[] | null;
  focusM: number | null;
  focusEndM?: number | null;
  /** T-stop */
  stop?: number | null;
  iso?: number | null;
  shutter?: Shutter | null;
  fps?: number | null;
  filter?: string | null;
  stabiliser?: (typeof STABILISER)[number] | null;
  timecodeIn?: string | null;
  timecodeOut?: string | null;
  /** the move was the planned one; what differed stands beside it */
  asPlanned?: boolean | null;
  moveNote?: string | null;
  height: HeightReading | null;
  /** frame of the tracks at which the height was taken */
  heightFrame: number;
  heightEnd?: HeightReading | null;
  tilt?: AngleReading | null;
  roll?: AngleReading | null;
  /** from the camera's sensor mark to something that has a name */
  distance?: (MeasuredLength & { to: string }) | null;
  /** what moves in the picture and must be left out of the tracking */
  movers?: string[];
  /** of each witness camera that ran */
  witnesses?: WitnessClip[];
  pictures?: FileRef[];
  circled: boolean;
  notes: string;
  tracks: FileRef | null;
  /** how that file counts, once somebody said it; missing or null: as the conventions do, and a doubt is asked about */
  tracksCounted?: TrackCounting | null;
  loggedAt: string;
  /** fields taken over from the take before and not touched since */
  carried: string[];
}
export interface WitnessClip {
  packageId: string;
  clip: string;
  /** of its first frame */
  timecodeIn?: string | null;
  focusM: number | null;
  stabiliser: (typeof STABILISER)[number];
  /** of its clip; features and marks followed there. Marks have the names of the mark sheet, whatever else has a name of its own */
  tracks?: FileRef | null;
  /** as set; missing: as its lens is marked */
  focalMm?: number | null;
  /** number of its clip's first frame in its tracks; missing: 1 */
  firstFrame?: number | null;
}

export const takeKind = defineKind<TakeBody>({
  noun: 'take',
  tell: (b) => `${b.slate} take ${b.take}`,
  fields: {
    setupId: 'setup',
    scene: 'scene',
    slate: 'slate',
    take: 'take',
    camera: 'camera',
    clip: 'clip',
    packageId: 'package',
    focalMm: 'focal length',
    focalEndMm: 'focal length at the end',
    zoomFrom: 'zoom begins',
    zoomTo: 'zoom ends',
    focalByFrame: 'focal length by frame',
    focusM: 'focus distance',
    focusEndM: 'focus distance at the end',
    stop: 'stop',
    iso: 'ISO',
    shutter: 'shutter',
    fps: 'frame rate',
    filter: 'filters',
    stabiliser: 'stabiliser',
    timecodeIn: 'timecode at the start',
    timecodeOut: 'timecode at the end',
    asPlanned: 'move as planned',
    moveNote: 'what differed',
    height: 'camera height',
    heightFrame: 'frame of the height',
    heightEnd: 'height at the end',
    tilt: 'tilt',
    roll: 'roll',
    distance: 'distance',
    movers: 'what moves',
    witnesses: 'witness cameras',
    pictures: 'pictures',
    circled: 'circled',
    notes: 'notes',
    tracks: 'tracks',
    tracksCounted: 'how the tracks count',
    loggedAt: 'time',
    carried: 'fields carried over',
  },
  schema: ({ Joi, id, focalMm, stop, at, file, length, frame, focus, oneOf }) => {
    const height = Joi.object({
      ...length,
      takenAt: Joi.string()
        .valid(...HEIGHT_PLACES)
        .required(),
      offsetM: Joi.number().min(-5).max(5).required(),
    }).allow(null);
    const angle = Joi.object({
      typed: Joi.string().max(60).required(),
      valueRad: Joi.number().min(-Math.PI).max(Math.PI).required(),
      toleranceRad: Joi.number().greater(0).max(1).required(),
      instrument: Joi.string().max(60),
    }).allow(null);
    /** A short remark that may be empty. */
    const remark = (max: number) => Joi.string().allow('', null).max(max);
    const timecode = Joi.string()
      .pattern(/^\d{2}:\d{2}:\d{2}[:;]\d{2,3}$/)
      .allow(null);
    return Joi.object({
      setupId: id.required(),
      scene: Joi.string().trim().min(1).max(20).allow(null),
      slate: Joi.string().trim().min(1).max(20).required(),
      take: Joi.number().integer().min(1).max(999).required(),
      camera: Joi.string().trim().min(1).max(8).allow(null),
      clip: Joi.string().trim().min(1).max(80).allow(null),
      packageId: id.required(),
      focalMm: focalMm.required(),
      focalEndMm: focalMm.allow(null),
      zoomFrom: frame,
      zoomTo: frame,
      focalByFrame: Joi.array()
        .items(Joi.object({ frame: Joi.number().integer().min(0).max(10_000_000).required(), mm: focalMm.required() }))
        .max(20_000)
        .allow(null),
      focusM: focus.required(),
      focusEndM: focus,
      stop,
      iso: Joi.number().min(25).max(1_000_000).allow(null),
      shutter: Joi.alternatives().conditional(Joi.object({ by: 'angle' }).unknown(), {
        then: Joi.object({ by: Joi.valid('angle'), deg: Joi.number().greater(0).max(360).required() }),
        otherwise: Joi.object({ by: Joi.valid('time').required(), seconds: Joi.number().greater(0).max(10).required() }).allow(null),
      }),
      fps: Joi.number().min(1).max(2000).allow(null),
      filter: remark(120),
      stabiliser: Joi.string()
        .valid(...STABILISER)
        .allow(null),
      timecodeIn: timecode,
      timecodeOut: timecode,
      asPlanned: Joi.boolean().allow(null),
      moveNote: remark(500),
      height: height.required(),
      heightFrame: Joi.number().integer().min(0).required(),
      heightEnd: height,
      tilt: angle,
      roll: angle,
      distance: Joi.object({ ...length, to: Joi.string().trim().min(1).max(60).required() }).allow(null),
      movers: Joi.array().items(Joi.string().trim().min(1).max(60)).unique().max(40),
      witnesses: Joi.array()
        .items(
          Joi.object({
            packageId: id.required(),
            clip: Joi.string().allow('').max(80).required(),
            timecodeIn: timecode,
            focusM: focus.required(),
            stabiliser: oneOf(STABILISER),
            tracks: file.allow(null),
            focalMm: focalMm.allow(null),
            firstFrame: Joi.number().integer().min(0).max(10_000_000).allow(null),
          }),
        )
        .unique('packageId')
        .max(20),
      pictures: Joi.array().items(file).unique('sha256').max(60),
      circled: Joi.boolean().required(),
      notes: Joi.string().allow('').max(5000).required(),
      tracks: file.allow(null).required(),
      tracksCounted: Joi.object({
        from: oneOf(['corner', 'middle']),
        yUp: Joi.boolean().required(),
        widthPx: Joi.number().greater(0).max(100_000).required(),
        heightPx: Joi.number().greater(0).max(100_000).required(),
        addFrames: Joi.number().integer().min(-10_000_000).max(10_000_000).required(),
      }).allow(null),
      loggedAt: at.required(),
      carried: Joi.array().items(Joi.string().max(40)).max(60).required(),
    });
  },
  references: { setupId: 'setup', packageId: 'package', 'witnesses[].packageId': 'package' },
  merge: { sets: ['carried', 'movers'], lists: { witnesses: 'packageId', pictures: 'sha256' } },
  writes: 'record',
  hides: 'record',
  leaves: 'takes.csv, and a folder with its camera where it was solved',
});
