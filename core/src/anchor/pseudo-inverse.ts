import { Matrix } from 'ml-matrix';
import { pseudoInverse } from '../estimate';

export const symmetrise = (m: Matrix): Matrix => m.clone().add(m.transpose()).mul(0.5);

/** A direction of the similarity below this share of the strongest is one of which no fact speaks. */
const RANK_SHARE = 1e-11;

/** Inverse over the directions that the facts determine; the others get no step and no variance. */
export const pseudoInverse7 = (n: Matrix): Matrix => Matrix.from1DArray(7, 7, pseudoInverse(Float64Array.from(symmetrise(n).to1DArray()), 7, RANK_SHARE).inverse);
