import type Joi from 'joi';
import { ANALYSIS_KINDS, type FieldProblem } from './wire';
import { checks } from './kinds/checks';
import { MOTIONS } from './recorded-setup';
import { KINDS, RECORD_KINDS, type RecordBodies, type RecordKind } from './records';
import { ROLES } from './roles';
import { SOLVE_TICK_NAMES } from './solve-ticks';

const { Joi: J, id, focalMm } = checks;

/** Bodies of all kinds of record. The same schemas guard the form on the phone and the route on the server. */
export const BODY_SCHEMAS = Object.fromEntries(RECORD_KINDS.map((kind) => [kind, KINDS[kind].schema(checks)])) as unknown as { [K in RecordKind]: Joi.ObjectSchema<RecordBodies[K]> };

export const writeSchema = J.object({
  mutationId: id.required(),
  baseVersion: J.number().integer().min(0).max(2_000_000_000).required(),
  follows: id.allow(null),
  deleted: J.boolean().required(),
  body: J.object().required(),
});
/** To whom a day goes, and whether all of it does. */
export const handOverSchema = J.object({
  id: id.required(),
  to: J.string().trim().min(1).max(120).required(),
  supplementTo: id.allow(null).required(),
  maps: J.string().valid('none', 'exr', 'tiff').default('none'),
  receiverId: id.allow(null).default(null),
  target: J.string().valid('download', 'server').default('download'),
}).required();
export const kindSchema = J.string().valid(...RECORD_KINDS);
export const idSchema = id.required();
/** What a simulated camera shows: near the slate, so that what differs is the camera's doing. */
export const feedSchema = J.object({
  fps: J.number().min(1).max(120).required(),
  focalMm: focalMm.required(),
  focalEndMm: focalMm.required(),
  focusM: J.number().greater(0).max(10_000).required(),
  focusEndM: J.number().greater(0).max(10_000).required(),
  stop: J.number().min(0.5).max(64).required(),
  iso: J.number().min(25).max(1_000_000).required(),
  shutterDeg: J.number().greater(0).max(360).required(),
  seed: J.number().integer().min(0).max(4_294_967_295).required(),
}).required();
export const cursorSchema = J.number().integer().min(0).max(Number.MAX_SAFE_INTEGER).required();
// spaces around it are the server's to take away: a phone's keyboard puts one behind a name
const personName = J.string().pattern(/\S/).max(120).required().messages({ 'string.pattern.base': 'is empty' });
const password = J.string().max(200).required();
const token = J.string()
  .pattern(/^[\w-]{20,64}$/)
  .required()
  .messages({ 'string.pattern.base': 'is no link of this application' });
const role = J.string()
  .valid(...ROLES)
  .required();
/** Of an authenticator, or a recovery code: who has switched the second step on needs one wherever a password lets in. */
const code = J.string().max(60).allow('');
export const signInSchema = J.object({ name: personName, password, code });
export const linkSchema = J.object({ token });
export const beginSchema = J.object({ token, name: personName, password, production: BODY_SCHEMAS.production.required() });
export const joinSchema = J.object({ token, name: personName, password, code });
export const newPasswordSchema = J.object({ token, password, code });
export const changePasswordSchema = J.object({ before: password, password });
export const forgetMeSchema = J.object({ before: password });
export const beginSecondStepSchema = J.object({ before: password });
export const confirmSecondStepSchema = J.object({ code: code.invalid('').required() });
export const provenSecondStepSchema = J.object({ before: password, code });
export const endProductionSchema = J.object({ name: J.string().max(120).required() });
export const waitingSchema = J.object({ count: J.number().integer().min(0).max(1_000_000).required() });
export const inviteSchema = J.object({ role });
export const roleSchema = J.object({ role });
/** A handover that was uploaded; with `replace` what differs here becomes as it says. */
export const handoverInSchema = J.object({ sha256: J.string().hex().length(64).required(), replace: J.boolean().default(false) }).required();
/** Another of one's productions, or a kit file that was uploaded to this one. */
export const kitSourceSchema = J.alternatives(J.object({ productionId: id.required() }), J.object({ sha256: J.string().hex().length(64).required() })).required();
export const analysisSchema = J.object({
  id: id.required(),
  kind: J.string()
    .valid(...ANALYSIS_KINDS)
    .required(),
  subjectId: id.required(),
  options: J.object({
    focalMode: J.string().valid('held', 'guided', 'free'),
    ...Object.fromEntries(SOLVE_TICK_NAMES.map((name) => [name, J.boolean()])),
    withWitness: id,
    motion: J.string().valid(...MOTIONS),
    trim: J.boolean(),
    mapFormat: J.string().valid('exr', 'tiff'),
  }).default({}),
});

/** No character, or half of one: a database refuses them, and so do files. */
const NO_TEXT = /\0|\p{Surrogate}/u;

function unwritable(value: unknown, at: string[] = []): FieldProblem[] {
  if (typeof value === 'string') return NO_TEXT.test(value) ? [{ field: at.join('.'), message: 'holds a character that cannot be written' }] : [];
  if (value === null || typeof value !== 'object') return [];
  return Object.entries(value).flatMap(([key, inner]) => unwritable(inner, [...at, key]));
}

/** Checks a value; every problem names its field and says what would be right. */
export function check<T>(schema: Joi.Schema<T>, value: unknown): { value: T; problems: null } | { value: null; problems: FieldProblem[] } {
  const result = schema.validate(value, { abortEarly: false, convert: false, errors: { wrap: { label: false } } });
  const problems = result.error ? result.error.details.map((d) => ({ field: d.path.join('.'), message: d.message })) : unwritable(value);
  return problems.length > 0 ? { value: null, problems } : { value: result.value!, problems: null };
}
