export { FOREIGN_LOOKS, FOREIGN_UNITS, metresOf, TURN_ORDERS, type TurnOrder, usualReading, type ForeignFocal, type ForeignFrame, type ForeignMove, type ForeignReading } from './move';
export { ASSUMED, tieMove, type TiedMove } from './tie-move';
export type { ReadingDoubt } from './doubts';
