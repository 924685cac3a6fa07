export { measurePhoto, type PhotoLength, type PhotoMeasure, type RecceInput } from './measure-photo';
export { setFromPhoto, type RecceSet } from './set-from-photo';
