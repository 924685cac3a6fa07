export { glance, halve, sampleAt, smooth, type FloatImage, type GrayImage } from './gray-image';
export { pixelsOf, rowKernel, SPARE, type Taps } from './row-kernel';
export { SmoothedPicture } from './smoothed-picture';
