import { tableOf } from './warning';

const capital = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1);

/** Of one picture: lengths marked in a photograph of the recce, and a camera lined up with surveyed points or with lengths. */
export const PICTURE = tableOf({
  LENGTHS_DO_NOT_FIX: () => 'The lengths do not fix the camera well: measure one across the picture and one along the view, or something upright.',
  LENGTH_DOES_NOT_FIT: (nth: number, foundM: number, givenM: number) => `Length ${nth} comes out as ${foundM.toFixed(2)} m, not ${givenM.toFixed(2)} m: it does not fit the others.`,
  PLACE_UNKNOWN: (ids: readonly string[]) => `Of ${ids.join(', ')} no place is known; ${ids.length === 1 ? 'it was' : 'they were'} not used.`,
  MARK_UNDECIDED: (first: string, second: string) => `A mark is wrong, and nothing tells whether it is ${first} or ${second}: mark one point more.`,
  MARK_LEFT_OUT: (id: string, px: number) => `${id} lies ${px.toFixed(1)} px off what the others say and was left out.`,
  NOTHING_CHECKS_LINE_UP: () => 'As many unknowns as marks: nothing checks this line-up. Mark one point more.',
  MARKS_MISS: (times: number) => `The marks miss their points by ${times.toFixed(1)} times what is usual: a wrong place, another focal length, or a lens that bends.`,
  PICTURE_BENDS: (pct: number, sigmaPct: number) =>
    `The lens bends: the corner of the picture lies ${Math.abs(pct).toFixed(1)} ± ${sigmaPct.toFixed(1)} % ${pct < 0 ? 'too near the middle' : 'too far out'}. This line-up allows for it as far as its marks tell; a plate of a lens grid tells it.`,
  PICTURE_LENS_UNMEASURED: (sigmaMm: number, byLensMm: number) =>
    `Nobody measured how this lens bends: of the ± ${sigmaMm.toFixed(2)} mm of the focal length ± ${byLensMm.toFixed(2)} come from that. A plate of a lens grid takes them away.`,
  POINTS_IN_ONE_PLANE: () => 'All points lie in one plane, and the focal length is hardly seen in it: mark a point off the plane, or hold the focal length.',
  LENGTH_UNDECIDED: (first: string, second: string) => `Something does not fit, and nothing tells whether it is ${first} or ${second}: tape one length more.`,
  LENGTH_LEFT_OUT: (what: string, offM: number, end: string | null) =>
    `${capital(what)} is ${Math.abs(offM).toFixed(3)} m off what all the others say and was left out${end ? `; or ${end} was pointed out on another thing` : ''}.`,
  MARK_OF_LENGTHS_LEFT_OUT: (id: string) => `Where ${id} was pointed out does not fit its lengths; it was left out with them.`,
  NOTHING_CHECKS_LENGTHS: () => 'As many unknowns as lengths: nothing checks this. Tape one more, such as a diagonal.',
  LENGTHS_MISS: (times: number) => `Marks and lengths miss each other by ${times.toFixed(1)} times what is usual: a wrong length, a mark on another thing, or a lens that bends.`,
  LENGTHS_FIT_TWICE: (mm: number, otherMm: number) =>
    `The lengths fit the picture in two ways${Math.abs(mm - otherMm) > 0.01 * mm ? `, with ${mm.toFixed(1)} mm and with ${otherMm.toFixed(1)} mm` : ''}, and nothing tells which is right: tape one more, to a mark off the plane of the others.`,
  MARKS_UNTOLD: (ids: readonly string[]) => `Of ${ids.join(', ')} too few lengths are known; ${ids.length === 1 ? 'it tells' : 'they tell'} nothing here.`,
  ANOTHER_PLACE_FITS: () => 'Another place of the camera explains the marks nearly as well: mark a point off the plane, or one farther away.',
});
