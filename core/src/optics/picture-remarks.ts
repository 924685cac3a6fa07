/** What a picture file says of itself (EXIF), as far as it says it; null where it is silent. */
export interface PictureNotes {
  /** upright */
  widthPx: number | null;
  heightPx: number | null;
  /** as the camera wrote it; a program that crops or resizes leaves it as it was */
  shotWidthPx: number | null;
  shotHeightPx: number | null;
  focalMm: number | null;
  /** the focal length with the same diagonal view on 36 × 24 mm, as the camera reckons */
  focal35Mm: number | null;
  focusM: number | null;
  body: string | null;
  lens: string | null;
  digitalZoom: number | null;
  shotAt: string | null;
  /** how it was exposed; missing where nobody asked */
  exposureS?: number | null;
  fNumber?: number | null;
  iso?: number | null;
  /** how much wider than high a pixel is shown, where the file says it (OpenEXR); missing where nobody asked */
  pixelAspect?: number | null;
}

/** What was recorded for the package that the picture is said to come from. */
export interface RecordedPicture {
  widthPx: number;
  heightPx: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  focalMm: number;
  focusM: number | null;
  body: string;
  /** of the lens; missing: nobody compares it */
  squeeze?: number;
  /** what the values come from, as the remark names it; missing: the plate */
  of?: string;
}

export interface PictureRemark {
  field: 'size' | 'crop' | 'focal' | 'focus' | 'body' | 'sensor' | 'squeeze';
  message: string;
}

/** Marked focal lengths are rounded, and so is what a camera writes. */
const FOCAL_TOLERANCE = 0.03;
const FOCUS_TOLERANCE = 0.15;
/** A crop told from the 35 mm equivalent, a whole number of mm, is good to a few per cent. */
const CROP_TOLERANCE = 0.08;
const SQUEEZE_TOLERANCE = 0.03;

/**
 * Where a picture contradicts its package. Each remark says both values; which of the two is wrong is the person's to say.
 * A stabiliser leaves no standard trace in a file, so that nothing is said of one.
 */
export function pictureRemarks(notes: PictureNotes, recorded: RecordedPicture): PictureRemark[] {
  const remarks: PictureRemark[] = [];
  const { widthPx: w, heightPx: h } = notes;
  if (w !== null && h !== null && (w !== recorded.widthPx || h !== recorded.heightPx)) {
    const scale = w / recorded.widthPx;
    const sameShape = Math.abs(h / recorded.heightPx / scale - 1) < 0.005;
    const turned = w === recorded.heightPx && h === recorded.widthPx;
    const why = turned
      ? 'It is turned by a quarter.'
      : sameShape
        ? `It has the mode's shape at ${(100 * scale).toFixed(1)} % of its size: resized, or another mode.`
        : 'It is cropped, or shot in another mode.';
    remarks.push({ field: 'size', message: `The picture is ${w} × ${h}, the mode says ${recorded.widthPx} × ${recorded.heightPx}. ${why}` });
  }
  const { shotWidthPx: sw, shotHeightPx: sh } = notes;
  if (w !== null && h !== null && sw !== null && sh !== null && Math.max(sw, sh) !== Math.max(w, h)) {
    remarks.push({ field: 'crop', message: `The camera wrote ${sw} × ${sh} and the file now has ${w} × ${h}: it was cropped or resized since. Give the original.` });
  }
  if (notes.digitalZoom !== null && notes.digitalZoom > 1.001) remarks.push({ field: 'crop', message: `The camera enlarged the picture ${notes.digitalZoom.toFixed(2)} times (digital zoom).` });
  if (notes.focalMm !== null && Math.abs(notes.focalMm / recorded.focalMm - 1) > FOCAL_TOLERANCE) {
    remarks.push({ field: 'focal', message: `The picture says ${tidy(notes.focalMm)} mm, the ${recorded.of ?? 'plate'} says ${tidy(recorded.focalMm)} mm.` });
  }
  if (notes.focusM !== null && recorded.focusM !== null && Math.abs(notes.focusM / recorded.focusM - 1) > FOCUS_TOLERANCE) {
    remarks.push({ field: 'focus', message: `The picture says a focus distance of ${notes.focusM.toFixed(2)} m, the ${recorded.of ?? 'plate'} says ${recorded.focusM.toFixed(2)} m.` });
  }
  if (notes.focalMm !== null && notes.focal35Mm !== null && notes.focalMm > 0) {
    const told = notes.focal35Mm / notes.focalMm;
    const reckoned = Math.hypot(36, 24) / Math.hypot(recorded.sensorWidthMm, recorded.sensorHeightMm);
    if (Math.abs(told / reckoned - 1) > CROP_TOLERANCE) {
      remarks.push({ field: 'sensor', message: `The camera reckons a crop of ${told.toFixed(2)} against 36 × 24, the mode's picture area gives ${reckoned.toFixed(2)}.` });
    }
  }
  const aspect = notes.pixelAspect ?? null;
  if (recorded.squeeze !== undefined && aspect !== null && Math.abs(aspect / recorded.squeeze - 1) > SQUEEZE_TOLERANCE)
    remarks.push({ field: 'squeeze', message: `The file shows its pixels ${Number(aspect.toFixed(3))} times as wide as high, the lens has a squeeze of ${recorded.squeeze}.` });
  if (notes.body !== null && !sameBody(notes.body, recorded.body)) remarks.push({ field: 'body', message: `The picture comes from a ${notes.body}, the package says ${recorded.body}.` });
  return remarks;
}

const tidy = (mm: number): string => String(Number(mm.toFixed(1)));

/** One name within the other, whatever the spaces, dashes and capitals: a maker writes its own name now before the model, now not. */
export function sameBody(a: string, b: string): boolean {
  const bare = (s: string) => s.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
  const [x, y] = [bare(a), bare(b)];
  return x === '' || y === '' || x.includes(y) || y.includes(x);
}
