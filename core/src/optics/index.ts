export { computeOptics, type OpticsInput, type Optics, REFERENCE_FRAME_MM } from './compute-optics';
export { pictureGeometry, type PictureGeometry } from './picture-geometry';
