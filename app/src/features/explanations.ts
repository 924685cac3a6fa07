import type { Explanation } from '../ui/explain';

/** What stands behind each computed number of the screens; the pages are the headings of docs/models.md. */
export const EXPLANATIONS = {
  effectiveFocal: {
    title: 'Effective focal length',
    from: 'The focal length as marked on the lens, times the factors of the adapters that are mounted.',
    model: 'A focal reducer or extender multiplies the focal length; the sensor does not change it.',
    page: 'Optics',
    better: 'A grid plate with the measured distance of the chart, or a test solve: both say it without the engraving.',
  },
  fieldOfView: {
    title: 'Field of view',
    from: 'The effective focal length and the area that this recording mode records.',
    model: 'Twice the arctangent of half the area over the focal length: a pinhole, without distortion. A squeeze widens it across.',
    page: 'Optics',
    better: 'A grid plate: a lens that bends sees more or less at the border than a pinhole.',
  },
  pictureArea: {
    title: 'Picture area',
    from: 'The recording mode of the body, as it was entered.',
    model: 'The part of the chip that the recorded picture covers; its pitch is the width over the pixels.',
    page: 'Optics',
    better: 'The maker’s table for this very mode; a windowed mode sees a smaller part.',
  },
  reprojection: {
    title: 'Reprojection error',
    from: 'Every place where a track was seen, and where the solved camera says that it should be.',
    model: 'The root of the mean of the squared distances, in two dimensions; over the width it compares pictures of different sizes.',
    page: 'The solve',
    better: 'Sharper pictures, a lens grid for the distortion, and leaving out what moves.',
  },
  forecast: {
    title: 'Forecast',
    from: 'The planned move, camera, marks and measurements of this setup.',
    model: 'The information matrix of the adjustment that a later solve would make: how far the answer may lie off, before anything is shot.',
    page: 'Forecast',
    better: 'What stands under “What helps most”: each further mark or measurement with what it gains.',
  },
} as const satisfies Record<string, Explanation>;
