import { clipOf, rigAt, touched, type PlanBody, type StoredRecord, type WitnessClip } from '@mesure/contract';
import { CoreError, formatLength, formatTimecode, mustReadLength, parseTimecode, STABILISER } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { View } from 'react-native';
import { useAll, useClock, useFind, useRecordsState } from '../../../data';
import { useDraftText } from '../../../data/use-draft-text';
import { Action, Choice, Section } from '../../../ui/controls';
import { InlineField } from '../../../ui/inline-field';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { viewPackage } from '../../kit/package-words';
import { placementWords } from '../day/rig-section';
import { useFloor, useLengthUnit } from '../use-floor';

/** What each witness camera of the setup recorded of this take, and how it was mounted then. */
export function WitnessClips({ take, plan, disabled }: { take: StoredRecord<'take'>; plan: PlanBody | null; disabled: boolean }) {
  const rigs = useAll('rig').filter((r) => r.body.setupId === take.body.setupId);
  const ids = [...new Set([...(plan?.witnesses ?? []).map((w) => w.packageId), ...rigs.map((r) => r.body.packageId), ...(take.body.witnesses ?? []).map((w) => w.packageId)])];
  const router = useRouter();
  if (ids.length === 0) return null;
  return (
    <Section title="Witness cameras" right={<Action kind="quiet" icon="graphic-eq" title="Sync" onPress={() => router.push(`/floor/sync/${take.id}` as Href)} testID="open-sync" />}>
      {ids.map((packageId) => (
        <OneClip key={packageId} take={take} packageId={packageId} rigs={rigs} disabled={disabled} />
      ))}
    </Section>
  );
}

function OneClip({ take, packageId, rigs, disabled }: { take: StoredRecord<'take'>; packageId: string; rigs: StoredRecord<'rig'>[]; disabled: boolean }) {
  const clock = useClock();
  const find = useFind();
  const floor = useFloor();
  const unit = useLengthUnit();
  const takes = useAll('take');
  const write = useRecordsState((s) => s.write);
  const pack = find('package', packageId);
  const view = pack ? viewPackage(pack.body, find) : null;
  const camera = pack?.body.camera ?? '?';
  const clip = take.body.witnesses?.find((w) => w.packageId === packageId) ?? null;
  const rig = rigAt(rigs, take.body.setupId, packageId, take.body.loggedAt);
  const draft = useDraftText(take.id, `witness-${packageId}`, clip?.clip ?? '');
  const next = clipOf(take.body, camera, takes, floor);
  const fps = view?.status === 'complete' ? view.mounted.mode.fps : 24;
  const timecode = useDraftText(take.id, `witness-timecode-${packageId}`, clip?.timecodeIn ?? '');
  const focus = useDraftText(take.id, `witness-focus-${packageId}`, clip?.focusM ? formatLength(clip.focusM, unit) : '');
  const commit = (draft: ReturnType<typeof useDraftText>, what: string, read: (text: string) => Partial<WitnessClip>) => {
    try {
      if (draft.open) keep(read(draft.text.trim()), what);
      draft.done();
    } catch (e) {
      draft.fail(e instanceof CoreError ? e.message : String(e));
    }
  };
  const keep = (change: Partial<WitnessClip>, what: string) =>
    void write(
      'take',
      take.id,
      (now) => {
        const was = now.witnesses?.find((w) => w.packageId === packageId) ?? { packageId, clip: '', focusM: null, stabiliser: 'unknown' as const };
        return touched(now, { witnesses: [...(now.witnesses ?? []).filter((w) => w.packageId !== packageId), { ...was, ...change }] });
      },
      `${camera}-cam: ${what} kept`,
    );
  const mode =
    view?.status === 'complete'
      ? `${view.mounted.body.name}, ${view.mounted.mode.name}: ${view.mounted.mode.widthPx} × ${view.mounted.mode.heightPx} at ${view.mounted.mode.fps} frames/s`
      : (view?.why ?? 'The package is gone.');
  return (
    <View style={{ marginBottom: SPACE.m }} testID={`witness-${camera}`}>
      <Words>{`${camera}-cam`}</Words>
      <Words look="small" dim>
        {mode}
      </Words>
      <Words look="small" dim testID={`rig-of-${camera}`}>
        {rig ? `Mounted since ${clock.time(rig.body.since)}: ${placementWords(rig.body.placement)}` : 'Nobody has said how it was mounted at that time.'}
      </Words>
      <InlineField
        id="field-witnesses"
        testID={`witness-clip-${camera}`}
        label="Clip name"
        mark={draft.open ? 'typed, not kept yet' : null}
        value={draft.text}
        onChangeText={draft.type}
        onDone={() => {
          const text = draft.text.trim();
          if (draft.open && text.length > 80) draft.fail('A clip name may have 80 letters');
          else {
            if (draft.open) keep({ clip: text }, 'clip');
            draft.done();
          }
        }}
        note={next && !clip?.clip ? `next by the pattern: ${next}` : null}
        error={draft.error}
        disabled={disabled}
      />
      <InlineField
        testID={`witness-timecode-${camera}`}
        label="Timecode in"
        value={timecode.text}
        onChangeText={timecode.type}
        onDone={() => commit(timecode, 'timecode', (text) => ({ timecodeIn: text === '' ? null : formatTimecode(parseTimecode(text, fps)) }))}
        error={timecode.error}
        keyboard="numbers-and-punctuation"
        disabled={disabled}
      />
      <InlineField
        testID={`witness-focus-${camera}`}
        label="Focus distance"
        value={focus.text}
        onChangeText={focus.type}
        onDone={() => commit(focus, 'focus', (text) => ({ focusM: text === '' ? null : mustReadLength(text, { unit, quantity: 'focus distance' }).valueM }))}
        error={focus.error}
        disabled={disabled}
      />
      <Choice
        label="Stabiliser"
        value={clip?.stabiliser ?? 'unknown'}
        options={STABILISER.map((s) => ({ value: s, title: s }))}
        disabled={disabled}
        onChange={(stabiliser) => keep({ stabiliser }, 'stabiliser')}
      />
    </View>
  );
}
