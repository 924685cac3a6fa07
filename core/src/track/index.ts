export { countDetail, findCorners, type Corner, type PictureDetail } from './corners';
export { asRecorded, countedAs, countingWords, questionCounting, sameCounting, type CountingQuestion, type PictureSize, type TrackCounting } from './counting';
