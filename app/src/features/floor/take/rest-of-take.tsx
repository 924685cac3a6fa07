import { differing, isShown, noted, shownFields, TAKE_FIELD_GROUPS, TAKE_FIELDS, type Lack, type PlanBody, type StoredRecord, type TakeBody, type TakeField, type TakeWords } from '@mesure/contract';
import { useState } from 'react';
import { Platform, View } from 'react-native';
import { useAll, useClock, useFind, useMayWrite, useRecordsState } from '../../../data';
import { Action, Choice, Section } from '../../../ui/controls';
import { unfold } from '../../../ui/folds';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { packageParts, viewPackage } from '../../kit/package-words';
import { AttachedPictures } from '../../pictures/attached-pictures';
import { Remarks } from '../../setups/remarks';
import { byCamera, useFloor } from '../use-floor';
import type { useKeepTake } from '../use-write-take';
import { FeedSection } from './feed-section';
import { HeightSection } from './height-section';
import { AngleEntry, DistanceEntry, TimecodeEntry } from './pulled-entries';
import { SwapPackage } from './swap-package';
import { TakeEntry } from './take-entry';
import { WitnessClips } from './witness-clips';

export type TakeSheet = 'history' | 'bulk' | 'fields' | 'move';

/** Drawn in parts of their own. */
const ELSEWHERE = ['packageId', 'circled', 'height', 'heightEnd', 'tilt', 'roll', 'distance'];
const POINTED = ['tilt', 'roll', 'distance'] as const;

/** The part of the form in which a field stands. */
function partOf(key: string): string | null {
  if (POINTED.some((k) => k === key)) return 'take-pointed';
  if (key === 'packageId') return 'take-Lens';
  const field = TAKE_FIELDS.find((f) => f.key === key);
  return field && !ELSEWHERE.includes(key) ? `take-${field.group}` : null;
}

/** Scrolls to a field and goes into it, also when its part is folded. */
export function goToField(key: string): void {
  const part = partOf(key);
  if (part) unfold(part);
  requestAnimationFrame(() => {
    const place = Platform.OS !== 'web' ? null : document.getElementById(`field-${key}`);
    place?.scrollIntoView({ block: 'center' });
    place?.querySelector<HTMLElement>('input, textarea, [role=radio][tabindex="0"]')?.focus();
  });
}

interface Props {
  take: StoredRecord<'take'>;
  plan: PlanBody | null;
  before: TakeBody | null;
  lens: { kind: string; minFocalMm: number; maxFocalMm: number } | null;
  lacks: readonly Lack[];
  /** of the height at the end */
  ticks: readonly { valueM: number; label: string }[];
  words: TakeWords;
  disabled: boolean;
  keep: ReturnType<typeof useKeepTake>;
  onSheet: (sheet: TakeSheet) => void;
}

/** All of a take that is below its height, in parts that fold. */
export function RestOfTake({ take, plan, before, lens, lacks, ticks, words, disabled, keep, onSheet }: Props) {
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const [atEnd, setAtEnd] = useState(false);
  const body = take.body;
  const shown = shownFields(useFloor());
  const changed = before ? differing(body, before) : [];
  const was = (f: TakeField) => (before && changed.includes(f) ? f.text(before, words) || 'not noted' : null);
  const missing = (key: string) => lacks.some((l) => l.field === key);
  const has = (key: string) => shown.includes(key) || (body[key as keyof TakeBody] ?? null) !== null || missing(key);
  const fields = (group: TakeField['group']) => TAKE_FIELDS.filter((f) => f.group === group && (isShown(f, shown) || missing(f.key) || noted(body, f.key)) && !ELSEWHERE.includes(f.key));
  /** What a folded part still says: what is in it, and that something in it is missing. */
  const short = (list: readonly TakeField[]) => {
    const open = list.filter((f) => missing(f.key)).length;
    const texts = list.map((f) => (f.text(body, words) ? `${f.title.toLowerCase()} ${f.text(body, words)}` : '')).filter((t) => t !== '');
    return [...(open > 0 ? [`${open} missing`] : []), ...texts].join(' · ');
  };
  const shared = { takeId: take.id, take: body, words, disabled, keep };
  const entry = (f: TakeField) =>
    f.key === 'timecodeIn' || f.key === 'timecodeOut' ? (
      <TimecodeEntry key={f.key} which={f.key} before={before} {...shared} />
    ) : (
      <TakeEntry key={f.key} field={f} lens={lens} before={was(f)} {...shared} />
    );
  const pointed = POINTED.filter(has);
  return (
    <>
      {has('heightEnd') || atEnd ? (
        <HeightSection which="heightEnd" title="Camera height at the end" ticks={ticks} {...shared} />
      ) : mayWrite ? (
        <View style={{ flexDirection: 'row', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="height" title="Another height at the end" onPress={() => setAtEnd(true)} testID="height-at-end" />
        </View>
      ) : null}
      <Section title={`Lens${body.carried.includes('packageId') ? ' ↷ carried over' : ''}`} fold="take-Lens" short={short(fields('Lens'))}>
        <MountedPackage take={take} words={words} disabled={disabled} keep={keep} />
        {fields('Lens').map(entry)}
      </Section>
      {pointed.length > 0 ? (
        <Section title="Where it pointed" fold="take-pointed" short={short(TAKE_FIELDS.filter((f) => pointed.some((k) => k === f.key)))}>
          {pointed.map((k) => (k === 'distance' ? <DistanceEntry key={k} before={before} {...shared} /> : <AngleEntry key={k} which={k} before={before} {...shared} />))}
        </Section>
      ) : null}
      {TAKE_FIELD_GROUPS.filter((g) => g === 'Exposure' || g === 'Slate' || g === 'Shot').map((g) => {
        const list = fields(g);
        return list.length > 0 ? (
          <Section key={g} title={g} fold={`take-${g}`} short={short(list)}>
            {list.map(entry)}
          </Section>
        ) : null;
      })}
      {mayWrite ? <FeedSection take={body} words={words} lens={lens} keep={keep} /> : null}
      <WitnessClips take={take} plan={plan} disabled={disabled} />
      <Section title="Pictures" fold="take-pictures" short={body.pictures?.length ? `${body.pictures.length}` : 'none'}>
        <AttachedPictures owner={{ kind: 'take', id: take.id }} pictures={body.pictures ?? []} title="Add pictures of this take" testID="take-pictures" />
      </Section>
      <Remarks about="take" aboutId={take.id} />
      <Section title="This take">
        <View style={{ gap: SPACE.s }}>
          <Action icon="history" title="History of every field" onPress={() => onSheet('history')} testID="open-take-history" />
          {mayWrite ? (
            <>
              <Action icon="playlist-add-check" title="Correct this and later takes" onPress={() => onSheet('bulk')} testID="open-bulk" />
              <Action icon="drive-file-move" title="Move to another setup or day" onPress={() => onSheet('move')} testID="move-take" />
              <Action icon="tune" title="Which fields are noted" onPress={() => onSheet('fields')} testID="open-fields" />
              <Action icon="visibility-off" title="Hide this take" onPress={() => void write('take', take.id, (now) => now, `${body.slate} take ${body.take} hidden`, true)} testID="hide-take" />
            </>
          ) : null}
        </View>
      </Section>
    </>
  );
}

function MountedPackage({ take, words, disabled, keep }: Pick<Props, 'take' | 'words' | 'disabled' | 'keep'>) {
  const clock = useClock();
  const find = useFind();
  const packages = [...useAll('package')].sort(byCamera);
  const pack = find('package', take.body.packageId);
  const view = pack ? viewPackage({ ...pack.body, focalMm: take.body.focalMm }, find) : null;
  return (
    <View nativeID="field-packageId">
      <Choice
        label="Package"
        value={take.body.packageId}
        options={packages
          .filter((q) => !q.body.until || q.id === take.body.packageId || packages.filter((o) => o.body.camera === q.body.camera).length > 1)
          .map((q) => ({ value: q.id, title: `${q.body.camera}-cam`, ...(q.body.until ? { detail: `until ${clock.stamp(q.body.until)}` } : {}) }))}
        disabled={disabled}
        onChange={(packageId) => keep({ packageId, focalMm: words.packages.find((p) => p.id === packageId)!.focalMm }, 'package')}
      />
      {view?.status === 'complete' ? <Words dim>{packageParts(view.mounted)}</Words> : <Words>{view?.why ?? 'The package is gone.'}</Words>}
      {pack && !disabled ? <SwapPackage pack={pack} onMounted={(packageId, focalMm) => keep({ packageId, focalMm }, 'package')} /> : null}
    </View>
  );
}
