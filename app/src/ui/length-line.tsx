import { AmbiguousInput, CoreError, lengthWords, mustReadLength, type LengthQuantity, type LengthUnit, type ParsedLength } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Field, type FieldProps } from './controls';
import { Readings, type Reading } from './readings';

/** A length as it was entered, or why it is none yet. */
export type EnteredLength = { length: ParsedLength; error: null } | { length: null; error: string; readings: readonly Reading[] };

export function enteredLength(text: string, unit: LengthUnit, quantity: LengthQuantity): EnteredLength {
  try {
    return { length: mustReadLength(text, { unit, quantity }), error: null };
  } catch (e) {
    if (!(e instanceof CoreError)) throw e;
    return { length: null, error: e.message, readings: e instanceof AmbiguousInput ? e.readings : [] };
  }
}

/**
 * A length among other fields that are kept together: what stands there is told as it will be read while it is typed, and what can be meant
 * in more than one way is asked about when the field is left.
 */
export function LengthLine({
  unit,
  quantity,
  error,
  hint,
  onDone,
  ...field
}: Omit<FieldProps, 'suffix'> & {
  /** what a bare number is in */
  unit: LengthUnit;
  quantity: LengthQuantity;
}) {
  const [leftAt, setLeftAt] = useState<string | null>(null);
  const text = field.value;
  const read = text.trim() === '' ? null : enteredLength(text, unit, quantity);
  const left = leftAt === text;
  const asked = read && read.error !== null && (left || error) ? read : null;
  return (
    <View>
      <Field
        {...field}
        suffix={unit === 'ft-in' ? 'ft in' : unit}
        onDone={() => {
          setLeftAt(text);
          onDone?.();
        }}
        error={asked?.error ?? error}
        hint={
          read
            ? read.length
              ? lengthWords(read.length) === text.trim()
                ? hint
                : `reads as ${lengthWords(read.length)}`
              : read.readings.length > 0
                ? `${read.readings.map((r) => r.words).join(' or ')}?`
                : read.error
            : hint
        }
      />
      {asked && asked.readings.length > 0 ? <Readings readings={asked.readings} onChoose={field.onChangeText} testID={field.testID} /> : null}
    </View>
  );
}
