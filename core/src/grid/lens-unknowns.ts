import { COEFFICIENTS, coefficientsOf, LENS_MODELS, SHARED_TERMS, type Distortion, type DistortionModel, type ModelTerm, type SharedTerm } from '../lens';
import type { LensFit } from './fit-lens';
import type { GridFrame } from './observation';

/** A group of unknowns that a fit frees: of the model, or of all models. */
export type LensTerm = ModelTerm | SharedTerm;

/** Names of the unknowns that a model with these terms has, poses apart. */
export function unknownsOf(model: DistortionModel, terms: readonly LensTerm[]): string[] {
  const own: Partial<Record<LensTerm | '', readonly string[]>> = LENS_MODELS[model].terms;
  const shared: Partial<Record<LensTerm, readonly string[]>> = SHARED_TERMS;
  return [...(own[''] ?? []), ...terms.flatMap((t) => own[t] ?? []), ...terms.flatMap((t) => shared[t] ?? [])];
}

/** A lens, as the numbers that a fit knows it by. */
export interface LensNumbers {
  /** in the order of COEFFICIENTS */
  coefficients: Float64Array;
  center: [number, number];
  rho: number;
  aspect: number;
}

/** Which unknowns of the lens a fit has, where each stands in its vector, and what those are that it has not. */
export interface LensLayout {
  names: readonly string[];
  /** −1: it is not free */
  slot(name: string): number;
  begin: ReadonlyMap<string, number>;
  /** of the free coefficients: where each stands, and which one it is */
  coefficients: readonly (readonly [slot: number, index: number])[];
  read(x: Float64Array): LensNumbers;
}

/** Everything by name: what is free begins at the start's value, and what is not is without a fit what it always is. */
export function layoutOf(
  model: DistortionModel,
  terms: readonly LensTerm[],
  frame: GridFrame,
  start?: { distortion: Distortion; center: readonly [number, number]; focalRatio?: number; aspect?: number },
): LensLayout {
  const names = unknownsOf(model, terms);
  const slot = (name: string): number => names.indexOf(name);
  const own = COEFFICIENTS[model];
  const begin = new Map<string, number>([['cx', frame.widthPx / 2], ['cy', frame.heightPx / 2], ...Object.entries(UNFITTED)]);
  // a coefficient that this set of terms leaves out is 0, whatever the start had
  const known = start?.distortion.model === model ? coefficientsOf(start.distortion) : [];
  own.forEach((name, i) => begin.set(name, slot(name) < 0 ? 0 : (known[i] ?? 0)));
  if (start && slot('cx') >= 0) begin.set('cx', start.center[0]).set('cy', start.center[1]);
  if (start && slot('rho') >= 0) begin.set('rho', start.focalRatio ?? 1);
  if (start && slot('aspect') >= 0) begin.set('aspect', start.aspect ?? 1);
  const slots = new Map(names.map((name, i) => [name, i]));
  return {
    names,
    slot,
    begin,
    coefficients: own.flatMap((name, i) => (slot(name) >= 0 ? [[slot(name), i] as const] : [])),
    read(x) {
      const at = (name: string): number => (slots.has(name) ? x[slots.get(name)!] : begin.get(name)!);
      return { coefficients: Float64Array.from(own, at), center: [at('cx'), at('cy')], rho: at('rho'), aspect: at('aspect') };
    },
  };
}

/** One unknown of a fit. */
export interface FittedUnknown {
  name: string;
  value: number;
  sigma: number;
  /** false: the data do not tell it from what it would be without a fit */
  determined: boolean;
}

/** What each unknown is without a fit; coefficients are none. */
const UNFITTED: Record<string, number> = { rho: 1, aspect: 1 };

export function fittedUnknowns(fit: LensFit): FittedUnknown[] {
  const values = new Map<string, number>(COEFFICIENTS[fit.model].map((name, i) => [name, coefficientsOf(fit.distortion)[i]]));
  values.set('cx', fit.center[0]).set('cy', fit.center[1]).set('rho', fit.focalRatio).set('aspect', fit.aspect);
  return Object.entries(fit.sigma).map(([name, sigma]) => {
    const value = values.get(name)!;
    const idle = name === 'cx' || name === 'cy' ? null : (UNFITTED[name] ?? 0);
    return { name, value, sigma, determined: idle === null || Math.abs(value - idle) > 2 * sigma };
  });
}
