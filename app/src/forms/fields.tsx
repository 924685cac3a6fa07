import type { ComponentProps } from 'react';
import { Controller, type FieldValues, type Path } from 'react-hook-form';
import { Action, Choice, Field, type FieldProps } from '../ui/controls';
import { LengthLine } from '../ui/length-line';
import { Words } from '../ui/text';
import { usePalette } from '../ui/theme';
import type { KeptForm } from './kept-form';

interface Of<V extends FieldValues> {
  form: KeptForm<V>;
  name: Path<V>;
}

/** A line of text of a form. */
export function TextField<V extends FieldValues>({ form, name, ...rest }: Of<V> & Omit<FieldProps, 'value' | 'onChangeText' | 'error'>) {
  return (
    <Controller
      control={form.control}
      name={name}
      render={({ field, fieldState }) => <Field {...rest} value={String(field.value ?? '')} onChangeText={field.onChange} onDone={field.onBlur} error={fieldState.error?.message ?? null} />}
    />
  );
}

/** A length of a form, as text until the form is kept. */
export function LengthField<V extends FieldValues>({ form, name, ...rest }: Of<V> & Omit<ComponentProps<typeof LengthLine>, 'value' | 'onChangeText' | 'error'>) {
  return (
    <Controller
      control={form.control}
      name={name}
      render={({ field, fieldState }) => <LengthLine {...rest} value={String(field.value ?? '')} onChangeText={field.onChange} onDone={field.onBlur} error={fieldState.error?.message ?? null} />}
    />
  );
}

/** One of a few. */
export function ChoiceField<V extends FieldValues, O extends string>({
  form,
  name,
  label,
  options,
  onChosen,
}: Of<V> & { label: string; options: readonly { value: O; title: string; detail?: string }[]; onChosen?: (value: O) => void }) {
  return (
    <Controller
      control={form.control}
      name={name}
      render={({ field }) => (
        <Choice<O>
          label={label}
          value={field.value as O}
          options={options}
          onChange={(v) => {
            field.onChange(v);
            onChosen?.(v);
          }}
        />
      )}
    />
  );
}

export const CameBack = () => (
  <Words look="label" dim testID="came-back">
    What you had typed before is still here.
  </Words>
);

/** What is wrong with the whole of it, and what came back. */
export function FormNotes<V extends FieldValues>({ form, error }: { form: KeptForm<V>; error?: string | null }) {
  const p = usePalette();
  const said = error ?? form.formState.errors.root?.message;
  return (
    <>
      {form.cameBack && !form.formState.isSubmitted ? <CameBack /> : null}
      {said ? <Words role="alert" color={p.against}>{`▲ ${said}`}</Words> : null}
    </>
  );
}

/** Out of a form without keeping it: what was half typed is given up. */
export function LeaveForm<V extends FieldValues>({ form, title = 'Back', onLeave }: { form: KeptForm<V>; title?: string; onLeave: () => void }) {
  return (
    <Action
      title={title}
      icon={title === 'Back' ? 'arrow-back' : undefined}
      onPress={() => {
        form.done();
        onLeave();
      }}
    />
  );
}
