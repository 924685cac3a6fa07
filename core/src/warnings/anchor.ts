import { tableOf } from './warning';

/** Of tying a solve to the world. */
export const ANCHOR = tableOf({
  NO_SCALE: () => 'No scale: neither a length nor a camera height over a ground was given; distances are in units of the solve.',
  NO_GROUND: () => 'No ground: fewer than three level points, so up is the camera’s mean up and camera heights are uncertain.',
  MARK_NOT_SOLVED: (where: string, id: string) => `${where}: ${id} is not among the solved points and was left out.`,
  FRAME_NOT_PLACED: (what: string, frame: number | 'last') => `${what}: ${frame === 'last' ? 'the last frame' : `frame ${frame}`} was not placed, so it was left out.`,
  FACT_LEFT_OUT: (what: string, rest: string) => `${what}: ${rest}It was left out of the anchoring.`,
  FACT_NOT_FORCED: (what: string, rest: string) => `${what}: ${rest}It was not forced.`,
  FACTS_UNDECIDED: (first: string, others: readonly string[], decide: string) =>
    `These contradict each other, and nothing tells which is wrong: ${first}, or ${others.join(', or ')}. The answer that is shown takes the first as wrong. ${decide}`,
});
