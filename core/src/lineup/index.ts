export { lineUpPicture, type LineUp, type LineUpMark, type LineUpOptions, type LineUpPoint } from './line-up-picture';
