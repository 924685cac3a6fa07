export { lineUpPicture } from './line-up-picture';
export { lineUpByLengths } from './line-up-lengths';
export type { LineUp, LineUpAngles, LineUpFrame, LineUpMark, LineUpOptions, LineUpPoint } from './line-up-result';
export { checkLineUp, type CheckedLineUp, type LineUpQuestion } from './check-line-up';
export { factsOfPlaces, lengthsMissing } from './lengths-asked';
export { netFactWords } from './lengths-problem';
