import { offsetOf, USUAL_TOLERANCE, type HeightPlace, type HeightReading, type TakeBody, type TakeWords } from '@mesure/contract';
import { averageReadings, formatLength, parseLength, type ParsedLength } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Action, Choice, Section } from '../../../ui/controls';
import { LengthEntry } from '../../../ui/length-entry';
import { Figure, Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { PullReading } from '../../devices/pull-reading';
import { CameraPlaces } from './camera-places';
import { Repeats } from './repeats';

const TOLERANCES = ['2 mm', '5 mm', '10 mm', '20 mm', '50 mm'] as const;
/** A laser that is aimed by hand at a floor mark. */
const LASER_TOLERANCE_M = 0.002;

/** About as tall as tape and field. */
const LATER_PX = 240;

interface Props {
  which: 'height' | 'heightEnd';
  takeId: string;
  title: string;
  take: TakeBody;
  words: TakeWords;
  disabled: boolean;
  /** of the last take and of the plan, at the lens axis */
  ticks: readonly { valueM: number; label: string }[];
  keep: (change: Partial<TakeBody>, what: string) => void;
  /** false in the first drawing of a page: only the height itself, with room for what comes */
  whole?: boolean;
}

/** A camera height: pulled, dragged or typed; where it was taken; how far the entrance pupil is above that; read again where it matters. */
export function HeightSection({ which, takeId, title, take, words, disabled, ticks, keep, whole = true }: Props) {
  const reading = take[which] ?? null;
  const [again, setAgain] = useState(false);
  const what = title.toLowerCase();
  const carried = take.carried.includes(which);
  const pupilM = reading ? reading.valueM + reading.offsetM : null;
  const takenAt = reading?.takenAt ?? take.height?.takenAt ?? 'lens axis';
  const offsetM = reading?.offsetM ?? take.height?.offsetM ?? offsetOf(take, takenAt, words);
  const startM = pupilM ?? ticks[0]?.valueM ?? 1.4;
  const set = (next: HeightReading) => keep({ [which]: next }, what);

  function commit(l: ParsedLength, instrument?: string): void {
    const toleranceM = reading?.toleranceM ?? (instrument ? LASER_TOLERANCE_M : USUAL_TOLERANCE.heightM);
    const base = { toleranceM, takenAt, offsetM, ...(instrument ? { instrument } : reading?.instrument && again ? { instrument: reading.instrument } : {}) };
    if (again && reading) {
      const repeatsM = [...(reading.repeatsM ?? [reading.valueM]), l.valueM];
      setAgain(false);
      set({ ...base, ...meanOf(repeatsM, l.unit), repeatsM });
      return;
    }
    set({ ...base, typed: l.typed, unit: l.unit, valueM: l.valueM });
  }
  return (
    <Section title={`${title}${carried ? ' ↷ carried over' : ''}`}>
      <View nativeID={`field-${which}`} style={{ marginBottom: SPACE.s }} testID={which === 'height' ? 'pupil-height' : 'pupil-height-end'}>
        {reading && pupilM !== null ? (
          <Figure
            look="big"
            origin={reading.offsetM !== 0 || reading.repeatsM ? 'computed' : 'typed'}
            value={formatLength(pupilM, reading.unit)}
            sigma={formatLength(reading.repeatsM ? 2 * averageReadings(reading.repeatsM, reading.toleranceM).sigmaMean : reading.toleranceM, 'mm')}
          />
        ) : (
          <Words dim>Not measured yet.</Words>
        )}
      </View>
      {!whole ? <View style={{ minHeight: LATER_PX }} /> : null}
      {whole && carried && reading && !disabled ? (
        <View style={{ alignItems: 'flex-start', marginBottom: SPACE.s }}>
          <Action icon="done" title={`Still ${reading.typed}: confirm it`} onPress={() => set(reading)} testID={`confirm-${which}`} />
        </View>
      ) : null}
      {disabled || !whole ? null : (
        <>
          <LengthEntry
            key={again ? 'again' : 'first'}
            label={again ? 'Height, read again' : which === 'height' ? 'Height as measured' : 'Height at the end as measured'}
            quantity="camera height"
            value={again ? null : reading}
            nearM={again && reading ? reading.valueM : ticks.length > 0 ? ticks[0].valueM - offsetM : null}
            draft={[takeId, `${which}${again ? ' again' : ''}`]}
            startM={startM - offsetM}
            unit={words.unit}
            ticks={ticks.map((t) => ({ ...t, valueM: t.valueM - offsetM }))}
            onCommit={(l) => commit(l)}
            testID={which === 'height' ? 'length-field' : 'length-field-end'}
          />
          <PullReading quantity="distance" what={what} near={startM - offsetM} onText={(text, instrument) => commit(parseLength(text, words.unit), instrument)} />
        </>
      )}
      {whole && reading ? (
        <>
          <Repeats reading={reading} disabled={disabled} again={again} onAgain={() => setAgain(!again)} onTakeOut={(index) => set(without(reading, index))} />
          <CameraPlaces value={takenAt} disabled={disabled} onChange={(place: HeightPlace) => set({ ...reading, takenAt: place, offsetM: offsetOf(take, place, words) })} />
          {takenAt !== 'lens axis' ? <OffsetWords take={take} words={words} reading={reading} /> : null}
          {disabled ? null : (
            <Choice<string>
              label="Tolerance"
              value={TOLERANCES.find((t) => Math.abs(parseLength(t).valueM - reading.toleranceM) < 1e-9) ?? ''}
              options={TOLERANCES.map((t) => ({ value: t, title: `± ${t}` }))}
              onChange={(t) => set({ ...reading, toleranceM: parseLength(t).valueM })}
            />
          )}
        </>
      ) : null}
    </Section>
  );
}

const meanOf = (repeatsM: readonly number[], unit: HeightReading['unit']): Pick<HeightReading, 'valueM' | 'typed' | 'unit'> => {
  const valueM = repeatsM.reduce((s, v) => s + v, 0) / repeatsM.length;
  return { valueM, unit, typed: formatLength(valueM, unit) };
};

/** The reading with one of its repeats taken out; one that is left is a plain reading again. */
function without(reading: HeightReading, index: number): HeightReading {
  const left = (reading.repeatsM ?? []).filter((_, i) => i !== index);
  const { repeatsM: _gone, ...rest } = reading;
  return { ...rest, ...meanOf(left, reading.unit), ...(left.length > 1 ? { repeatsM: left } : {}) };
}

function OffsetWords({ take, words, reading }: { take: TakeBody; words: TakeWords; reading: HeightReading }) {
  const pack = words.packages.find((p) => p.id === take.packageId);
  const own = pack?.offsetsM?.[reading.takenAt] !== undefined;
  return (
    <Words look="small" dim style={{ marginBottom: SPACE.s }} testID="offset-words">
      {`${formatLength(reading.offsetM, reading.unit)} from the ${reading.takenAt} up to the entrance pupil, ${own ? `as measured on ${pack!.camera}-cam` : `the usual one: measure it once in Kit, ${pack?.camera ?? 'the'}-cam`}.`}
    </Words>
  );
}
