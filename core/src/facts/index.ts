export { USUAL_SIGMA } from './usual-sigmas';
