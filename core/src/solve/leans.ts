import type { SolveResult } from './result';

type Leaning = Partial<Pick<SolveResult, 'readoutSeen' | 'focalAsked' | 'movedAfterAll' | 'squeezed' | 'bending' | 'zoomed' | 'misfitPx'>>;

/** Does the whole of a solve lean by something that was recorded otherwise, or by nobody? All its frames may be there, and none of it is to be built on. */
export const leansWhole = ({ readoutSeen, focalAsked, movedAfterAll, squeezed, bending, zoomed }: Leaning): boolean =>
  Boolean(readoutSeen ?? focalAsked ?? movedAfterAll ?? squeezed ?? bending ?? zoomed);
