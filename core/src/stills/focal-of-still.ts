import { sameBody, type PictureNotes } from '../optics';

/** What was recorded of the camera that a walk is shot with. */
export interface WalkCamera {
  body: string;
  /** as it is marked on the lens, before an adapter */
  focalMm: number;
  adapterFactor: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
}
export interface StillFocal {
  /** px of the picture */
  focalPx: number;
  /** px of the picture to a mm of its sensor; null: nobody knows how large that is */
  pxPerMm: number | null;
  /** pictures of one name share their focal length */
  lens: string;
  /** what the value comes from */
  by: 'record' | 'file';
}

/** Diagonal of 36 × 24 mm, which an equivalent focal length is reckoned by. */
const FULL_DIAGONAL_MM = Math.hypot(36, 24);
/** As files round it: nearer than this is the recorded length. */
const SAME = 0.03;

/**
 * How long the lens of one picture is in its pixels, as far as the record or its file says. A picture of another body than the recorded one counts by its
 * own equivalent focal length; so does one where nothing is recorded.
 * @returns null where neither says it
 * Source  CIPA DC-008 (Exif 3.0), FocalLengthIn35mmFilm: the same diagonal view on 36 × 24 mm.
 */
export function focalOfStill({ widthPx, heightPx, notes }: { widthPx: number; heightPx: number; notes: PictureNotes | null }, recorded: WalkCamera | null): StillFocal | null {
  const longPx = Math.max(widthPx, heightPx);
  const ofRecorded = recorded && (!notes?.body || sameBody(notes.body, recorded.body));
  if (ofRecorded) {
    const pxPerMm = longPx / Math.max(recorded.sensorWidthMm, recorded.sensorHeightMm);
    // a zoom that was turned between two pictures says so in the file; what is nearly the recorded length is that
    const told = notes?.focalMm ?? null;
    const mm = told !== null && Math.abs(told / recorded.focalMm - 1) > SAME ? told : recorded.focalMm;
    // a camera that enlarged the picture shows less of its sensor; no other picture has that length
    const enlarged = notes?.digitalZoom ?? 1;
    const lens = `${recorded.body}, ${mmWords(mm)}${enlarged > 1 ? ` enlarged × ${Number(enlarged.toFixed(2))}` : ''}`;
    return { focalPx: mm * recorded.adapterFactor * pxPerMm * enlarged, pxPerMm: pxPerMm * enlarged, lens, by: mm === recorded.focalMm && enlarged === 1 ? 'record' : 'file' };
  }
  if (!notes?.focal35Mm) return null;
  const focalPx = (notes.focal35Mm * Math.hypot(widthPx, heightPx)) / FULL_DIAGONAL_MM;
  return {
    focalPx,
    pxPerMm: notes.focalMm ? focalPx / notes.focalMm : null,
    lens: `${notes.body ?? 'a camera of no name'}, ${notes.focalMm ? mmWords(notes.focalMm) : `${mmWords(notes.focal35Mm)} on 36 × 24`}`,
    by: 'file',
  };
}

const mmWords = (mm: number): string => `${Number(mm.toFixed(1))} mm`;
