import { factsOfPlaces, lengthsMissing, pointsOfFact, USUAL_SIGMA, type LineUpQuestion, type NetFact, type NetInput } from '@mesure/core';
import type { LineupBody, SetupBody, TakeBody } from './records';
import { recordedSetup } from './recorded-setup';
import { surveyedPlaces, whyNoPlaces, type SolvedNet } from './surveyed-anchors';

/** Two pictures of one shape show the same part of the sensor; another shape is another part, and its focal length another one. */
const SAME_SHAPE = 0.01;
const FEWEST_MARKS = 4;

interface Asked extends Pick<Parameters<typeof recordedSetup>[0], 'mounted' | 'take' | 'setup' | 'plates' | 'book' | 'edges'> {
  picture: LineupBody;
  /** of the take's set, where it could be adjusted */
  net: SolvedNet | null;
  /** what was measured on that set, whether or not a net comes of it */
  measured: NetInput;
}

/**
 * What the core is asked of a lined-up picture, or in words why it cannot be asked yet. By the places of the net where four of the marks that are
 * pointed out have one; by what was measured between the marks where they have none.
 */
export function lineUpQuestion({ picture, net, measured, take, ...known }: Asked): { question: LineUpQuestion } | { problem: string } {
  const { mode } = known.mounted;
  const share = picture.widthPx / mode.widthPx;
  if (Math.abs(picture.widthPx / picture.heightPx / (mode.widthPx / mode.heightPx) - 1) > SAME_SHAPE)
    return {
      problem: `The picture is ${picture.widthPx} × ${picture.heightPx}, the camera records ${mode.widthPx} × ${mode.heightPx}: it shows another part of the sensor. Give a frame as it was recorded, or correct the recording mode.`,
    };
  const focalMode = focalOf(take, picture);
  const of = knownOfMarks(picture, net, measured, known.setup, focalMode);
  if ('problem' in of) return of;
  const setup = recordedSetup({ ...known, take: asItStood(take, picture.stood), ties: [], focalMode });
  const { distortion, anchors } = setup;
  const center = distortion?.center;
  return {
    question: {
      marks: picture.marks.map((m) => ({ id: m.mark, xPx: m.x, yPx: m.y })),
      ...of,
      setup: {
        ...setup,
        image: { width: picture.widthPx, height: picture.heightPx },
        ...(distortion ? { distortion: center ? { ...distortion, center: [center[0] * share, center[1] * share] } : distortion } : {}),
        anchors: { cameraHeights: anchors?.cameraHeights, distances: anchors?.distances, cameraAngles: anchors?.cameraAngles },
      },
    },
  };
}

/** Places of the set's marks, or facts between those that are pointed out; or what is missing for either. */
function knownOfMarks(
  picture: LineupBody,
  net: SolvedNet | null,
  measured: NetInput,
  setup: Pick<SetupBody, 'levelMarks'>,
  focalMode: LineupBody['focal'],
): Pick<LineUpQuestion, 'points' | 'facts'> | { problem: string } {
  const why = net ? whyNoPlaces(net) : 'The set has no tape net: nothing says where its marks are. Tape it, or bring the places of an instrument in.';
  const places = surveyedPlaces(net);
  const has = new Set(places.map((p) => p.id));
  const usable = picture.marks.filter((m) => has.has(m.mark));
  if (usable.length >= FEWEST_MARKS) return { points: places.map((p) => ({ id: p.id, position: p.at, sigmaM: p.sigmaM })) };
  const facts = factsBetween(picture, measured, setup);
  const missing = lengthsMissing(
    picture.marks.map((m) => m.mark),
    facts,
    focalMode,
  );
  if (missing <= 0) return { facts };
  const open = places.filter((p) => !picture.marks.some((m) => m.mark === p.id)).map((p) => p.id);
  const marks = `${usable.length} of at least ${FEWEST_MARKS} marks whose places are known${open.length > 0 ? `; in the set there are ${open.slice(0, 8).join(', ')} yet` : ''}.`;
  // what is taped between marks of this very picture does as well
  const lengths = facts.some((f) => f.kind === 'tie') ? ` Or tape between marks of this picture: ${missing === 1 ? 'one length' : `${missing} lengths`} more.` : '';
  return { problem: `${why ?? marks}${lengths}` };
}

function factsBetween(picture: LineupBody, measured: NetInput, setup: Pick<SetupBody, 'levelMarks'>): NetFact[] {
  const pointed = new Set(picture.marks.map((m) => m.mark));
  const known = (measured.known ?? []).filter((k) => pointed.has(k.id));
  const given = [...measured.facts, ...factsOfPlaces(known)].filter((f) => pointsOfFact(f).every((id) => pointed.has(id)));
  const withHeight = new Set(given.flatMap((f) => (f.kind === 'height' ? [f.id] : [])));
  // marks that were put down level lie on the floor
  const level = setup.levelMarks.filter((id) => pointed.has(id) && !withHeight.has(id)).map((id): NetFact => ({ kind: 'height', id, m: 0, sigmaM: USUAL_SIGMA.levelM }));
  return [...given, ...level];
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
