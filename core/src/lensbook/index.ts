export { bookPlate, type BookPlate } from './book-plate';
export { openBook, type LeftOut, type LensBook } from './open-book';
export { lensAt, type BookEstimate } from './lens-at';
export { bookField, nextPlate, type BookFieldCell, type BookRange, type NextPlate } from './next-plate';
export { pupilFromDistances, type ChartAtDistance, type PupilEstimate } from './entrance-pupil';
export { lensDay, type DayCamera, type DayLens, type DayPlate, type DayShot, type LensDay } from './lens-day';
