import { isShown, shownFields, TAKE_FIELDS, type FloorBody } from '@mesure/contract';
import { clipPatternProblem, CoreError, LENGTH_UNITS } from '@mesure/core';
import { useAll, useData, useRecordsState } from '../../data';
import { useLineEntry } from '../../forms';
import { Choice, Section, Sheet, Tick } from '../../ui/controls';
import { InlineField } from '../../ui/inline-field';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useFloor, useLengthUnit } from './use-floor';

/** What the production notes of each take, how its clips are named, and the unit in which this person measures. */
export function FloorChoices({ onClose }: { onClose: () => void }) {
  const { session } = useData();
  const floor = useFloor();
  const unit = useLengthUnit();
  const write = useRecordsState((s) => s.write);
  const shown = shownFields(floor);
  const letters = [...new Set(useAll('package').map((q) => q.body.camera.replace(/\d+$/, '')))].sort();
  const keep = (change: (now: FloorBody) => Partial<FloorBody>, what: string) =>
    void write(
      'floor',
      session.production.id,
      (now: FloorBody | undefined) => {
        const base = now ?? { shown: [...shown], clips: [] };
        return { ...base, ...change(base) };
      },
      what,
    );
  const optional = TAKE_FIELDS.filter((f) => !f.always);
  return (
    <Sheet title="What is noted" open onClose={onClose}>
      <Choice
        label="Lengths are measured in (for you)"
        value={unit}
        options={LENGTH_UNITS.map((u) => ({ value: u, title: u === 'ft-in' ? 'ft in' : u }))}
        onChange={(lengthUnit) => void write('person', session.userId, { lengthUnit }, 'Unit kept')}
      />
      <Section title="Fields of a take (for everybody)">
        {optional.map((f) => {
          const on = isShown(f, shown);
          return (
            <Tick
              key={f.key}
              title={f.title}
              on={on}
              testID={`shows-${f.key}`}
              onPress={() => keep((now) => ({ shown: [...now.shown.filter((k) => k !== f.key), ...(on ? [] : [f.key])] }), on ? `${f.title} is no longer asked for` : `${f.title} is asked for`)}
            />
          );
        })}
        <Words look="small" dim style={{ marginTop: SPACE.s }}>
          A field that is not asked for keeps what was noted in it.
        </Words>
      </Section>
      <Section title="Clip names">
        <Words look="small" dim>
          # counts up: A012C### gives A012C001, A012C002 … Also {'{camera}'}, {'{slate}'} and {'{take}'}.
        </Words>
        {letters.map((camera) => (
          <Pattern
            key={camera}
            camera={camera}
            value={floor?.clips.find((c) => c.camera === camera)?.pattern ?? ''}
            onKeep={(pattern) => keep((now) => ({ clips: [...now.clips.filter((c) => c.camera !== camera), ...(pattern ? [{ camera, pattern }] : [])] }), `Clip names of ${camera}-cam kept`)}
          />
        ))}
      </Section>
    </Sheet>
  );
}

function Pattern({ camera, value, onKeep }: { camera: string; value: string; onKeep: (pattern: string) => void }) {
  const problemOf = (text: string) => (text.trim() === '' ? null : clipPatternProblem(text));
  const line = useLineEntry(
    'floor',
    `clips ${camera}`,
    value,
    (text) => {
      const problem = problemOf(text);
      if (problem) throw new CoreError('UNREADABLE_INPUT', problem);
      return text.trim();
    },
    onKeep,
  );
  // a pattern is told what is wrong with it while it grows: nobody knows its signs by heart
  return <InlineField label={`${camera}-cam`} {...line} error={problemOf(line.value)} testID={`pattern-${camera}`} />;
}
