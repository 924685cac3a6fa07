import { mountPackage, MOST_MASKS, type FootageBody, type FootageMask, type StoredRecord, type TracksOutcome } from '@mesure/contract';
import { outlineAt, paintedOutlines } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { isWhole, newId, useAll, useAnalysesState, useClock, useData, useFind, useMay, useRecord, useRecordsState } from '../../../data';
import type { Stroke } from '../../../ui/brush';
import { Action, Choice, Field, Progress, Section } from '../../../ui/controls';
import { capital, percent } from '../../../ui/format';
import { LiveNumber } from '../../../ui/live-number';
import { staleWords, waitingWords } from '../../../ui/stale-words';
import { Empty, Failing } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { Warnings } from '../../../ui/warnings';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { againstTheRecord } from './clip-facts';
import { ClipPicture } from './clip-picture';
import { CountStrip } from './count-strip';
import { GiveClip } from './give-clip';
import { changeMask, cornerMoved, maskFrom, maskMoved, middleOf } from './masks';
import { meantBy, useMarkHints } from './mark-hints';
import { MaskProposals } from './mask-proposals';
import { brushWidth, PaintTools, type Tip } from './paint-tools';
import { useFollowed, useFrames } from './use-frames';

/** A take's clip: what moves is masked, marks are pointed out, features are followed, and what came of it is looked at. */
export function ClipScreen({ takeId }: { takeId: string }) {
  const router = useRouter();
  const take = useRecord('take', takeId);
  const footage = useAll('footage').find((f) => f.body.takeId === takeId);
  return (
    <RecordsGate what="the clip">
      {!take || take.deleted ? (
        <Page>
          <Empty title="No such take" text="It is hidden, or not on this device." action={{ title: 'Go to Check', onPress: () => router.replace('/check') }} />
        </Page>
      ) : footage ? (
        <OfClip key={footage.id} take={take} footage={footage} />
      ) : (
        <Page action={<GiveClip take={take} main stay />}>
          <Empty title="No clip yet" text="Give this take its clip: MOV, MP4, or the pictures of a sequence. Its features are followed on the server, and you see what they hold on to." />
        </Page>
      )}
    </RecordsGate>
  );
}

type Doing = 'look' | 'mask' | 'paint' | 'mark';

function OfClip({ take, footage }: { take: StoredRecord<'take'>; footage: StoredRecord<'footage'> }) {
  const clock = useClock();
  const p = usePalette();
  const router = useRouter();
  const { session, records, analyses } = useData();
  const may = useMay('give');
  const mayCompute = useMay('compute');
  const write = useRecordsState((s) => s.write);
  const analysis = useAnalysesState((s) => s.bySubject[footage.id]);
  const error = useAnalysesState((s) => s.error);
  const stop = useAnalysesState((s) => s.stop);
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  useEffect(() => {
    void loadWhole(footage.id);
  }, [footage.id, analysis?.id, analysis?.status, loadWhole]);
  const running = analysis?.status === 'queued' || analysis?.status === 'running';
  const outcome = analysis?.status === 'done' && analysis.outcome?.kind === 'tracks' && isWhole(analysis) ? analysis.outcome : null;
  const { body } = footage;
  const [index, setIndex] = useState(0);
  const [doing, setDoing] = useState<Doing>('look');
  const [outline, setOutline] = useState<[number, number][]>([]);
  const [strokes, setStrokes] = useState<Stroke[]>([]);
  const [tip, setTip] = useState<Tip>('middle');
  const [chosen, setChosen] = useState<string | null>(null);
  const [name, setName] = useState<string | null>(null);
  const [dragging, setDragging] = useState<FootageBody | null>(null);
  const urlOf = useFrames(session.production.id, body, outcome);
  const tracks = useFollowed(session.production.id, outcome);
  const shown = dragging ?? body;
  const mask = shown.masks.find((m) => m.id === chosen) ?? null;
  const change = (now: (b: FootageBody) => FootageBody, label: string) => void write('footage', footage.id, now, label);
  const names = useMarkNames(take, body, index);
  const markName = name ?? names[0] ?? '';
  const hints = useMarkHints(take, body, index);

  async function follow() {
    await records.getState().send();
    await analyses.getState().start('tracks', footage.id);
  }
  function place(x: number, y: number) {
    if (doing === 'mask') setOutline((o) => [...o, [x, y]]);
    else {
      // a name that somebody typed counts; else the mark that is expected where the thumb let go
      const meant = name === null ? meantBy(hints.list, x, y, body.widthPx) : null;
      const mark = { id: newId(), name: (meant ?? markName).trim(), index, x: Math.round(10 * x) / 10, y: Math.round(10 * y) / 10 };
      if (mark.name === '') return;
      change((b) => ({ ...b, marks: [...b.marks.filter((m) => !(m.name === mark.name && m.index === index)), mark] }), `${mark.name} marked in the clip`);
      setName(null);
    }
  }
  const holds = (m: FootageMask, when: Partial<Pick<FootageMask, 'from' | 'to'>>) => change((b) => changeMask(b, m.id, (q) => ({ ...q, ...when })), `${m.name}: when it holds`);
  const at = mask ? outlineAt(mask, index) : null;
  const moved = (id: string, x: number, y: number) => {
    const [cx, cy] = middleOf(outlineAt(mask!, index)!);
    return (b: FootageBody) => changeMask(b, mask!.id, (m) => (id === 'whole' ? maskMoved(m, index, x - cx, y - cy) : cornerMoved(m, index, Number(id), x, y)));
  };
  const grab =
    may && doing === 'look' && mask && at
      ? {
          handles: [
            ...at.map(([x, y], i) => ({ id: String(i), label: `Corner ${i + 1} of the mask`, x, y, small: true })),
            { id: 'whole', label: 'The whole mask', x: middleOf(at)[0], y: middleOf(at)[1], small: true },
          ],
          step: body.widthPx / 400,
          onMove: (id: string, x: number, y: number) => setDragging(moved(id, x, y)(body)),
          onDrop: (id: string, x: number, y: number) => {
            setDragging(null);
            change(moved(id, x, y), `Mask ${mask.name} moved in frame ${index + body.firstFrame}`);
          },
        }
      : undefined;
  const aim = may && (doing === 'mask' || doing === 'mark') ? { pictureUrl: urlOf(index), pictureWidth: body.widthPx, pictureHeight: body.heightPx, onPlace: place } : undefined;
  return (
    <Page
      action={
        running ? (
          <Action icon="stop" title="Stop following" onPress={() => void stop(footage.id)} testID="stop-tracks" />
        ) : outcome && !analysis?.stale ? (
          <UseTracks take={take} footage={footage} outcome={outcome} />
        ) : mayCompute ? (
          <Action kind="main" icon="play-arrow" title={analysis ? 'Follow the features again' : 'Follow the features'} onPress={() => void follow()} testID="start-tracks" />
        ) : undefined
      }
    >
      <Words look="title" level={1}>{`Clip of ${take.body.slate} take ${take.body.take}`}</Words>
      <Facts take={take} footage={body} />
      {error ? <Failing title="The features are not followed" text={`${error} The clip, its masks and marks are safe.`} /> : null}
      {running ? (
        <View style={{ marginVertical: SPACE.m }} testID="tracks-progress">
          <Progress fraction={analysis.progress} label={analysis.status === 'queued' ? capital(waitingWords(analysis)) : `${analysis.stage}, ${percent(analysis.progress)}`} />
        </View>
      ) : null}
      {analysis?.status === 'failed' ? <Failing title="The features could not be followed" text={analysis.error ?? ''} /> : null}
      {analysis?.status === 'stopped' ? <Words dim>Stopped. Nothing was changed.</Words> : null}
      {outcome ? (
        <Words look="heading" level={2} testID="tracks-sentence">
          {sentenceOf(outcome)}
        </Words>
      ) : null}
      {outcome && analysis?.stale ? (
        <Words color={p.tape} testID="tracks-stale">{`↺ From ${staleWords(analysis, clock)}: ${analysis.stale.what}. Follow them again for the clip as it is marked now.`}</Words>
      ) : null}
      <ClipPicture
        footage={shown}
        index={index}
        url={urlOf(index)}
        tracks={tracks}
        outline={outline}
        hints={doing === 'mark' ? hints.list : []}
        aim={aim}
        grab={grab}
        brush={doing === 'paint' ? { radius: brushWidth(body, tip) / 2, strokes, onStroke: (s) => setStrokes((all) => [...all, s]) } : undefined}
        describe={
          doing === 'mask'
            ? `Mask: press, aim under the loupe, let go for each corner; ${outline.length} so far.`
            : doing === 'paint'
              ? `Paint over what moves; ${strokes.length === 1 ? 'one stroke' : `${strokes.length} strokes`} so far.`
              : doing === 'mark'
                ? `Press on the middle of ${markName === '' ? 'the mark' : markName}, aim under the loupe, let go.`
                : tracks
                  ? 'Dots: tracks that a solve may use. Crosses: left out. Shaded: masked.'
                  : 'Shaded: masked. Crosses with a name: marked by hand.'
        }
      />
      <CountStrip frames={outcome?.frames ?? []} firstFrame={body.firstFrame} index={index} count={body.frames} onChange={setIndex} />
      {may ? (
        <View style={{ marginTop: SPACE.s }}>
          <Choice<Doing>
            label="A finger on the picture"
            value={doing}
            options={[
              { value: 'look', title: 'looks' },
              { value: 'mask', title: 'masks', detail: 'by corners' },
              { value: 'paint', title: 'paints', detail: 'a mask' },
              { value: 'mark', title: 'marks', detail: 'by name' },
            ]}
            onChange={(d) => {
              setDoing(d);
              setOutline([]);
              setStrokes([]);
            }}
          />
        </View>
      ) : null}
      {doing === 'mask' ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.s }}>
          <Action
            kind="main"
            title={outline.length < 3 ? `${outline.length} of at least 3 corners` : 'Mask what is inside'}
            disabled={outline.length < 3}
            testID="keep-mask"
            onPress={() => {
              const id = newId();
              const label = `mask ${body.masks.length + 1}`;
              change((b) => ({ ...b, masks: [...b.masks, maskFrom(id, label, index, outline)] }), `${label} drawn`);
              setOutline([]);
              setChosen(id);
              setDoing('look');
            }}
          />
          <Action title="Take the last corner back" disabled={outline.length === 0} onPress={() => setOutline((o) => o.slice(0, -1))} />
        </View>
      ) : null}
      {doing === 'paint' ? (
        <PaintTools
          tip={tip}
          strokes={strokes.length}
          onTip={setTip}
          onBack={() => setStrokes((s) => s.slice(0, -1))}
          onKeep={() => {
            const outlines = paintedOutlines(strokes, brushWidth(body, tip) / 2);
            const room = MOST_MASKS - body.masks.length;
            if (outlines.length > room) return `These are ${outlines.length} masks, and a clip has ${MOST_MASKS} at most: ${room} more. Paint less at once, or remove some.`;
            const made = outlines.map((o, i) => maskFrom(newId(), `mask ${body.masks.length + 1 + i}`, index, o));
            change((b) => ({ ...b, masks: [...b.masks, ...made] }), made.length === 1 ? `${made[0].name} painted` : `${made.length} masks painted`);
            setStrokes([]);
            setChosen(made.length === 1 ? made[0].id : null);
            setDoing('look');
            return null;
          }}
        />
      ) : null}
      {may && doing !== 'mark' ? <MaskProposals body={body} tracks={tracks} onChange={change} /> : null}
      {doing === 'mark' ? (
        <View style={{ marginTop: SPACE.s }}>
          {hints.list.length > 0 ? (
            <Words look="small" dim testID="mark-hints">
              {`Rings: where ${hints.from === 'solve' ? 'the test solve' : 'the plan'} expects ${hints.list.map((h) => h.name).join(', ')}. A mark set near a ring gets its name.`}
            </Words>
          ) : null}
          <Field label="Name of the mark" value={markName} onChangeText={setName} testID="mark-name" hint="Marks of the set come by themselves; any other name holds in this take." />
          {names.length > 1 ? (
            <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.xs }}>
              {names.slice(0, 12).map((n) => (
                <Action key={n} kind="quiet" title={n} label={`Mark ${n} next`} onPress={() => setName(n)} />
              ))}
            </View>
          ) : null}
        </View>
      ) : null}
      {body.masks.length > 0 ? (
        <Section title={body.masks.length === 1 ? 'One mask' : `${body.masks.length} masks`}>
          {body.masks.map((m) => (
            <View key={m.id} style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', flexWrap: 'wrap' }} testID={`mask-${m.name}`}>
              <Words
                style={{ flexShrink: 1 }}
              >{`${m.name}, set in ${m.keys.length === 1 ? 'one frame' : `${m.keys.length} frames`}: ${m.keys.map((k) => k.index + body.firstFrame).join(', ')}${holdsWords(m, body)}`}</Words>
              {may ? (
                <View style={{ flexDirection: 'row' }}>
                  <Action
                    kind="quiet"
                    title={chosen === m.id ? 'Let go' : 'Move'}
                    label={`${chosen === m.id ? 'Let go of' : 'Move'} ${m.name}`}
                    onPress={() => setChosen(chosen === m.id ? null : m.id)}
                    testID={`move-${m.name}`}
                  />
                  <Action kind="quiet" title="Remove" label={`Remove ${m.name}`} onPress={() => change((b) => ({ ...b, masks: b.masks.filter((q) => q.id !== m.id) }), `${m.name} removed`)} />
                </View>
              ) : null}
            </View>
          ))}
          {may && mask ? (
            <View style={{ flexDirection: 'row', flexWrap: 'wrap' }}>
              <Action kind="quiet" title="Holds from this frame" disabled={index > (mask.to ?? Infinity)} onPress={() => holds(mask, { from: index })} testID="mask-from" />
              <Action kind="quiet" title="to this frame" disabled={index < (mask.from ?? 0)} onPress={() => holds(mask, { to: index })} testID="mask-to" />
              {mask.from !== null || mask.to !== null ? <Action kind="quiet" title="over the whole clip" onPress={() => holds(mask, { from: null, to: null })} testID="mask-whole" /> : null}
            </View>
          ) : null}
          {chosen ? (
            <Words look="small" dim>
              Drag its corners, or the ring in its middle, in this frame; in another frame it is set anew there and moves evenly between.
            </Words>
          ) : null}
        </Section>
      ) : null}
      {body.marks.length > 0 ? (
        <Section title={body.marks.length === 1 ? 'One mark' : `${body.marks.length} marks`}>
          {body.marks.map((m) => (
            <View key={m.id} style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }} testID={`mark-${m.name}`}>
              <Words>{`${m.name}, frame ${m.index + body.firstFrame}`}</Words>
              <View style={{ flexDirection: 'row' }}>
                <Action kind="quiet" title="Show" label={`Show ${m.name} in its frame`} onPress={() => setIndex(Math.min(body.frames - 1, m.index))} />
                {may ? (
                  <Action
                    kind="quiet"
                    title="Remove"
                    label={`Remove ${m.name}`}
                    onPress={() => change((b) => ({ ...b, marks: b.marks.filter((q) => q.id !== m.id) }), `${m.name} removed from the clip`)}
                  />
                ) : null}
              </View>
            </View>
          ))}
        </Section>
      ) : null}
      {outcome && outcome.warnings.length > 0 ? (
        <Section title="Worth knowing">
          <Warnings of={outcome.warnings} />
        </Section>
      ) : null}
      {may ? (
        <Section title="This clip" fold="clip" short={`first frame ${body.firstFrame}, ${body.most ?? 300} features at once`}>
          <Whole label="Number of its first frame" value={body.firstFrame} min={0} max={10_000_000} onKeep={(v) => change((b) => ({ ...b, firstFrame: v }), `First frame ${v}`)} testID="first-frame" />
          <Whole label="Features at once" value={body.most ?? 300} min={8} max={2000} onKeep={(v) => change((b) => ({ ...b, most: v }), `${v} features at once`)} testID="most-features" />
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.s }}>
            <GiveClip take={take} stay />
            <Action
              kind="quiet"
              icon="delete-outline"
              title="Remove this clip"
              onPress={() => {
                void write('footage', footage.id, (now) => now, `Clip of ${take.body.slate} take ${take.body.take} removed`, true);
                router.replace(`/check/${take.id}` as Href);
              }}
            />
          </View>
        </Section>
      ) : null}
      <View style={{ alignItems: 'flex-start', marginTop: SPACE.l }}>
        <Action kind="quiet" icon="arrow-back" title="Back to the take" onPress={() => router.push(`/check/${take.id}` as Href)} testID="to-take" />
      </View>
    </Page>
  );
}

/** When a mask holds, where that is not all the time. */
const holdsWords = (m: FootageMask, { firstFrame, frames }: FootageBody): string =>
  m.from === null && m.to === null ? '' : `; holds from frame ${(m.from ?? 0) + firstFrame} to ${(m.to ?? frames - 1) + firstFrame}`;

/** A whole number that is kept when the field is left. */
function Whole({ label, value, min, max, onKeep, testID }: { label: string; value: number; min: number; max: number; onKeep: (v: number) => void; testID: string }) {
  const [typed, setTyped] = useState<number | null>(value);
  useEffect(() => setTyped(value), [value]);
  const right = typed !== null && Number.isInteger(typed) && typed >= min && typed <= max;
  return (
    <LiveNumber
      label={label}
      digits={0}
      value={typed}
      onChange={setTyped}
      onDone={() => right && typed !== value && onKeep(typed)}
      hint={right ? undefined : `A whole number from ${min} to ${max}`}
      testID={testID}
    />
  );
}

/** Marks of the take's set that are not yet marked in this frame; those marked nowhere first. */
function useMarkNames(take: StoredRecord<'take'>, body: FootageBody, index: number): string[] {
  const find = useFind();
  const set = find('set', find('setup', take.body.setupId)?.body.setId ?? '');
  const here = new Set(body.marks.filter((m) => m.index === index).map((m) => m.name));
  const anywhere = new Set(body.marks.map((m) => m.name));
  const open = (set?.body.marks ?? []).filter((m) => !here.has(m));
  return [...open.filter((m) => !anywhere.has(m)), ...open.filter((m) => anywhere.has(m))];
}

function Facts({ take, footage }: { take: StoredRecord<'take'>; footage: FootageBody }) {
  const find = useFind();
  const pack = find('package', take.body.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : null;
  const mode = mounted && !('missing' in mounted) ? mounted.mode : null;
  const said = againstTheRecord(footage, take.body, mode, take.body.fps ?? mode?.fps ?? null);
  return (
    <View>
      <Words look="small" dim numberOfLines={2}>
        {`${footage.file.name}: ${footage.widthPx} × ${footage.heightPx}, ${footage.frames} frames${footage.fps ? ` at ${Number(footage.fps.toFixed(3))}` : ''}${footage.timecode ? `, from ${footage.timecode}` : ''}`}
      </Words>
      {said.words.map((w) => (
        <Words key={w} look="small" testID="clip-against-record">{`◈ ${w}`}</Words>
      ))}
    </View>
  );
}

function sentenceOf({ counts, frames }: TracksOutcome): string {
  const fewest = frames.reduce((a, f, i) => (f.tracks < frames[a].tracks ? i : a), 0);
  const left = [counts.moving > 0 ? `${counts.moving} that do not stand still` : '', counts.burntIn > 0 ? `${counts.burntIn} burnt in` : '', counts.masked > 0 ? `${counts.masked} masked` : ''].filter(
    Boolean,
  );
  return `${counts.used} tracks, never fewer than ${frames[fewest].tracks} in a frame${left.length > 0 ? `; left out: ${left.join(', ')}` : ''}.`;
}

/** The tracks become the take's, counted as the clip counts, and are solved. */
function UseTracks({ take, footage, outcome }: { take: StoredRecord<'take'>; footage: StoredRecord<'footage'>; outcome: TracksOutcome }) {
  const router = useRouter();
  const find = useFind();
  const may = useMay('give');
  const { records, analyses } = useData();
  const write = useRecordsState((s) => s.write);
  const pack = find('package', take.body.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : null;
  const mode = mounted && !('missing' in mounted) ? mounted.mode : null;
  const { cropped } = againstTheRecord(footage.body, take.body, mode, null);
  const file = outcome.files.find((f) => f.what === 'tracks')!;
  const inUse = take.body.tracks?.sha256 === file.sha256;
  async function use() {
    const same = !mode || (mode.widthPx === outcome.widthPx && mode.heightPx === outcome.heightPx);
    const counting = same ? null : { from: 'corner' as const, yUp: false, widthPx: outcome.widthPx, heightPx: outcome.heightPx, addFrames: 0 };
    await write(
      'take',
      take.id,
      (now) => ({ ...now, tracks: { sha256: file.sha256, name: file.name }, tracksCounted: counting }),
      `Tracks of the clip given to ${take.body.slate} take ${take.body.take}`,
    );
    await records.getState().send();
    await analyses.getState().start('solve', take.id, { focalMode: 'free' });
    router.push(`/check/${take.id}` as Href);
  }
  if (!may) return null;
  return inUse ? (
    <Action icon="check" title="The take has these tracks" onPress={() => router.push(`/check/${take.id}` as Href)} testID="to-verdict" />
  ) : (
    <Action kind="main" icon="play-arrow" title="Solve with these tracks" disabled={cropped} onPress={() => void use()} testID="use-tracks" />
  );
}
