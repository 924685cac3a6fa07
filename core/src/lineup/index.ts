export { lineUpPicture, type LineUp, type LineUpAngles, type LineUpMark, type LineUpOptions, type LineUpPoint } from './line-up-picture';
export { checkLineUp, type CheckedLineUp, type LineUpQuestion } from './check-line-up';
