import { rigAt, touched, type Lookup, type StoredRecord, type WitnessClip } from '@mesure/contract';
import type { PairedWitness } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { View } from 'react-native';
import { useAll, useFind, useRecordsState } from '../../data';
import { Action, Section, Tick } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { GiveTracks } from './give-tracks';

const nameOf = (packageId: string, find: Lookup): string => `${find('package', packageId)?.body.camera ?? '?'}-cam`;

/** The witness camera of a take that a solve calls by its name. */
export const witnessNamed = (take: StoredRecord<'take'>, name: string, find: Lookup): string | undefined => take.body.witnesses?.find((w) => nameOf(w.packageId, find) === name)?.packageId;

/** The witness cameras that ran with a take, as far as the main camera carried them: their tracks, and whether the next solve takes one with it. */
export function WitnessTicks({ take, value, onChange }: { take: StoredRecord<'take'>; value: string | null; onChange: (packageId: string | null) => void }) {
  const find = useFind();
  const rigs = useAll('rig');
  const clips = take.body.witnesses ?? [];
  if (clips.length === 0) return null;
  return (
    <View style={{ gap: SPACE.s }}>
      {clips.map((clip) => {
        const rig = rigAt(rigs, take.body.setupId, clip.packageId, take.body.loggedAt);
        return (
          <OneWitness
            key={clip.packageId}
            take={take}
            clip={clip}
            name={nameOf(clip.packageId, find)}
            onSet={rig?.body.placement.way === 'free'}
            on={value === clip.packageId}
            onTick={() => onChange(value === clip.packageId ? null : clip.packageId)}
          />
        );
      })}
    </View>
  );
}

function OneWitness({ take, clip, name, onSet, on, onTick }: { take: StoredRecord<'take'>; clip: WitnessClip; name: string; onSet: boolean; on: boolean; onTick: () => void }) {
  const write = useRecordsState((s) => s.write);
  const router = useRouter();
  const given = (tracks: WitnessClip['tracks']) =>
    write(
      'take',
      take.id,
      (now) => touched(now, { witnesses: (now.witnesses ?? []).map((w) => (w.packageId === clip.packageId ? { ...w, tracks } : w)) }),
      `Tracks of ${name} given to ${take.body.slate} take ${take.body.take}`,
    );
  if (onSet) return <Words look="small" dim testID={`witness-apart-${name}`}>{`${name} stood on the set in this take: it is solved by itself.`}</Words>;
  return (
    <View testID={`witness-of-${name}`}>
      {clip.tracks ? (
        <Tick
          title={`Solve ${name} with it`}
          detail={`One path for both, and how the one sat on the other. Tracks: ${clip.tracks.name}. Marks need the same names in both; everything else is each camera’s own.`}
          on={on}
          onPress={onTick}
          testID={`with-${name}`}
        />
      ) : (
        <Words look="small" dim>{`${name} ran with this take. With its tracks both are solved together, and hold each other where one sees too little.`}</Words>
      )}
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        <GiveTracks title={clip.tracks ? `Other tracks of ${name}` : `Give tracks of ${name}`} testID={`give-tracks-${name}`} onGiven={given} />
        <Action kind="quiet" icon="graphic-eq" title="How it ran" onPress={() => router.push(`/floor/sync/${take.id}` as Href)} testID={`sync-${name}`} />
      </View>
    </View>
  );
}

/** Where the witness sat on the main camera, as it was found. */
export function WitnessFound({ witness, scaled }: { witness: PairedWitness; scaled: boolean }) {
  const [x, y, z] = witness.translation;
  const unit = scaled ? 'm' : 'of the solve’s own units';
  const side = (v: number, plus: string, minus: string): string => `${fixed(Math.abs(v), 3)} ${v < 0 ? minus : plus}`;
  const both = witness.shared.length;
  return (
    <Section title={`${witness.name} with it`}>
      <Words testID="witness-offset">{`Its pupil sat ${side(x, 'to the right', 'to the left')}, ${side(y, 'up', 'down')}, ${side(-z, 'forward', 'behind')}${witness.sigmaM === null ? '' : `, ± ${fixed(witness.sigmaM, 3)}`} ${unit}.`}</Words>
      <Words
        look="small"
        dim
        testID="witness-facts"
      >{`${both === 0 ? 'No mark is seen by both' : `Seen by both: ${witness.shared.join(', ')}`}; ${witness.frames.length} frames, error ${fixed(witness.rmsPx, 2)} px; focal length ${fixed(witness.focalMm, 2)}${witness.sigmaFocalMm ? ` ± ${fixed(witness.sigmaFocalMm, 2)}` : ''} mm; its count is ${fixed(witness.addFrames, 1)} frames ahead${witness.sigmaDeg === null ? '' : `; turned to ± ${fixed(witness.sigmaDeg, 2)}°`}.`}</Words>
    </Section>
  );
}
