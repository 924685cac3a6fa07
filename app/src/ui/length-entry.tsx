import { formatLength, lengthWords, LENGTH_UNITS, readLength, type LengthQuantity, type LengthReading, type LengthUnit, type ParsedLength } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { useDraftText } from '../data/use-draft-text';
import { Choice, Field } from './controls';
import { askedWords, Readings } from './readings';
import { Tape } from './tape';
import { SPACE } from './theme';

export const UNIT_TITLES: Record<LengthUnit, string> = { m: 'm', cm: 'cm', mm: 'mm', in: 'in', ft: 'ft', 'ft-in': 'ft in' };

/**
 * One length: drag the tape or type it in the form in which it was measured. The unit stands in the field and is the person's; what was
 * typed shows as what it will be read as; two readings that make sense are asked about, and one that is far from what it should be is kept
 * only when it is said again.
 */
export function LengthEntry({
  label,
  quantity,
  value,
  onCommit,
  startM,
  unit: own,
  nearM = null,
  ticks,
  chooseUnit = false,
  draft: [draftOf, draftField] = ['length', label],
  testID = 'length-field',
}: {
  label: string;
  quantity: LengthQuantity;
  value: { typed: string; unit: LengthUnit; valueM: number } | null;
  onCommit: (length: ParsedLength) => void;
  startM: number;
  /** in which the person measures */
  unit: LengthUnit;
  /** of the last take or the plan: far from it is asked about */
  nearM?: number | null;
  ticks?: readonly { valueM: number; label: string }[];
  /** another unit can be chosen for this one entry */
  chooseUnit?: boolean;
  /** under which half-typed text is kept: a record and a field of it */
  draft?: readonly [string, string];
  testID?: string;
}) {
  const [unit, setUnit] = useState<LengthUnit>(own);
  const draft = useDraftText(draftOf, draftField, value?.typed ?? '');
  const [asked, setAsked] = useState<Extract<LengthReading, { status: 'ask' }> | null>(null);
  const [draggedM, setDraggedM] = useState<number | null>(null);
  const read = (typed: string) => readLength(typed, { unit, quantity, nearM });
  const take = (length: ParsedLength) => {
    setAsked(null);
    setDraggedM(null);
    draft.done();
    onCommit(length);
  };
  const commit = () => {
    setDraggedM(null);
    if (draft.text.trim() === '' || !draft.open) {
      draft.fail(null);
      setAsked(null);
      return;
    }
    const r = read(draft.text);
    if (r.status === 'read') take(r.length);
    else {
      setAsked(r.status === 'ask' ? r : null);
      draft.fail(r.status === 'ask' ? askedWords(r.why, r.readings) : r.why);
    }
  };
  /** what stands there, as it would be read */
  const preview = (): string => {
    if (!draft.open || draft.text.trim() === '')
      return `As measured, such as ${formatLength(startM, unit, { denominator: 8 })}; a bare number is ${unit === 'ft-in' ? 'inches, or feet' : UNIT_TITLES[unit]}`;
    const r = read(draft.text);
    if (r.status === 'refused') return r.why;
    return r.status === 'read' ? `reads as ${lengthWords(r.length)}` : `${r.readings.map((l) => l.typed).join(' or ')}?`;
  };
  const shownM = draggedM ?? value?.valueM ?? startM;
  return (
    <View style={{ gap: SPACE.s }}>
      <Tape
        valueM={shownM}
        unit={unit}
        ticks={ticks}
        label={`${label} on the tape`}
        onChange={(m) => {
          setDraggedM(m);
          setAsked(null);
          draft.type(formatLength(m, unit, { denominator: 8 }));
        }}
        onDone={(m) => {
          const r = read(formatLength(m, unit, { denominator: 8 }));
          // the finger is on the tape and sees the number: what it says is meant
          if (r.status !== 'refused') take(r.status === 'read' ? r.length : r.readings[0]);
        }}
      />
      <Field
        label={label}
        suffix={UNIT_TITLES[unit]}
        value={draft.text}
        onChangeText={(text) => {
          setAsked(null);
          draft.type(text);
        }}
        onDone={commit}
        error={draft.error}
        hint={preview()}
        testID={testID}
      />
      {asked ? (
        <Readings readings={asked.readings.map((l) => ({ write: l.typed, words: lengthWords(l) }))} onChoose={(typed) => take(asked.readings.find((l) => l.typed === typed)!)} testID={testID} />
      ) : null}
      {chooseUnit ? <Choice label="Unit" value={unit} options={LENGTH_UNITS.filter((u) => u !== 'mm' && u !== 'ft').map((u) => ({ value: u, title: UNIT_TITLES[u] }))} onChange={setUnit} /> : null}
    </View>
  );
}
