import { anamorphic } from './anamorphic';
import { division } from './division';
import { fisheye } from './fisheye';
import type { LensModel } from './lens-model';
import { radial } from './radial';

/** Every lens model, one line each; all that asks for a model reads it here. */
const MODELS = { radial, division, fisheye, anamorphic };

export type DistortionModel = keyof typeof MODELS;
type OfModel<M> = M extends LensModel<infer D, string> ? D : never;
export type Distortion = OfModel<(typeof MODELS)[DistortionModel]>;
type TermOf<M> = M extends LensModel<never, infer T> ? T : M extends { terms: infer T } ? Exclude<keyof T, ''> : never;
/** Terms of all models beyond the shared ones. */
export type ModelTerm = { [K in DistortionModel]: Exclude<TermOf<(typeof MODELS)[K]>, ''> }[DistortionModel] & string;

/** The table, for what does not care which model it has. */
export const LENS_MODELS = MODELS as unknown as Record<DistortionModel, LensModel<Distortion, ModelTerm>>;

export type { AnamorphicDistortion } from './anamorphic';
export type { DivisionDistortion } from './division';
export type { FisheyeDistortion } from './fisheye';
export { NO_DISTORTION, type RadialDistortion } from './radial';
export { SHARED_TERMS, type LensModel, type SharedTerm } from './lens-model';
