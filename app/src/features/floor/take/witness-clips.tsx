import { clipOf, rigAt, touched, type PlanBody, type StoredRecord, type WitnessClip } from '@mesure/contract';
import { STABILISER } from '@mesure/core';
import { View } from 'react-native';
import { useAll, useFind, useRecordsState } from '../../../data';
import { useDraftText } from '../../../data/use-draft-text';
import { Choice, Section } from '../../../ui/controls';
import { timeOfDay } from '../../../ui/format';
import { InlineField } from '../../../ui/inline-field';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { viewPackage } from '../../kit/package-words';
import { placementWords } from '../day/rig-section';
import { useFloor } from '../use-floor';

/** What each witness camera of the setup recorded of this take, and how it was mounted then. */
export function WitnessClips({ take, plan, disabled }: { take: StoredRecord<'take'>; plan: PlanBody | null; disabled: boolean }) {
  const rigs = useAll('rig').filter((r) => r.body.setupId === take.body.setupId);
  const ids = [...new Set([...(plan?.witnesses ?? []).map((w) => w.packageId), ...rigs.map((r) => r.body.packageId), ...(take.body.witnesses ?? []).map((w) => w.packageId)])];
  if (ids.length === 0) return null;
  return (
    <Section title="Witness cameras">
      {ids.map((packageId) => (
        <OneClip key={packageId} take={take} packageId={packageId} rigs={rigs} disabled={disabled} />
      ))}
    </Section>
  );
}

function OneClip({ take, packageId, rigs, disabled }: { take: StoredRecord<'take'>; packageId: string; rigs: StoredRecord<'rig'>[]; disabled: boolean }) {
  const find = useFind();
  const floor = useFloor();
  const takes = useAll('take');
  const write = useRecordsState((s) => s.write);
  const pack = find('package', packageId);
  const view = pack ? viewPackage(pack.body, find) : null;
  const camera = pack?.body.camera ?? '?';
  const clip = take.body.witnesses?.find((w) => w.packageId === packageId) ?? null;
  const rig = rigAt(rigs, take.body.setupId, packageId, take.body.loggedAt);
  const draft = useDraftText(take.id, `witness-${packageId}`, clip?.clip ?? '');
  const next = clipOf(take.body, camera, takes, floor);
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
        {rig ? `Mounted since ${timeOfDay(rig.body.since)}: ${placementWords(rig.body.placement)}` : 'Nobody has said how it was mounted at that time.'}
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
      <Choice
        label="Stabiliser"
        value={clip?.stabiliser ?? 'unknown'}
        options={STABILISER.map((s) => ({ value: s, title: s }))}
        onChange={(stabiliser) => (disabled ? undefined : keep({ stabiliser }, 'stabiliser'))}
      />
    </View>
  );
}
