import { tableOf } from './warning';

/** Two digits that count. */
const mmWords = (mm: number): string => mm.toFixed(mm < 0.1 ? 3 : 2);

/** Of solving tracks. */
export const SOLVE = tableOf({
  LENS_BENDS: (k1: number, rmsPx: number, bentRmsPx: number, movesFocal = 0) =>
    `The lens bends, and this solve took it as straight: ${
      movesFocal > 0
        ? `cameras and places took it up, so that the errors hardly show it, and a distortion moves the focal length by ${movesFocal.toFixed(0)} of its standard deviations`
        : `with a distortion (k1 about ${k1.toFixed(2)}) the error would fall from ${rmsPx.toFixed(2)} to ${bentRmsPx.toFixed(2)} px`
    }. Shoot a lens grid, or mark straight edges, before anything is judged by it.`,
  TRACKS_DRIFT: (times: number) => `The tracks drift: their errors go along them from frame to frame. Standard deviations are ${times.toFixed(1)} times what their number alone would give.`,
  NO_DEVIATIONS: () => 'The tracks do not determine all cameras and points: no standard deviations can be given.',
  TRACKS_MOVE: (moving: number, of: number) => `${moving} of ${of} tracks do not behave like still points and were left out.`,
  PART_APART: (from: number, to: number) =>
    `Frames ${from} to ${to} hold together by themselves, and nothing ties them to the rest: they have no camera here. Follow three marks that both sides see under one name each (four where the camera only turned), or survey three places on each side.`,
  PARTS_CONTRADICT: (from: number, to: number, tracks: readonly string[]) =>
    `Frames ${from} to ${to} do not fit the rest by their surveyed places: ${tracks.join(', ')} would lie at two places. One of the surveyed places, or of the names, is wrong.`,
  THIN_FRAMES: (frames: number, least: number) => `${frames} frames stand on fewer than ${least} tracks.`,
  CENTRE_NOT_TOLD: (sigmaPx: number) =>
    `These tracks do not tell where the principal point is: a turn of the camera hides a shift of it. It stays as it was known, within ${sigmaPx.toFixed(0)} px. A roll of the camera during a pass would tell it.`,
  SQUEEZE_NOT_TOLD: () => 'These tracks do not tell the squeeze: it stays as it was recorded. A roll of the camera, or surveyed points, would tell it.',
  TRIED_NEAR_RECORD: (recordedMm: number, ranToMm: number) =>
    `From ${recordedMm.toFixed(1)} mm the focal length ran off to ${ranToMm.toFixed(1)} mm without an end. It was tried again, held loosely to the record at first; this is what came of that.`,
  FOCAL_NOT_TOLD: (recordedMm: number, loosePct: number, ranToMm: number) =>
    `Nothing in this move tells the focal length: by itself it went to ${ranToMm.toFixed(0)} mm, and by the record all fits as well. It is held to the record of ${recordedMm.toFixed(1)} mm within ${loosePct.toFixed(0)} %, and path and points with it. A pass that turns, or comes nearer, would tell it.`,
  FOCAL_BY_FEWER: (allMm: number, left: number) =>
    `All tracks together would fit a focal length of ${allMm.toFixed(1)} mm, badly. Without ${left} of them, which go along with something that moves, the others fit far better, and by the record: this is told. Mask what moves, and it is settled.`,
  TRIED_OTHER_STARTS: (firstMm: number) => `The first start ended at ${firstMm.toFixed(1)} mm, against the record; another one explains more of the tracks, and is what is told here.`,
  PLACES_HOLD_FOCAL: (tracksMm: number, sigmaMm: number) =>
    `The surveyed places say the focal length better than this move does, and hold it here: by the tracks alone it would be ${tracksMm.toFixed(2)} ± ${sigmaMm.toFixed(2)} mm.`,
  PLACES_SAY_OTHER_FOCAL: (placesMm: number, placesSigmaMm: number, tracksMm: number, tracksSigmaMm: number) =>
    `The surveyed places would fit a focal length of ${placesMm.toFixed(2)} ± ${placesSigmaMm.toFixed(2)} mm, the tracks say ${tracksMm.toFixed(2)} ± ${tracksSigmaMm.toFixed(2)} mm: one of them is wrong. A lens that bends and was taken as straight, a wrong squeeze or a survey of another state of the set does that.`,
  FOCAL_HARDLY_SEEN: (sigmaMm: number) => `The focal length is hardly seen in this move: ± ${sigmaMm.toFixed(1)} mm.`,
  FOCAL_NOT_ASKED: (placed: number, of: number) => `Only ${placed} of ${of} frames were placed, too few to ask them for the focal length: it is the one that the solve began at.`,
  LENS_UNMEASURED: (sigmaMm: number, byLensMm: number) =>
    `Nobody measured how this lens bends: of the ± ${mmWords(sigmaMm)} mm of the focal length ± ${mmWords(byLensMm)} come from that. A plate of a lens grid takes them away.`,
  CAMERA_TURNS: () => 'The camera turns but does not move: turns, directions and what they say of the lens are seen, and no depth, no place, no scale.',
  CAMERA_STANDS: () => 'The camera stands still: nothing is seen of its path, and nothing of its lens.',
  OUTSIDE_LENS: (places: number) => `${places} places lie where the held distortion has no inverse and were left out.`,
  DISTORTION_HELD_OVER_ZOOM: (mm: number) => `The distortion at ${mm.toFixed(1)} mm was held over the whole zoom; a lens bends otherwise at its other end.`,
  FOCAL_CONTRADICTED: (reason: string) => `${reason.charAt(0).toUpperCase()}${reason.slice(1)}. Put the record right, or leave it free.`,
  TRACKS_MISFIT: (reason: string) => `${reason.charAt(0).toUpperCase()}${reason.slice(1)}. Look at the lens, its zoom and its grid, at the mode of the camera, and at the clip that was tracked.`,
  CAMERA_MOVED: (reason: string) => `It was asked for as a turn: ${reason}. Solve it as a camera that may move.`,
  LENS_ZOOMS: (reason: string) => `The lens zooms: ${reason}. Note where the zoom begins and ends, and solve it as a zoom.`,
  LENS_SQUEEZES: (reason: string) => `Another squeeze: ${reason}. Put the squeeze of the lens right, and solve again.`,
  READOUT_SEEN: (reason: string) => `The rows were read otherwise: ${reason}. Put the readout time of the recording mode right, or take its skew out, and solve again.`,
  PLACES_ALONE: (places: number) => `${places} places have no neighbour along their track, so that their readout skew cannot be taken out; they were left out.`,
  STOPPED_EARLY: (rounds: number) => `The adjustment was stopped after ${rounds} rounds while it still moved: the standard deviations are too small. More tracks that last longer would settle it.`,
  LITTLE_PARALLAX: (tracks: number) => `${tracks} tracks were seen under too little parallax to have a depth and were left out.`,
  DISTORTION_FOLLOWS_FOCAL: () => 'The distortion fits better when its coefficients are read with the solved focal length than with the recorded one; it was read so.',
  TRIM_MADE_WORSE: () => 'Trimming made the fit worse: the worst tracks were holding it together.',
  SET_TRACKS: (tracks: number) => `${tracks} tracks stay where they are in the picture, as the set does before a still camera, and were left out.`,
  OBJECT_WITHOUT_HEIGHT: () => 'No camera height: places of the object count from the entrance pupil.',
  OBJECT_MANY_HEIGHTS: () => 'The camera stands still: of several heights the first was taken.',
  COUNTING_DOUBTED: (words: string) => words,
  MIRRORED: (words: string) => words,
});
