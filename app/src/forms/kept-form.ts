import type { FieldProblem } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { useForm, type DefaultValues, type FieldErrors, type FieldValues, type Resolver, type UseFormReturn } from 'react-hook-form';
import { keepDraft, readDraftFields } from '../data/drafts';

export interface KeptForm<V extends FieldValues> extends UseFormReturn<V> {
  /** what stood half typed when the page went away came back */
  cameBack: boolean;
  /** kept or given up: nothing half typed is left */
  done(): void;
}

/**
 * A form whose half-typed text is on the device with each keystroke, under `key`, until it is kept or given up. `problems` are of the
 * contract's schemas, the same that guard the server; each names its field by its path, and one without a path stands at the form.
 */
export function useKeptForm<V extends FieldValues>(key: string, initial: V, problems: (values: V) => FieldProblem[] | Promise<FieldProblem[]>): KeptForm<V> {
  const [draft] = useState(() => readDraftFields<Partial<V>>('form', key));
  const [began] = useState(initial);
  const resolver: Resolver<V> = async (values) => {
    const found = await problems(values);
    if (found.length === 0) return { values, errors: {} };
    const errors: Record<string, { type: string; message: string }> = {};
    for (const p of found) errors[p.field in values ? p.field : 'root'] ??= { type: 'invalid', message: p.field in values || p.field === '' ? p.message : `${p.field}: ${p.message}` };
    return { values: {}, errors: errors as FieldErrors<V> };
  };
  const form = useForm<V>({ defaultValues: { ...initial, ...draft } as DefaultValues<V>, resolver, mode: 'onSubmit', reValidateMode: 'onChange' });
  const { subscribe } = form;
  useEffect(
    () =>
      subscribe({
        formState: { values: true },
        callback: ({ values }) =>
          keepDraft(
            'form',
            key,
            // only what was typed: a field that nobody touched takes what somebody else gives it meanwhile
            JSON.stringify(Object.fromEntries(Object.entries(values as V).filter(([field, value]) => !SECRET.test(field) && value !== began[field]))),
          ),
      }),
    [subscribe, key, began],
  );
  return { ...form, cameBack: draft !== null, done: () => keepDraft('form', key, null) };
}

/** A password is asked for again after a reload: it is never on the device. */
const SECRET = /^(password|before|code)$/;

/** The contract's check of a body, loaded when a form is first sent: a phone does not build the schemas at its start. */
export async function bodyProblems<B>(kind: string, body: B): Promise<FieldProblem[]> {
  const { BODY_SCHEMAS, check } = await import('@mesure/contract/schemas');
  return check(BODY_SCHEMAS[kind as 'day'] as never, body).problems ?? [];
}
