export { countDetail, findCorners, type Corner, type PictureDetail } from './corners';
