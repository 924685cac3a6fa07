import { parseLength, type ParsedLength } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useRecordsState } from '../../../data';
import { Action, Choice, Field, Sheet } from '../../../ui/controls';
import { LengthEntry } from '../../../ui/length-entry';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

export const TOLERANCES = [
  { value: '2 mm', title: '± 2 mm', detail: 'laser' },
  { value: '5 mm', title: '± 5 mm', detail: 'tape' },
  { value: '20 mm', title: '± 20 mm', detail: 'paced' },
] as const;
export const instrumentOf = (tolerance: string): string => (tolerance === '2 mm' ? 'laser' : 'tape');

/** A measured distance between two marks; `between` and `startM` where the net asked for it. */
export function NewTie({ setId, between, startM = 2, onClose }: { setId: string; between?: readonly [string, string]; startM?: number; onClose: () => void }) {
  const p = usePalette();
  const write = useRecordsState((s) => s.write);
  const set = useAll('set').find((s) => s.id === setId);
  const marks = set?.body.marks ?? [];
  const [from, setFrom] = useState(between?.[0] ?? marks[0] ?? '');
  const [to, setTo] = useState(between?.[1] ?? marks[1] ?? '');
  const [length, setLength] = useState<ParsedLength | null>(null);
  const [tolerance, setTolerance] = useState<string>('5 mm');
  const [error, setError] = useState<string | null>(null);
  const save = async () => {
    const problem = !from.trim() || !to.trim() ? 'Name both marks.' : from.trim() === to.trim() ? 'A tie needs two different marks.' : !length ? 'Enter the distance.' : null;
    setError(problem);
    if (problem || !length) return;
    await write(
      'tie',
      newId(),
      {
        setId,
        from: from.trim(),
        to: to.trim(),
        length: { typed: length.typed, unit: length.unit, valueM: length.valueM, toleranceM: parseLength(tolerance).valueM },
        instrument: instrumentOf(tolerance),
        measuredAt: new Date().toISOString(),
      },
      `Tie ${from} – ${to} kept`,
    );
    onClose();
  };
  return (
    <Sheet title="Measure a tie" open onClose={onClose}>
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <Field label="From mark" value={from} onChangeText={setFrom} testID="tie-from" />
        </View>
        <View style={{ flex: 1 }}>
          <Field label="To mark" value={to} onChangeText={setTo} testID="tie-to" />
        </View>
      </View>
      <LengthEntry label="Distance" value={length} onCommit={setLength} startM={startM} />
      <Choice label="Tolerance" value={tolerance} options={TOLERANCES} onChange={setTolerance} />
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      <Action kind="main" title="Keep this tie" onPress={() => void save()} testID="save-tie" />
    </Sheet>
  );
}
