import { tableOf } from './warning';

/** Of forecasting a planned solve. */
export const FORECAST = tableOf({
  NO_FRAME_SEES: (least: number) => `No frame sees ${least} fixed points: nothing can be solved.`,
  FRAMES_SEE_FEW: (share: string, least: number) => `${share} of the move sees fewer than ${least} fixed points: those frames cannot be placed.`,
  CAMERA_NOT_DETERMINED: () => 'What is seen does not determine the camera.',
  NO_PARALLAX: () => 'No parallax: the solve gives directions only. Depth, height and scale are not observable.',
  NO_PLANNED_SCALE: () => 'Nothing that is measured gives a scale: it is not observable. Measure a length between two marks, or a camera height over three level marks.',
  NO_PLANNED_GROUND: () => 'No ground: fewer than three level marks that are seen and not in a row. Camera heights are not observable.',
  LENS_NOT_PLATED: (less: string) => `How this lens bends nobody has measured, and these figures bear it. A grid plate would make ${less}.`,
  FOCAL_NOT_OBSERVABLE: () => 'The focal length is not observable in this shot: hold it by a grid plate, or let the camera turn and come nearer.',
});
