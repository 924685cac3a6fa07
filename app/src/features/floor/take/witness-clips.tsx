import { clipOf, rigAt, touched, type PlanBody, type StoredRecord, type WitnessClip } from '@mesure/contract';
import { CoreError, formatTimecode, mustReadLength, parseTimecode, STABILISER, formatFocus } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { View } from 'react-native';
import { useAll, useClock, useFind, useRecordsState } from '../../../data';
import { useLineEntry } from '../../../forms';
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
  const next = clipOf(take.body, camera, takes, floor);
  const fps = view?.status === 'complete' ? view.mounted.mode.fps : 24;
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
  const line = (field: string, shown: string, what: string, read: (text: string) => Partial<WitnessClip>) =>
    [take.id, field, shown, read, (change: Partial<WitnessClip>) => keep(change, what)] as const;
  const name = useLineEntry(
    ...line(`witness-${packageId}`, clip?.clip ?? '', 'clip', (text) => {
      if (text.trim().length > 80) throw new CoreError('UNREADABLE_INPUT', 'A clip name may have 80 letters');
      return { clip: text.trim() };
    }),
  );
  const timecode = useLineEntry(
    ...line(`witness-timecode-${packageId}`, clip?.timecodeIn ?? '', 'timecode', (text) => ({ timecodeIn: text.trim() === '' ? null : formatTimecode(parseTimecode(text.trim(), fps)) })),
  );
  const focus = useLineEntry(
    ...line(`witness-focus-${packageId}`, clip?.focusM ? formatFocus(clip.focusM, unit) : '', 'focus', (text) => ({
      focusM: text.trim() === '' ? null : mustReadLength(text, { unit, quantity: 'focus distance' }).valueM,
    })),
  );
  const zooms = view?.status === 'complete' && view.mounted.lens.minFocalMm !== view.mounted.lens.maxFocalMm;
  const focal = useLineEntry(
    ...line(`witness-focal-${packageId}`, clip?.focalMm ? String(clip.focalMm) : '', 'focal length', (text) => {
      if (text.trim() === '') return { focalMm: null };
      const mm = Number(
        text
          .trim()
          .replace(',', '.')
          .replace(/\s*mm$/, ''),
      );
      if (!(mm >= 1 && mm <= 2000)) throw new CoreError('UNREADABLE_INPUT', 'A focal length is a number from 1 to 2000, in mm');
      return { focalMm: mm };
    }),
  );
  const first = useLineEntry(
    ...line(`witness-first-${packageId}`, clip?.firstFrame == null ? '' : String(clip.firstFrame), 'first frame', (text) => {
      if (text.trim() === '') return { firstFrame: null };
      if (!/^\d{1,8}$/.test(text.trim()) || Number(text) > 10_000_000) throw new CoreError('UNREADABLE_INPUT', 'The number of a frame is a whole number from 0 to 10 000 000');
      return { firstFrame: Number(text) };
    }),
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
        mark={name.open ? 'typed, not kept yet' : null}
        {...name}
        note={next && !clip?.clip ? `next by the pattern: ${next}` : null}
        disabled={disabled}
      />
      <InlineField testID={`witness-timecode-${camera}`} label="Timecode in" {...timecode} keyboard="numbers-and-punctuation" disabled={disabled} />
      <InlineField testID={`witness-focus-${camera}`} label="Focus distance" {...focus} disabled={disabled} />
      {zooms ? <InlineField testID={`witness-focal-${camera}`} label="Focal length, mm" {...focal} keyboard="decimal-pad" disabled={disabled} /> : null}
      <InlineField testID={`witness-first-${camera}`} label="Number of the first frame in its tracks" {...first} keyboard="number-pad" disabled={disabled} note="1 where nothing is said" />
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
