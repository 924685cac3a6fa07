import { typedLength, type MeasuredLength } from '@mesure/contract';
import { formatLength, parseLength, type ParsedLength } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useRecordsState } from '../../../data';
import { CameBack, useKeptEntry } from '../../../forms';
import { Action, Choice, Field, Sheet } from '../../../ui/controls';
import { LengthEntry } from '../../../ui/length-entry';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { PullReading } from '../../devices/pull-reading';
import { Repeats } from '../take/repeats';
import { useLengthUnit } from '../use-floor';

export const TOLERANCES = [
  { value: '2 mm', title: '± 2 mm', detail: 'laser' },
  { value: '5 mm', title: '± 5 mm', detail: 'tape' },
  { value: '20 mm', title: '± 20 mm', detail: 'paced' },
] as const;
export const instrumentOf = (tolerance: string): string => (tolerance === '2 mm' ? 'laser' : 'tape');

type Reading = Pick<ParsedLength, 'typed' | 'unit' | 'valueM'>;
interface Entry {
  from: string;
  to: string;
  readings: Reading[];
  pulledFrom: string | null;
  tolerance: string;
}

/** A measured distance between two marks; `between` and `startM` where the net asked for it. */
export function NewTie({ setId, between, startM = 2, onClose }: { setId: string; between?: readonly [string, string]; startM?: number; onClose: () => void }) {
  const p = usePalette();
  const unit = useLengthUnit();
  const write = useRecordsState((s) => s.write);
  const set = useAll('set').find((s) => s.id === setId);
  const marks = set?.body.marks ?? [];
  const kept = useKeptEntry<Entry>(`tie ${setId} ${between?.join(' ') ?? ''}`, {
    from: between?.[0] ?? marks[0] ?? '',
    to: between?.[1] ?? marks[1] ?? '',
    readings: [],
    pulledFrom: null,
    tolerance: '5 mm',
  });
  const { from, to, readings, pulledFrom, tolerance } = kept.entry;
  const [again, setAgain] = useState(false);
  const [error, setError] = useState<string | null>(null);
  const toleranceM = parseLength(tolerance).valueM;
  const length: MeasuredLength | null = readings.length === 0 ? null : { ...meanReading(readings), toleranceM };
  const take = (reading: Reading) => {
    kept.set({ readings: again ? [...readings, reading] : [reading] });
    setAgain(false);
  };
  const save = async () => {
    const problem = !from.trim() || !to.trim() ? 'Name both marks.' : from.trim() === to.trim() ? 'A tie needs two different marks.' : !length ? 'Enter the distance.' : null;
    setError(problem);
    if (problem || !length) return;
    await write(
      'tie',
      newId(),
      { setId, from: from.trim(), to: to.trim(), length, instrument: pulledFrom ?? instrumentOf(tolerance), measuredAt: new Date().toISOString() },
      `Tie ${from} – ${to} kept`,
    );
    kept.done();
    onClose();
  };
  return (
    <Sheet title="Measure a tie" open onClose={onClose}>
      {kept.cameBack ? <CameBack /> : null}
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <Field label="From mark" value={from} onChangeText={(v) => kept.set({ from: v })} testID="tie-from" />
        </View>
        <View style={{ flex: 1 }}>
          <Field label="To mark" value={to} onChangeText={(v) => kept.set({ to: v })} testID="tie-to" />
        </View>
      </View>
      <LengthEntry
        key={again ? 'again' : 'first'}
        label={again ? 'Distance, read again' : 'Distance'}
        quantity="tie"
        value={again ? null : length}
        unit={unit}
        nearM={again && length ? length.valueM : null}
        chooseUnit
        draft={[setId, again ? 'tie again' : 'tie']}
        onCommit={({ typed, unit: read, valueM }) => take({ typed, unit: read, valueM })}
        startM={length?.valueM ?? startM}
      />
      <PullReading
        quantity="distance"
        what={`the distance ${from} to ${to}`}
        near={length?.valueM ?? startM}
        onText={(text, instrument) => {
          take(typedLength(text, unit, 'tie'));
          kept.set({ pulledFrom: instrument, tolerance: '2 mm' });
        }}
      />
      {length ? (
        <Repeats reading={length} again={again} disabled={false} onAgain={() => setAgain(!again)} onTakeOut={(index) => kept.set({ readings: readings.filter((_, i) => i !== index) })} />
      ) : null}
      <Choice label="Tolerance" value={tolerance} options={TOLERANCES} onChange={(v) => kept.set({ tolerance: v })} />
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      <Action kind="main" title="Keep this tie" onPress={() => void save()} testID="save-tie" />
    </Sheet>
  );
}

/** One reading as it was typed; several as their mean, with all of them. */
function meanReading(readings: readonly Reading[]): Omit<MeasuredLength, 'toleranceM'> {
  const [first] = readings;
  if (readings.length === 1) return first;
  const repeatsM = readings.map((r) => r.valueM);
  const valueM = repeatsM.reduce((s, v) => s + v, 0) / repeatsM.length;
  return { typed: formatLength(valueM, first.unit), unit: first.unit, valueM, repeatsM };
}
