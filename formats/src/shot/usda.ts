import { METRES_PER, OWN_SPACE, shotCamera, spaceWords, type SolvedFrame } from '@mesure/core';
import { tidy } from '../json';
import { focalPx, placesUnit, placing, rateOf, shotFacts, unitOf, type Shot, type ShotFile } from './shot';

/** A string of the text format; what ends a line or the string is escaped. */
const quoted = (text: string): string =>
  `"${text
    .replace(/\\/g, '\\\\')
    .replace(/"/g, '\\"')
    .replace(/[\r\n\t]+/g, ' ')}"`;
/** The order of the format. */
const realFirst = ([x, y, z, w]: SolvedFrame['rotation']): number[] => [w, x, y, z];
const tuple = (values: readonly number[]): string => `(${values.map(tidy).join(', ')})`;

/**
 * Camera and points as USD text (`.usda`), in the shot's space; the camera looks along its own −Z. Apertures, their offsets and the focal length are
 * in tenths of a scene unit, as the format has them: 100 mm where it is the metre, 1 mm where it is the centimetre. The camera is that of the undistorted picture as the ST maps make it, its principal point
 * held by the aperture offsets. Time codes are the frames' own numbers.
 * Source  OpenUSD, UsdGeomCamera: the aperture's offset is that of its middle from the view's axis.
 */
export function writeUsda(shot: Shot): string {
  const { solve, space = OWN_SPACE } = shot;
  const into = placing(shot);
  const fps = rateOf(shot);
  const camera = shotCamera(shot.setup, solve);
  const { undistorted } = camera;
  const metres = unitOf(solve) === 'm';
  // without a scale the proportions are all that counts, and are kept the same
  const metresPerUnit = metres ? METRES_PER[space.unit] : 1;
  const tenths = 0.01 / metresPerUnit;
  const aperture = (f: SolvedFrame) => {
    const [fx, fy] = focalPx(camera, f.focalMm);
    const focal = f.focalMm * tenths;
    return { focal, across: (focal * undistorted.widthPx) / fx, down: (focal * undistorted.heightPx) / fy };
  };
  const first = solve.frames[0];
  if (!first) throw new Error('A solve without frames has no camera to write');
  const a = aperture(first);
  const offsetAcross = a.across * (0.5 - undistorted.principalPx[0] / undistorted.widthPx);
  const offsetDown = a.down * (undistorted.principalPx[1] / undistorted.heightPx - 0.5);
  const samples = (values: (f: SolvedFrame) => string, indent = '        ') => solve.frames.map((f) => `${indent}    ${f.frame}: ${values(f)},`).join('\n');
  const zooms = solve.frames.some((f) => f.focalMm !== first.focalMm);
  const last = solve.frames[solve.frames.length - 1].frame;
  const names = `[${solve.points.map((p) => quoted(p.track)).join(', ')}]`;
  const width = (p: (typeof solve.points)[number]) => tidy(into.perMetre * Math.max(1e-4, 2 * (p.sigmaM ?? 0.005)));
  return `#usda 1.0
(
    defaultPrim = "shot"
    doc = ${quoted(metres ? `Camera and points of a solve, ${spaceWords(space)}.` : 'Camera and points of a solve without a scale: the unit is the solve’s own, not metres.')}
    metersPerUnit = ${metresPerUnit}
    upAxis = "${space.up}"
    timeCodesPerSecond = ${fps}
    framesPerSecond = ${fps}
    startTimeCode = ${first.frame}
    endTimeCode = ${last}
    customLayerData = {
        string facts = ${quoted(JSON.stringify(shotFacts(shot)))}
        string unit = ${quoted(placesUnit(shot))}
    }
)

def Xform "shot"
{
    def Camera "camera"
    {
        token projection = "perspective"
        float2 clippingRange = ${tuple([0.01 * into.perMetre, 10000 * into.perMetre])}
        float horizontalAperture = ${tidy(a.across)}
        float verticalAperture = ${tidy(a.down)}
        float horizontalApertureOffset = ${tidy(offsetAcross)}
        float verticalApertureOffset = ${tidy(offsetDown)}
${zooms ? `        float focalLength.timeSamples = {\n${samples((f) => String(tidy(f.focalMm * tenths)))}\n        }` : `        float focalLength = ${tidy(a.focal)}`}
        custom int2 undistortedPictureSize = (${undistorted.widthPx}, ${undistorted.heightPx})
        custom int2 recordedPictureCorner = (${camera.overscan.left}, ${camera.overscan.top})
        double3 xformOp:translate.timeSamples = {
${samples((f) => tuple([...into.place(f.position)]))}
        }
        quatd xformOp:orient.timeSamples = {
${samples((f) => tuple(realFirst(into.rotation(f.rotation))))}
        }
        uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:orient"]
    }

    def Points "points"
    {
        point3f[] points = [${solve.points.map((p) => tuple(into.place(p.position))).join(', ')}]
        float[] widths = [${solve.points.map(width).join(', ')}] (
            interpolation = "vertex"
        )
        string[] primvars:names = ${names} (
            interpolation = "vertex"
        )
    }
}
`;
}

export const usdaFile: ShotFile = { format: 'usda', file: 'camera.usda', what: 'camera move with its apertures and offsets, and points', readWith: 'USD text', needsFps: true, write: writeUsda };
