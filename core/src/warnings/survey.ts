import { tableOf } from './warning';

/** Of the tape net. */
export const SURVEY = tableOf({
  NOT_AT_REST: () => 'The adjustment stopped before it came to rest.',
  LENGTHS_SCATTER: (times: number) => `The lengths scatter ${times.toFixed(1)} times as much as their tolerances say; the sigmas are as much wider.`,
  NET_CONTRADICTS: () => 'Very many facts contradict each other: these places cannot be trusted. Look for a point that was named twice, or moved, and give heights.',
  NOTHING_CHECKS: () => 'Nothing checks these facts: any of them may be wrong unseen. Measure further ties.',
  LITTLE_CHECKS: (ids: readonly string[]) =>
    `Little checks where ${ids.slice(0, 4).join(', ')}${ids.length > 4 ? ` and ${ids.length - 4} more` : ''} ${ids.length === 1 ? 'stands' : 'stand'}: a wrong length there may stay unseen. One tie more to each would show it.`,
  NO_UP: () => 'Nothing says which way is up: give heights of three points that are not in a row.',
  NET_FLAT: () => 'The net lies in one plane: heights over it are not determined. Give the heights of its points, or ties to one above it.',
  HEIGHTS_OPEN: (ids: readonly string[]) => `How high ${ids.join(', ')} stand${ids.length === 1 ? 's' : ''} is not determined: give the height, or a tie to a mark above.`,
  MIRROR_OPEN: (words: string) => words,
  /** the question has its buttons */
  SIDE_ASKED: (words: string) => words,
  SIDE_OPEN: (words: string) => words,
  KNOWN_APART: (ids: readonly string[], taped: boolean) =>
    `${ids.join(', ')}: too little joins ${ids.length === 1 ? 'this mark' : 'these marks'}, which ${ids.length === 1 ? 'was' : 'were'} ${taped ? 'taped, to the places that an instrument measured' : 'measured by an instrument, to the tape net'}. Tape three marks of both, or measure three of the net with the same instrument.`,
  TOO_FEW_TIES: () => 'Three points that are tied to each other are needed to begin with.',
  NO_TRIANGLE: () => 'No three points are tied to each other all round, nor are two of known height with a third: nothing can be computed yet.',
});
