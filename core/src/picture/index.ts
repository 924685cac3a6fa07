export { glance, halve, sampleAt, smooth, type GrayImage } from './gray-image';
export { pixelsOf, rowKernel, SPARE } from './row-kernel';
export { SmoothedPicture } from './smoothed-picture';
