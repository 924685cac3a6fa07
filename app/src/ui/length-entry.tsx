import { CoreError, formatLength, LENGTH_UNITS, parseLength, type LengthUnit, type ParsedLength } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { Choice, Field } from './controls';
import { Tape } from './tape';
import { SPACE } from './theme';

const UNIT_TITLES: Record<LengthUnit, string> = { m: 'm', cm: 'cm', mm: 'mm', in: 'in', ft: 'ft', 'ft-in': 'ft in' };

/** One length: drag the tape or type it in the form in which it was measured. Both are the same value. */
export function LengthEntry({
  label,
  value,
  onCommit,
  startM,
  unit: usual = 'm',
  ticks,
  chooseUnit = true,
  testID = 'length-field',
}: {
  label: string;
  value: { typed: string; unit: LengthUnit; valueM: number } | null;
  onCommit: (length: ParsedLength) => void;
  startM: number;
  /** of a length that is not there yet */
  unit?: LengthUnit;
  ticks?: readonly { valueM: number; label: string }[];
  /** the unit can be chosen here; else it is the person's, and what is typed may still name another */
  chooseUnit?: boolean;
  testID?: string;
}) {
  const [unit, setUnit] = useState<LengthUnit>(value?.unit ?? usual);
  const [text, setText] = useState(value?.typed ?? '');
  const [error, setError] = useState<string | null>(null);
  const [draggedM, setDraggedM] = useState<number | null>(null);
  const typedBefore = value?.typed ?? '';
  const unitBefore = value?.unit;
  useEffect(() => {
    setText(typedBefore);
    if (unitBefore) setUnit(unitBefore);
  }, [typedBefore, unitBefore]);
  const commit = (typed: string) => {
    setDraggedM(null);
    if (typed.trim() === '' || typed === value?.typed) {
      setError(null);
      return;
    }
    try {
      const parsed = parseLength(typed, unit);
      setError(null);
      setUnit(parsed.unit);
      onCommit(parsed);
    } catch (e) {
      setError(e instanceof CoreError ? e.message : String(e));
    }
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
          setText(formatLength(m, unit, { denominator: 8 }));
          setError(null);
        }}
        onDone={(m) => commit(formatLength(m, unit, { denominator: 8 }))}
      />
      <Field label={label} value={text} onChangeText={setText} onDone={() => commit(text)} error={error} hint={'As measured: 1.403 m, 140,3 cm, 55 1/4 in, 4\' 7 1/4"'} testID={testID} />
      {chooseUnit ? (
        <Choice
          label="Unit"
          value={unit}
          options={LENGTH_UNITS.filter((u) => u !== 'mm' && u !== 'ft').map((u) => ({ value: u, title: UNIT_TITLES[u] }))}
          onChange={(u) => {
            setUnit(u);
            if (value) setText(formatLength(value.valueM, u, { denominator: 8 }));
          }}
        />
      ) : null}
    </View>
  );
}
