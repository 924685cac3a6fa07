import type { KeyboardTypeOptions } from 'react-native';
import { useEffect, useRef, useState } from 'react';
import { Field } from './controls';
import { readNumber } from './format';

interface Props {
  label: string;
  suffix?: string;
  value: number | null | undefined;
  /** NaN while what stands there is no number; null when an optional field is empty */
  onChange: (value: number | null) => void;
  /** when the field is left */
  onDone?: () => void;
  /** may lie below zero */
  signed?: boolean;
  optional?: boolean;
  digits?: number;
  error?: string | null;
  hint?: string;
  testID?: string;
}

/** A number that is told at each keystroke, so that what depends on it follows while one types. */
export function LiveNumber({ label, suffix, value, onChange, onDone, signed, optional, digits = 3, error, hint, testID }: Props) {
  const show = (v: number | null | undefined) => (v === null || v === undefined || Number.isNaN(v) ? '' : String(Number(v.toFixed(digits))));
  const [text, setText] = useState(show(value));
  const told = useRef(value);
  useEffect(() => {
    // what was typed here stays as it was typed; what comes from elsewhere replaces it
    if (Object.is(value, told.current)) return;
    told.current = value;
    setText(show(value));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `show` depends on digits only
  }, [value]);
  const tell = (next: string) => {
    setText(next);
    const read = next.trim() === '' && optional ? null : (readNumber(next, signed) ?? Number.NaN);
    told.current = read;
    onChange(read);
  };
  const unread = text.trim() === '' ? !optional : readNumber(text, signed) === null;
  const keyboard: KeyboardTypeOptions = signed ? 'numbers-and-punctuation' : 'decimal-pad';
  return <Field label={label} suffix={suffix} value={text} onChangeText={tell} onDone={onDone} error={unread ? 'Enter a number' : error} hint={hint} keyboard={keyboard} testID={testID} />;
}
