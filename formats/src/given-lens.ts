import { DIRECTIONS, GIVEN_FORMULAS, NORMALISERS, type GivenCoefficients } from '@mesure/core';
import { FormatError } from './format-error';
import { jsonText } from './json';

/** Coefficients as a file says them, with what it says of the setting; null where it says nothing. */
export interface ReadCoefficients {
  coefficients: GivenCoefficients;
  focalMm: number | null;
  focusM: number | null;
  picture: { widthPx: number; heightPx: number } | null;
  /** what the file leaves open and was taken as is usual, in words */
  assumed: string[];
}

type Tree = Record<string, unknown>;
const tree = (v: unknown): Tree => (typeof v === 'object' && v !== null && !Array.isArray(v) ? (v as Tree) : {});
const number = (v: unknown): number | null => (typeof v === 'number' && Number.isFinite(v) ? v : null);
const numbers = (v: unknown): number[] => (Array.isArray(v) ? v.filter((n): n is number => typeof n === 'number' && Number.isFinite(n)) : []);

/**
 * Coefficients from JSON: a sample of camera and lens metadata after the SMPTE open tracking metadata schema, or coefficients as this program
 * keeps typed ones.
 * @throws FormatError
 */
export function readCoefficients(text: string, file: string): ReadCoefficients {
  const fault = (why: string) => new FormatError(file, null, null, why);
  let json: unknown;
  try {
    json = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch {
    throw fault('is no JSON; coefficients are read from camera and lens metadata (JSON), or typed');
  }
  const root = tree(json);
  if (root.what === TYPED) return { ...typed(root, fault), focalMm: null, focusM: null, picture: null, assumed: [] };
  const lens = tree(root.lens);
  const block = tree(Array.isArray(lens.distortion) ? lens.distortion[0] : lens.distortion);
  const radial = numbers(block.radial);
  if (radial.length === 0) throw fault('has no lens distortion (lens.distortion[].radial), as the open tracking metadata schema writes it');
  const model = typeof block.model === 'string' ? block.model : null;
  const direction = model === null || /^Brown-Conrady( U-D)?$/.test(model) ? DIRECTIONS[0] : /^Brown-Conrady D-U$/.test(model) ? DIRECTIONS[1] : null;
  if (direction === null) throw fault(`has distortion of the model ${model}; Brown–Conrady is read, others as an ST map`);
  if (radial.length > 4) throw fault(`has ${radial.length} radial coefficients; up to four are read`);
  const focalMm = number(lens.pinholeFocalLength) ?? number(lens.focalLength);
  if (focalMm === null) throw fault('has no focal length (lens.pinholeFocalLength), over which its coefficients are');
  const camera = tree(tree(root.static).camera);
  const size = tree(camera.activeSensorResolution);
  const sensor = tree(camera.activeSensorPhysicalDimensions);
  const [widthPx, heightPx, widthMm, heightMm] = [number(size.width), number(size.height), number(sensor.width), number(sensor.height)];
  const offset = tree(lens.distortionOffset ?? lens.projectionOffset);
  const [dx, dy] = [number(offset.x) ?? 0, number(offset.y) ?? 0];
  if ((dx !== 0 || dy !== 0) && !(widthPx && heightPx && widthMm && heightMm)) throw fault('has an offset of its centre in mm, and no sensor and picture size to count it in pixels');
  const [p1, p2] = numbers(block.tangential);
  return {
    coefficients: {
      formula: 'polynomial',
      over: 'focal length',
      direction,
      k: radial,
      p: [p1 ?? 0, p2 ?? 0],
      center: widthPx && heightPx && widthMm && heightMm ? [(dx * widthPx) / widthMm, (dy * heightPx) / heightMm] : [0, 0],
      focalMm,
    },
    focalMm: number(tree(tree(root.static).lens).nominalFocalLength),
    focusM: number(lens.focusDistance),
    picture: widthPx && heightPx ? { widthPx, heightPx } : null,
    assumed: [...(model === null || model === 'Brown-Conrady' ? ['from undistorted to distorted, since it does not say'] : [])],
  };
}

const TYPED = 'mesure coefficients 1';

/** Typed coefficients as a file, so that what was entered leaves as it was. */
export const writeCoefficients = ({ formula, over, direction, k, p, center, focalMm }: GivenCoefficients): string => jsonText({ what: TYPED, formula, over, direction, k, p, center, focalMm });

function typed(root: Tree, fault: (why: string) => FormatError): { coefficients: GivenCoefficients } {
  const one = <T extends string>(of: readonly T[], v: unknown, field: string): T => {
    const found = of.find((q) => q === v);
    if (found === undefined) throw fault(`says ${JSON.stringify(v)} for ${field}; it must be one of ${of.join(', ')}`);
    return found;
  };
  const [k, p, center] = [numbers(root.k), numbers(root.p), numbers(root.center)];
  if (k.length < 1 || k.length > 4 || p.length !== 2 || center.length !== 2) throw fault('must have one to four k, two p and two of the centre');
  return {
    coefficients: {
      formula: one(GIVEN_FORMULAS, root.formula, 'formula'),
      over: one(NORMALISERS, root.over, 'over'),
      direction: one(DIRECTIONS, root.direction, 'direction'),
      k,
      p: [p[0], p[1]],
      center: [center[0], center[1]],
      focalMm: number(root.focalMm),
    },
  };
}
