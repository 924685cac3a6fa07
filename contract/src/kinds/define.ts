import type Joi from 'joi';
import type { Right } from '../roles';
import type { Checks } from './checks';

/** All that is said of one kind of record. A kind that leaves a part out does not compile. */
export interface Kind<B> {
  /** never there: carries the type of a body */
  readonly body: B;
  /** what one is called in a sentence */
  noun: string;
  /** which one it is, as history, questions and the list of hidden things say it */
  tell: (body: B) => string;
  /** each field in words */
  fields: { [F in keyof Required<B>]: string };
  /** guards the form on the phone and the route on the server */
  schema: (checks: Checks) => Joi.ObjectSchema<B>;
  /** fields that name other records, and of which kind; `a[].b` is a field of each thing in a list, `x|y` one of two kinds */
  references: Readonly<Record<string, string>>;
  /** how two changes of one record go together: `sets` of words, `lists` of things by the field that names each, `maps` of values by name; all others hold one value */
  merge: { sets?: readonly string[]; lists?: Readonly<Record<string, string>>; maps?: readonly string[] };
  /** the body with one mark of its set under another name; null when nothing is left that makes sense. Kinds that name no marks lack it. */
  renamed?: (body: B, from: string, to: string) => B | null;
  /** where it says who said something and when (`by`, `at`), signed by the server: '' is the record itself, `a` a field, `a[]` each of a list */
  signs?: readonly string[];
  writes: Right;
  /** who may hide one and bring it back */
  hides: Right;
  /** written by the server when something has happened; nobody sends one, though who may hide one may */
  byServer?: boolean;
  /** what of it leaves in the handover, and where it stands there */
  leaves: string;
}

export const defineKind = <B>(kind: Omit<Kind<B>, 'body'>): Kind<B> => kind as Kind<B>;
