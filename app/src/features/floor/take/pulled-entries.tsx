import { takeField, typedLength, USUAL_TOLERANCE, type TakeBody, type TakeWords } from '@mesure/contract';
import { parseAngle } from '@mesure/core';
import { PullReading } from '../../devices/pull-reading';
import { TakeEntry } from './take-entry';

interface Props {
  takeId: string;
  take: TakeBody;
  words: TakeWords;
  disabled: boolean;
  before: TakeBody | null;
  keep: (change: Partial<TakeBody>, what: string) => void;
}
/** What a digital inclinometer is worth on a camera's plate. */
const INCLINOMETER_TOLERANCE_RAD = 0.0035;

/** Tilt or roll: typed, or read from the inclinometer. */
export function AngleEntry({ which, takeId, take, words, disabled, before, keep }: Props & { which: 'tilt' | 'roll' }) {
  const field = takeField(which)!;
  const was = before ? field.text(before, words) : '';
  return (
    <>
      <TakeEntry field={field} takeId={takeId} take={take} words={words} lens={null} disabled={disabled} before={was !== field.text(take, words) ? was || 'not noted' : null} keep={keep} />
      {disabled ? null : (
        <PullReading
          quantity="angle"
          what={field.title.toLowerCase()}
          near={take[which]?.valueRad ?? before?.[which]?.valueRad ?? 0}
          onText={(text, instrument) => keep({ [which]: { ...parseAngle(text), toleranceRad: INCLINOMETER_TOLERANCE_RAD, instrument } }, field.title.toLowerCase())}
        />
      )}
    </>
  );
}

/** Distance to a thing that has a name: typed as "stove: 3.42 m", or read by the laser for the thing that is named. */
export function DistanceEntry({ takeId, take, words, disabled, before, keep }: Props) {
  const field = takeField('distance')!;
  const to = take.distance?.to ?? before?.distance?.to ?? null;
  return (
    <>
      <TakeEntry field={field} takeId={takeId} take={take} words={words} lens={null} disabled={disabled} keep={keep} />
      {disabled || !to ? null : (
        <PullReading
          quantity="distance"
          what={`the distance to ${to}`}
          near={take.distance?.valueM ?? before?.distance?.valueM ?? take.focusM ?? 3}
          onText={(text, instrument) => keep({ distance: { to, ...typedLength(text, words.unit), toleranceM: take.distance?.toleranceM ?? USUAL_TOLERANCE.distanceM, instrument } }, 'distance')}
        />
      )}
    </>
  );
}

/** Timecode in or out: typed, or read from the clock at the clap. */
export function TimecodeEntry({ which, takeId, take, words, disabled, keep }: Props & { which: 'timecodeIn' | 'timecodeOut' }) {
  const field = takeField(which)!;
  const fps = take.fps ?? words.packages.find((p) => p.id === take.packageId)?.fps ?? 24;
  return (
    <>
      <TakeEntry field={field} takeId={takeId} take={take} words={words} lens={null} disabled={disabled} keep={keep} />
      {disabled ? null : <PullReading quantity="timecode" what={field.title.toLowerCase()} near={fps} onText={(text) => keep(field.read(text, take, words), field.title.toLowerCase())} />}
    </>
  );
}
