export { halve, sampleAt, smooth, type GrayImage } from './gray-image';
