import { formatLength } from './format-length';
import type { LengthUnit } from './length-unit';

/** A lens at its stop: no distance, and further than any that is measured. As a number, so that it sorts and compares. */
export const FOCUS_INFINITY_M = 10_000;

/** How people write that a lens is at its stop. */
export const INFINITY_FORM = /^(∞|inf|infinity)$/i;

export const isFocusInfinity = (focusM: number): boolean => focusM >= FOCUS_INFINITY_M;

/** A focus distance of `focusM` metres as it is read aloud: a length in `unit`, or ∞. */
export const formatFocus = (focusM: number, unit: LengthUnit, decimals?: number): string => (isFocusInfinity(focusM) ? '∞' : formatLength(focusM, unit, { decimals }));

/** A focus distance as a cell of a column in metres; empty where none was noted, and never the number that stands for infinity here. */
export const focusCell = (focusM: number | null | undefined): number | 'infinity' | '' => (focusM === null || focusM === undefined ? '' : isFocusInfinity(focusM) ? 'infinity' : focusM);
