import { COEFFICIENTS, DISTORTION_MODELS, distortionFrom, isDistorted, NO_DISTORTION, type Distortion, type DistortionModel } from '../lens';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput, type PictureGeometry } from '../optics';
import type { AnchorFacts } from '../facts';
import type { LensUnknown } from './bundle-problem';

/** A witness camera on the main one: its pupil to the right, up and forward of the main one's, turned to the left and tilted up. */
export interface RecordedMounting {
  name: string;
  rightM: number;
  upM: number;
  forwardM: number;
  turnRad: number;
  tiltRad: number;
  /** of each distance, and of each angle */
  sigmaM: number;
  sigmaRad?: number;
}

/** The setup of conventions.md, as far as a solve reads it. */
export interface SolveSetup extends OpticsInput {
  fps?: number;
  focal: {
    mode?: 'held' | 'guided' | 'free' | 'zoom';
    mm: number;
    sigmaMm?: number;
    /** as recorded where the take ends, or farthest from where it begins; a solve of one focal length refuses it */
    endMm?: number;
    /** of a zoom, as noted: where it began and ended, or frame by frame */
    profile?: readonly { frame: number; mm: number; sigmaMm?: number }[];
  };
  distortion?: {
    mode?: 'held' | 'guided' | 'free' | 'none';
    model?: string;
    k?: readonly number[];
    /** guided: one standard deviation of each coefficient of `k` that is found with the rest */
    sigmaK?: readonly number[];
    p?: readonly number[];
    lambda?: number;
    a?: readonly number[];
    b?: readonly number[];
    rotation?: number;
    /** true over recorded width of a pixel, as a grid plate saw it; default 1 */
    aspect?: number;
    center?: readonly [number, number];
    /** effective focal length that the coefficients are normalised with; default the setup's */
    focalMm?: number;
  };
  /** free: within a few per cent of the picture; guided: within `sigmaPx`, as a plate told it. Default held; of a zoom it is found as far off as lenses sit */
  principalPoint?: { mode: 'held' | 'guided' | 'free'; sigmaPx?: number };
  /** free: within a tenth; guided: within `sigma` of it. `squeeze` is where it begins */
  squeezeFit?: { mode: 'held' | 'guided' | 'free'; sigma?: number };
  /** the sensor reads its rows one after the other, from the top, in so long; its skew is taken out of the tracks. It needs `fps`. null: it is left in */
  readout?: { ms: number } | null;
  motion?: 'free' | 'pan' | 'object';
  anchors?: AnchorFacts;
  /** how a witness camera that is solved with this one was mounted, as it was noted; it is compared, not forced */
  witness?: RecordedMounting;
}

/**
 * How mm on the sensor become pixels. The held distortion was measured as a map of the picture, with coefficients normalised by the
 * recorded focal length: it stays fixed in the picture (`normaliserMm` = recorded) while the solved focal length moves. `follows`:
 * the coefficients were normalised with the true focal length instead, and the map follows the solved one.
 */
export interface LensMap {
  cx: number;
  cy: number;
  pxPerMmX: number;
  pxPerMmY: number;
  distortion: Distortion;
  normaliserMm: number;
  follows: boolean;
}

export interface SolveLens {
  geometry: PictureGeometry;
  map: LensMap;
  recordedMm: number;
  hasDistortion: boolean;
  /** nobody measured whether it bends: a plate that found nothing is a distortion of noughts, held */
  unmeasured: boolean;
  /** found with the rest; what was given is where it begins */
  freeDistortion: boolean;
  /** found beside focal length and distortion */
  alsoFree: readonly LensUnknown[];
  /** of those what nobody asked for: found only where it pays */
  unasked: readonly LensUnknown[];
  /** what is known of those and of guided coefficients beforehand */
  priors: Partial<Record<LensUnknown, { value: number; sigma: number }>>;
}

/** Below it a focal length that moves is the breathing of the lens. */
const ZOOM_SHARE = 0.01;

/** @throws CoreError INVALID_OPTION for what this solver does not do, with the field's path */
export function readSolveSetup(setup: SolveSetup): SolveLens {
  const geometry = pictureGeometry(setup);
  const focalMode = setup.focal.mode ?? 'held';
  if (!['held', 'guided', 'free', 'zoom'].includes(focalMode)) throw new CoreError('INVALID_OPTION', `focal.mode is "${focalMode}"; it must be held, guided, free or zoom`, 'focal.mode');
  for (const n of setup.focal.profile ?? [])
    if (!(n.mm > 0 && Number.isFinite(n.frame))) throw new CoreError('INVALID_OPTION', 'focal.profile needs a frame and mm above 0 in each entry', 'focal.profile');
  if (focalMode === 'guided' && !((setup.focal.sigmaMm ?? 0) > 0)) throw new CoreError('INVALID_OPTION', 'focal.sigmaMm must be above 0 when the focal length is guided', 'focal.sigmaMm');
  const { endMm } = setup.focal;
  if (focalMode !== 'zoom' && endMm !== undefined && Math.abs(endMm / setup.focal.mm - 1) > ZOOM_SHARE)
    throw new CoreError(
      'INVALID_OPTION',
      `The take zooms from ${setup.focal.mm} to ${endMm} mm; a solve of one focal length would spread the zoom over path and points. Solve it with focal.mode zoom`,
      'focal.endMm',
    );
  const d = setup.distortion ?? { mode: 'none' };
  const mode = d.mode ?? 'held';
  if (!['held', 'none', 'free', 'guided'].includes(mode)) throw new CoreError('INVALID_OPTION', `distortion.mode is "${mode}"; it must be held, guided, free or none`, 'distortion.mode');
  const model = (d.model ?? 'radial') as DistortionModel;
  if ((mode === 'free' || mode === 'guided') && model !== 'radial')
    throw new CoreError('INVALID_OPTION', `distortion.model is "${d.model}"; a free or guided distortion is radial`, 'distortion.model');
  if (mode === 'guided' && !((d.sigmaK ?? []).length > 0 && d.sigmaK!.slice(0, 2).every((s) => s > 0)))
    throw new CoreError('INVALID_OPTION', 'distortion.sigmaK must have a number above 0 for each coefficient that is guided', 'distortion.sigmaK');
  if (mode === 'held' && !DISTORTION_MODELS.includes(model))
    throw new CoreError('INVALID_OPTION', `distortion.model is "${d.model}"; it must be one of ${DISTORTION_MODELS.join(', ')}`, 'distortion.model');
  const measured = mode === 'held' || mode === 'guided';
  const aspect = (measured ? d.aspect : undefined) ?? 1;
  if (!(aspect > 0.2 && aspect < 5)) throw new CoreError('INVALID_OPTION', 'distortion.aspect must lie between 0.2 and 5', 'distortion.aspect');
  if (d.focalMm !== undefined && !(d.focalMm > 0)) throw new CoreError('INVALID_OPTION', 'distortion.focalMm must be above 0', 'distortion.focalMm');
  if (setup.motion !== undefined && !['free', 'pan', 'object'].includes(setup.motion))
    throw new CoreError('INVALID_OPTION', `motion is "${setup.motion}"; this solve knows free, pan and object`, 'motion');
  // k2 is distortion.k[1], lambda and rotation are themselves
  const coefficient = (name: string): number => {
    const [, list, number] = /^([kpab])(\d)$/.exec(name) ?? [];
    const field = list ? `distortion.${list}[${Number(number) - 1}]` : `distortion.${name}`;
    const v = list ? (d[list as 'k'] ?? [])[Number(number) - 1] : d[name as 'lambda'];
    if (v === undefined) return 0;
    if (!Number.isFinite(v)) throw new CoreError('NON_FINITE_INPUT', `${field} must be a number`, field);
    return v;
  };
  const distortion = mode === 'none' ? NO_DISTORTION : distortionFrom(model, COEFFICIENTS[model].map(coefficient));
  const center = measured && d.center ? d.center : [geometry.centerXPx, geometry.centerYPx];
  const map: LensMap = {
    cx: center[0],
    cy: center[1],
    // a pixel as the plate saw it: the squeeze on the barrel is a nominal one
    pxPerMmX: geometry.pxPerMmX * aspect,
    pxPerMmY: geometry.pxPerMmY,
    distortion,
    normaliserMm: (measured ? d.focalMm : undefined) ?? geometry.effectiveFocalMm,
    follows: false,
  };
  return {
    geometry,
    map,
    recordedMm: geometry.effectiveFocalMm,
    hasDistortion: isDistorted(distortion),
    unmeasured: mode === 'none',
    freeDistortion: mode === 'free' || mode === 'guided',
    ...freeOf(setup, map, mode === 'guided' ? (d.sigmaK ?? []) : []),
  };
}

/** Of the picture's width, how far off its middle a principal point may be: beyond that it is a cropped picture and no lens. */
const CENTRE_SHARE = 0.03;
/** And how far off it is as lenses sit, where nobody asked. */
const USUAL_CENTRE_SHARE = 0.01;
const SQUEEZE_SHARE = 0.1;

/** A zoom finds its principal point where nobody said anything of it: a picture that grows shows round what, and taken from round another place a turn looks like a move. */
export const findsCentreUnasked = ({ focal, principalPoint }: SolveSetup): boolean => focal.mode === 'zoom' && principalPoint === undefined;

/** The same lens, whose principal point is found where it pays though nobody asked. */
export const findingCentre = (lens: SolveLens): SolveLens => ({
  ...lens,
  unasked: ['cx', 'cy'],
  alsoFree: ['cx', 'cy', ...lens.alsoFree],
  priors: { ...lens.priors, ...centrePriors(lens.map, USUAL_CENTRE_SHARE * lens.geometry.widthPx) },
});

const centrePriors = ({ cx, cy }: LensMap, sigma: number) => ({ cx: { value: cx, sigma }, cy: { value: cy, sigma } });

/** What of the lens is found besides, and what is known of it beforehand. */
function freeOf(setup: SolveSetup, map: LensMap, sigmaK: readonly number[]): Pick<SolveLens, 'alsoFree' | 'unasked' | 'priors'> {
  const one = (field: 'principalPoint' | 'squeezeFit', sigmaField: 'sigmaPx' | 'sigma', usual: number): number | null => {
    const asked: { mode: string; sigmaPx?: number; sigma?: number } = setup[field] ?? { mode: 'held' };
    if (!['held', 'guided', 'free'].includes(asked.mode)) throw new CoreError('INVALID_OPTION', `${field}.mode is "${asked.mode}"; it must be held, guided or free`, `${field}.mode`);
    const sigma = asked[sigmaField];
    if (asked.mode === 'guided' && !((sigma ?? 0) > 0)) throw new CoreError('INVALID_OPTION', `${field}.${sigmaField} must be above 0 when it is guided`, `${field}.${sigmaField}`);
    return asked.mode === 'held' ? null : asked.mode === 'guided' ? sigma! : usual;
  };
  const centrePx = findsCentreUnasked(setup) ? USUAL_CENTRE_SHARE * setup.image.width : one('principalPoint', 'sigmaPx', CENTRE_SHARE * setup.image.width);
  const squeeze = one('squeezeFit', 'sigma', SQUEEZE_SHARE);
  const ratio = map.pxPerMmX / map.pxPerMmY;
  const k = map.distortion.model === 'radial' ? map.distortion.k : [];
  return {
    unasked: findsCentreUnasked(setup) ? ['cx', 'cy'] : [],
    alsoFree: [...(centrePx === null ? [] : (['cx', 'cy'] as const)), ...(squeeze === null ? [] : (['ratio'] as const))],
    priors: {
      ...(centrePx === null ? {} : centrePriors(map, centrePx)),
      ...(squeeze === null ? {} : { ratio: { value: ratio, sigma: ratio * squeeze } }),
      ...Object.fromEntries(sigmaK.slice(0, 2).map((sigma, i) => [`k${i + 1}`, { value: k[i] ?? 0, sigma }])),
    },
  };
}
