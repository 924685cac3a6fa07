import type { LineUpQuestion } from '@mesure/core';
import type { LineupBody, TakeBody } from './records';
import { recordedSetup } from './recorded-setup';
import { surveyedPlaces, whyNoPlaces, type SolvedNet } from './surveyed-anchors';

/** Two pictures of one shape show the same part of the sensor; another shape is another part, and its focal length another one. */
const SAME_SHAPE = 0.01;
const FEWEST_MARKS = 4;

interface Asked extends Pick<Parameters<typeof recordedSetup>[0], 'mounted' | 'take' | 'setup' | 'plates' | 'book' | 'edges'> {
  picture: LineupBody;
  /** of the take's set */
  net: SolvedNet | null;
}

/** What the core is asked of a lined-up picture, or in words why it cannot be asked yet. */
export function lineUpQuestion({ picture, net, take, ...known }: Asked): { question: LineUpQuestion } | { problem: string } {
  const { mode } = known.mounted;
  const share = picture.widthPx / mode.widthPx;
  if (Math.abs(picture.widthPx / picture.heightPx / (mode.widthPx / mode.heightPx) - 1) > SAME_SHAPE)
    return {
      problem: `The picture is ${picture.widthPx} × ${picture.heightPx}, the camera records ${mode.widthPx} × ${mode.heightPx}: it shows another part of the sensor. Give a frame as it was recorded, or correct the recording mode.`,
    };
  if (!net) return { problem: 'The set has no tape net: nothing says where its marks are. Tape it, or bring the places of an instrument in.' };
  const why = whyNoPlaces(net);
  if (why) return { problem: why };
  const places = surveyedPlaces(net);
  const has = new Set(places.map((p) => p.id));
  const usable = picture.marks.filter((m) => has.has(m.mark));
  if (usable.length < FEWEST_MARKS) {
    const open = places.filter((p) => !picture.marks.some((m) => m.mark === p.id)).map((p) => p.id);
    return { problem: `${usable.length} of at least ${FEWEST_MARKS} marks whose places are known${open.length > 0 ? `; in the set there are ${open.slice(0, 8).join(', ')} yet` : ''}.` };
  }
  const setup = recordedSetup({ ...known, take: asItStood(take, picture.stood), ties: [], focalMode: focalOf(take, picture) });
  const { distortion, anchors } = setup;
  const center = distortion?.center;
  return {
    question: {
      marks: picture.marks.map((m) => ({ id: m.mark, xPx: m.x, yPx: m.y })),
      points: places.map((p) => ({ id: p.id, position: p.at, sigmaM: p.sigmaM })),
      setup: {
        ...setup,
        image: { width: picture.widthPx, height: picture.heightPx },
        ...(distortion ? { distortion: center ? { ...distortion, center: [center[0] * share, center[1] * share] } : distortion } : {}),
        anchors: { cameraHeights: anchors?.cameraHeights, distances: anchors?.distances, cameraAngles: anchors?.cameraAngles },
      },
    },
  };
}

/** Somewhere in a zoom nobody wrote the focal length down: it can only be found. */
const focalOf = (take: TakeBody, { focal, stood }: LineupBody): LineupBody['focal'] => (stood === 'elsewhere' && (take.focalEndMm ?? take.focalMm) !== take.focalMm ? 'free' : focal);

/** The take as it was where the picture was shot: at its end another height and focal length, elsewhere no reading at all. */
function asItStood(take: TakeBody, stood: LineupBody['stood']): TakeBody {
  const still: TakeBody = { ...take, heightEnd: null, focalEndMm: null, zoomFrom: null, zoomTo: null, focalByFrame: null };
  if (stood === 'height') return still;
  const nowhere = { ...still, height: null, distance: null, tilt: null, roll: null };
  if (stood === 'elsewhere') return nowhere;
  return { ...nowhere, heightEnd: take.heightEnd, focalMm: take.focalEndMm ?? take.focalMm };
}
