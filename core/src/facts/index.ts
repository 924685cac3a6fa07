export type { AnchorFacts } from './anchor-facts';
export { USUAL_SIGMA } from './usual-sigmas';
