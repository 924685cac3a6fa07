export { MARK_PX, SPREAD_COLUMNS, SPREAD_ROWS, lifeFrames, markDiameterFor, markSizePx, spareMarks, watchMoments, type MarkAdvice, type MomentWatch } from './watch-marks';
export { MARK_FACES, layGrid, layRing, layScatter, nextMarkIds, type LaidMarks, type MarkFace } from './lay-marks';
