import { touched, type TakeBody, type TakeField, type TakeWords } from '@mesure/contract';
import { View, type KeyboardTypeOptions } from 'react-native';
import { useLineEntry } from '../../../forms';
import { Choice, IconAction } from '../../../ui/controls';
import { InlineField } from '../../../ui/inline-field';
import { Wheel } from '../../../ui/wheel';
import { seriesOf, stepOf, type Direction } from './take-steps';

const KEYBOARDS: Partial<Record<TakeField['key'], KeyboardTypeOptions>> = {
  take: 'number-pad',
  zoomFrom: 'number-pad',
  zoomTo: 'number-pad',
  focalMm: 'decimal-pad',
  focalEndMm: 'decimal-pad',
  stop: 'decimal-pad',
  iso: 'number-pad',
  fps: 'decimal-pad',
  timecodeIn: 'numbers-and-punctuation',
  timecodeOut: 'numbers-and-punctuation',
};

export interface EntryProps {
  field: TakeField;
  takeId: string;
  take: TakeBody;
  words: TakeWords;
  lens: { minFocalMm: number; maxFocalMm: number } | null;
  disabled: boolean;
  /** the value in the take before, when it is another */
  before?: string | null;
  keep: (change: Partial<TakeBody>, what: string) => void;
}

/** One field of a take: typed, stepped or chosen; kept the moment it is left. */
export function TakeEntry({ field, takeId, take, words, lens, disabled, before, keep }: EntryProps) {
  const shown = field.text(take, words);
  const carried = take.carried.includes(field.key);
  const what = field.title.toLowerCase();
  const step = stepOf(field.key);
  const line = useLineEntry(
    takeId,
    field.key,
    shown,
    (text) => field.read(text, take, words),
    (change) => keep(change, what),
    (change) => doubtOf(field.key, change, lens),
  );
  if (field.choices) {
    // a second touch of the chosen one takes it back, where a take can be without it
    const choose = (value: string) => keep(field.read(value === shown && !field.always ? '' : value, take, words), what);
    return (
      <View nativeID={`field-${field.key}`}>
        <Choice label={`${field.title}${carried ? ' ↷ carried over' : ''}`} value={shown} options={field.choices.map((c) => ({ value: c, title: c }))} disabled={disabled} onChange={choose} />
      </View>
    );
  }
  const fps = take.fps ?? words.packages.find((p) => p.id === take.packageId)?.fps ?? 24;
  const move = (direction: Direction) => {
    const change = step?.(take, direction, { fps, lens });
    if (!change) return;
    line.drop();
    keep(change, what);
  };
  const series = seriesOf(field.key);
  return (
    <InlineField
      id={`field-${field.key}`}
      testID={`field-${field.key}`}
      label={field.title}
      mark={carried && !line.open ? '↷ carried over' : line.open && !line.error ? 'typed, not kept yet' : null}
      unit={field.unit}
      {...line}
      keyboard={KEYBOARDS[field.key]}
      note={before ? `take before: ${before}` : null}
      right={carried && field.key === 'clip' && !disabled && !line.open ? <IconAction icon="done" label="The clip is named so: confirm" onPress={() => keep({ clip: take.clip }, what)} /> : undefined}
      less={step && !disabled ? () => move(-1) : null}
      more={step && !disabled ? () => move(1) : null}
      below={
        series && !disabled ? (
          <Wheel
            label={`${field.title}, wheel`}
            testID={`wheel-${field.key}`}
            values={series.values}
            value={series.of(take, { fps, lens })}
            usual={series.usual({ fps, lens })}
            text={series.text}
            onPick={(value) => {
              line.drop();
              keep(series.pick(value), what);
            }}
          />
        ) : null
      }
      tall={field.key === 'notes' || field.key === 'moveNote' || field.key === 'movers'}
      disabled={disabled}
    />
  );
}

/** What speaks against a value that can be, in words; null when nothing does. */
function doubtOf(key: TakeField['key'], change: Partial<TakeBody>, lens: EntryProps['lens']): string | null {
  if ((key !== 'focalMm' && key !== 'focalEndMm') || !lens) return null;
  const mm = change[key];
  if (mm === null || mm === undefined || (mm >= lens.minFocalMm - 0.01 && mm <= lens.maxFocalMm + 0.01)) return null;
  return `The lens on this camera is marked ${lens.minFocalMm === lens.maxFocalMm ? lens.minFocalMm : `${lens.minFocalMm} to ${lens.maxFocalMm}`} mm`;
}

/** Keeps a change of a take with its fields no longer marked as carried over. */
export const keepTouched = (change: Partial<TakeBody>) => (now: TakeBody) => touched(now, change);
