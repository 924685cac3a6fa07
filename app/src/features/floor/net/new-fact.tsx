import type { FactBody } from '@mesure/contract';
import { parseLength, type ParsedLength } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useRecordsState } from '../../../data';
import { CameBack, useKeptEntry } from '../../../forms';
import { Action, Choice, Field, Sheet } from '../../../ui/controls';
import { LengthEntry } from '../../../ui/length-entry';
import { LiveNumber } from '../../../ui/live-number';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { PullPoint } from '../../devices/pull-point';
import { useLengthUnit } from '../use-floor';
import { TOLERANCES } from './new-tie';

const TITLES: Record<FactBody['what'], { title: string; detail: string; fields: string[]; length: string | null }> = {
  height: { title: 'a height', detail: 'over the floor', fields: ['Mark'], length: 'Height over the floor' },
  level: { title: 'one level', detail: 'two marks as high', fields: ['Mark', 'as high as'], length: null },
  plumb: { title: 'a plumb line', detail: 'one over the other', fields: ['Lower mark', 'Upper mark'], length: null },
  wall: { title: 'off a wall', detail: 'level distance', fields: ['Mark', 'Wall through', 'and'], length: 'Distance from the wall' },
  point: { title: 'a place', detail: 'from a total station', fields: ['Mark'], length: null },
};
const AXES = ['to the right', 'up from the floor', 'towards you'] as const;

interface Entry {
  what: FactBody['what'];
  names: string[];
  length: Pick<ParsedLength, 'typed' | 'unit' | 'valueM'> | null;
  at: (number | null)[];
  pulledFrom: string | null;
  tolerance: string;
}

/** What is known of marks beside their ties. */
export function NewFact({ setId, onClose }: { setId: string; onClose: () => void }) {
  const sheet = useAll('set').find((s) => s.id === setId)?.body.sheet ?? [];
  const p = usePalette();
  const unit = useLengthUnit();
  const write = useRecordsState((s) => s.write);
  const kept = useKeptEntry<Entry>(`fact ${setId}`, { what: 'height', names: ['', '', ''], length: null, at: [null, null, null], pulledFrom: null, tolerance: '5 mm' });
  const { what, names, length, at, pulledFrom, tolerance } = kept.entry;
  const [error, setError] = useState<string | null>(null);
  const form = TITLES[what];
  const save = async () => {
    const marks = names.slice(0, form.fields.length).map((n) => n.trim());
    const problem = marks.some((n) => n === '')
      ? 'Name every mark.'
      : new Set(marks).size < marks.length
        ? 'They must be different marks.'
        : form.length && !length
          ? 'Enter the length.'
          : what === 'point' && !at.every((v) => v !== null && Number.isFinite(v))
            ? 'Enter all three distances.'
            : null;
    setError(problem);
    if (problem) return;
    const toleranceM = parseLength(tolerance).valueM;
    const body: FactBody = {
      setId,
      what,
      marks,
      length: form.length && length ? { typed: length.typed, unit: length.unit, valueM: length.valueM, toleranceM } : null,
      ...(what === 'point' ? { at: at as [number, number, number] } : {}),
      ...(what === 'point' && pulledFrom ? { instrument: pulledFrom } : {}),
      toleranceM,
      measuredAt: new Date().toISOString(),
    };
    await write('fact', newId(), body, `${factWords(body)} kept`);
    kept.done();
    onClose();
  };
  return (
    <Sheet title="What else is known" open onClose={onClose}>
      {kept.cameBack ? <CameBack /> : null}
      <Choice<FactBody['what']>
        label="It is"
        value={what}
        options={(Object.keys(TITLES) as FactBody['what'][]).map((v) => ({ value: v, title: TITLES[v].title, detail: TITLES[v].detail }))}
        // a length over the floor is none from a wall
        onChange={(v) => kept.set({ what: v, length: null })}
      />
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        {form.fields.map((label, i) => (
          <View key={label} style={{ flex: 1 }}>
            <Field label={label} value={names[i]} onChangeText={(v) => kept.set({ names: names.map((o, k) => (k === i ? v : o)) })} testID={`fact-mark-${i + 1}`} />
          </View>
        ))}
      </View>
      {form.length ? (
        <LengthEntry
          label={form.length}
          quantity={what === 'height' ? 'mark height' : 'distance'}
          value={length}
          unit={unit}
          onCommit={({ typed, unit: read, valueM }) => kept.set({ length: { typed, unit: read, valueM } })}
          startM={1}
          chooseUnit
          draft={[setId, `fact ${what}`]}
        />
      ) : null}
      {what === 'point' ? (
        <>
          {AXES.map((axis, i) => (
            <LiveNumber key={axis} label={axis} suffix="m" signed value={at[i]} digits={4} onChange={(v) => kept.set({ at: at.map((o, k) => (k === i ? v : o)) })} testID={`fact-at-${i}`} />
          ))}
          <PullPoint
            near={sheet.find((m) => m.id === names[0].trim())?.at ?? [0, 0, 0]}
            onPoint={(point, instrument) => {
              kept.set({ at: [...point], pulledFrom: instrument, tolerance: '5 mm' });
            }}
          />
        </>
      ) : null}
      <Choice label="Tolerance" value={tolerance} options={TOLERANCES} onChange={(v) => kept.set({ tolerance: v })} />
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      <Action kind="main" title="Keep it" onPress={() => void save()} testID="save-fact" />
    </Sheet>
  );
}

export function factWords({ what, marks, length, at }: FactBody): string {
  switch (what) {
    case 'height':
      return `${marks[0]} is ${length?.typed} over the floor`;
    case 'level':
      return `${marks[0]} is as high as ${marks[1]}`;
    case 'plumb':
      return `${marks[1]} is straight over ${marks[0]}`;
    case 'wall':
      return `${marks[0]} is ${length?.typed} from the wall through ${marks[1]} and ${marks[2]}`;
    case 'point':
      return `${marks[0]} is at ${(at ?? []).map((v) => v.toFixed(3)).join('  ')} m`;
  }
}
