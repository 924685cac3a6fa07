import { useRouter, type Href } from 'expo-router';
import { mountPackage, ticksAsked, ticksOr, ticksUnusual, type FileRef, type Motion, type MountedPackage, type SolveOutcome, type SolveTicks, type StoredRecord } from '@mesure/contract';
import { warningOf, warningsBut, type PictureSize, type SolveComparison, type Undecided } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { isWhole, useAll, useAnalysesState, useClock, useData, useFind, useMay, useRecordsState } from '../../data';
import { Action, Choice, Progress, Section, useIsWide } from '../../ui/controls';
import { capital, fixed, percent } from '../../ui/format';
import { KnownOnly, Empty, Failing, Loading } from '../../ui/states';
import { Figure, Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { VerdictMark } from '../../ui/verdict-mark';
import { Explained } from '../../ui/explain';
import { EXPLANATIONS } from '../explanations';
import { Page } from '../shell/pane';
import { knownWords, staleWords, waitingWords } from '../../ui/stale-words';
import { Warnings } from '../../ui/warnings';
import { Causes } from './causes';
import { ClipMoment } from './clip/clip-moment';
import { GiveTracks } from './give-tracks';
import { GiveClip } from './clip/give-clip';
import { CountingAsked, CountingLine } from './counting';
import { FocalChart, zoomWords } from './focal-chart';
import { EarlierSolves } from './earlier-solves';
import { FrameErrorChart } from './frame-error-chart';
import { ElsewhereSection } from './elsewhere/elsewhere-section';
import { LineUpSection } from './line-up/line-up-section';
import { CAMERA_POINT, objectSeen } from './object-seen';
import { OrbitDrawing } from './orbit-drawing';
import { PathDrawing } from './path-drawings';
import { lensFoundWords, SolveTickList } from './lens-found';
import { Stretches, stretchesWords } from './stretches';
import { TrimTick } from './trim-tick';
import { WitnessFound, witnessNamed, WitnessTicks } from './witness-together';
import { TurnDrawing } from './turn-drawing';
import { DifferenceStrip } from './difference-strip';
import { FocalSaidBy } from './focal-said-by';
import { useVerdict } from './use-verdict';
import { ReadingBehind } from './reading-behind';

type FocalMode = 'free' | 'guided' | 'held';

/** The take's camera as it was built; null where a part of its package is gone. */
function useTakeCamera(take: StoredRecord<'take'>): MountedPackage | null {
  const find = useFind();
  const pack = find('package', take.body.packageId);
  const m = pack ? mountPackage(pack.body, find) : null;
  return m && !('missing' in m) ? m : null;
}

/** One take: its tracks, its test solve, and what the solve says of the record. */
export function TakeCheck({ take }: { take: StoredRecord<'take'> }) {
  const p = usePalette();
  const { records, analyses } = useData();
  const analysis = useAnalysesState((s) => s.bySubject[take.id]);
  const error = useAnalysesState((s) => s.error);
  const stop = useAnalysesState((s) => s.stop);
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  const verdictOf = useVerdict();
  const clock = useClock();
  const known = useAnalysesState((s) => knownWords(s.knownFrom, clock));
  const write = useRecordsState((s) => s.write);
  const given = (tracks: FileRef) => write('take', take.id, (now) => ({ ...now, tracks, tracksCounted: null }), `Tracks given to ${take.body.slate} take ${take.body.take}`);
  const [mode, setMode] = useState<FocalMode>('free');
  const [trimming, setTrimming] = useState<boolean | null>(null);
  const [asked, setAsked] = useState<SolveTicks>({});
  const [moved, setMoved] = useState<Motion | null>(null);
  const [beside, setBeside] = useState<string | null | undefined>(undefined);
  const planned = useAll('plan').find((q) => q.body.setupId === take.body.setupId)?.body.move?.kind;
  useEffect(() => {
    void loadWhole(take.id);
  }, [take.id, analysis?.id, analysis?.status, loadWhole]);
  const camera = useTakeCamera(take);
  const picture: PictureSize | null = camera && { widthPx: camera.mode.widthPx, heightPx: camera.mode.heightPx };
  const find = useFind();
  const set = find('set', find('setup', take.body.setupId)?.body.setId ?? '');
  const clip = useAll('footage').find((f) => f.body.takeId === take.id);
  const clipState = useAnalysesState((s) => (clip ? s.bySubject[clip.id] : undefined));
  const router = useRouter();
  const toClip = () => router.push(`/check/clip/${take.id}` as Href);
  const { focalMm, focalEndMm } = take.body;
  const zoomed = focalEndMm != null && Math.abs(focalEndMm / focalMm - 1) > 0.01 ? focalEndMm : null;
  const running = analysis?.status === 'queued' || analysis?.status === 'running';
  const outcome = analysis?.status === 'done' && analysis.outcome?.kind === 'solve' ? analysis.outcome : null;

  // as the solve that is shown was made, until somebody says otherwise
  const trimmedBefore = outcome?.solve.trimmed.some((t) => t.reason === 'trim') ?? false;
  const trim = trimming ?? trimmedBefore;
  const ticks = camera && ticksOr({ ...(outcome ? ticksAsked(outcome.setup) : {}), ...asked }, camera);
  // with the witness that it was solved with, until somebody says otherwise
  const withWitness = beside === undefined ? (outcome?.solve.witness ? (witnessNamed(take, outcome.solve.witness.name, find) ?? null) : null) : beside;
  const motion: Motion = moved ?? outcome?.setup.motion ?? (planned === 'object' ? 'object' : 'free');
  // once the distortion was found it is found again, unless a plate says it better by then
  async function solve(besides: SolveTicks = {}, as: Motion = motion) {
    // the server solves what it has: what waits here goes first
    await records.getState().send();
    await analyses.getState().start('solve', take.id, {
      focalMode: mode,
      ...(camera && ticks ? ticksUnusual({ ...ticks, ...besides }, camera) : {}),
      ...(trim ? { trim } : {}),
      ...(withWitness ? { withWitness } : as === 'free' ? {} : { motion: as }),
    });
    setTrimming(null);
    setAsked({});
    setMoved(null);
    setBeside(undefined);
  }
  return (
    <Page
      action={
        !take.body.tracks ? (
          clip ? (
            <Action kind="main" icon="movie" title="Open the clip" onPress={toClip} testID="open-clip" />
          ) : (
            <GiveClip take={take} main />
          )
        ) : running ? (
          // two buttons and not one: a press that begins on one must not end on the other
          <Action key="stop" icon="stop" title="Stop the test solve" onPress={() => void stop(take.id)} testID="stop-solve" />
        ) : (
          <Action key="start" kind={hasOneTap(outcome) ? 'plain' : 'main'} icon="play-arrow" title={outcome ? 'Solve again' : 'Start test solve'} onPress={() => void solve()} testID="start-solve" />
        )
      }
    >
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center', flexWrap: 'wrap' }}>
        <Words look="title" level={1}>{`${take.body.slate} take ${take.body.take}`}</Words>
        {outcome ? (
          <View testID="take-verdict">
            <VerdictMark verdict={verdictOf(analysis).verdict} large />
          </View>
        ) : null}
      </View>
      {take.body.tracks ? (
        <View>
          <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }}>
            <Words look="small" dim numberOfLines={1} style={{ flex: 1 }}>{`tracks: ${take.body.tracks.name}`}</Words>
            {running ? null : <GiveTracks title="Other tracks" onGiven={given} />}
          </View>
          {picture && !running ? <CountingLine take={take} picture={picture} onSaid={solve} /> : null}
        </View>
      ) : (
        <View>
          <Empty
            title="No tracks yet"
            text={
              clip
                ? `The clip ${clip.body.file.name} is here${clipState?.status === 'running' ? ', and its features are being followed' : ''}. Open it to follow its features.`
                : 'Give the clip, and its features are followed here; or tracks made elsewhere, as CSV: track, frame, x, y in pixels of the recorded picture, or a table whose columns you say.'
            }
          />
          <View style={{ alignItems: 'flex-start' }}>
            <GiveTracks title="Give tracks as CSV" onGiven={given} />
          </View>
        </View>
      )}
      {take.body.tracks && !running ? (
        <View style={{ alignItems: 'flex-start' }}>{clip ? <Action kind="quiet" icon="movie" title="Look at the clip" onPress={toClip} testID="open-clip" /> : <GiveClip take={take} />}</View>
      ) : null}
      {error ? <Failing title="The test solve did not start" text={`${error} The take and its tracks are safe.`} /> : null}
      {running ? (
        <View style={{ marginVertical: SPACE.l }} testID="solve-progress">
          <Progress fraction={analysis.progress} label={analysis.status === 'queued' ? capital(waitingWords(analysis)) : `${analysis.stage}, ${percent(analysis.progress)}`} />
        </View>
      ) : null}
      {analysis?.status === 'failed' ? <Failing title="The test solve failed" text={analysis.error ?? ''} /> : null}
      {analysis?.status === 'stopped' ? <Empty title="Stopped" text="Nothing was changed. Start it again when it suits." /> : null}
      {outcome && analysis?.stale && !running ? (
        <View style={{ borderLeftWidth: 4, borderColor: p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.s, gap: SPACE.xs }} testID="stale">
          <Words>{`↺ From ${staleWords(analysis, clock)}: ${analysis.stale.what}${analysis.stale.who ? `, by ${analysis.stale.who}` : ''}.`}</Words>
          <Words look="small" dim>
            What stands below answers for the record as it was.
          </Words>
          <View style={{ alignItems: 'flex-start' }}>
            <Action title="Solve the record as it is" icon="refresh" onPress={() => void solve()} testID="solve-anew" />
          </View>
        </View>
      ) : null}
      {outcome?.solve.question && picture && !running ? <CountingAsked take={take} question={outcome.solve.question} picture={picture} onSaid={solve} /> : null}
      {known && take.body.tracks ? <KnownOnly known={known} there={Boolean(analysis)} what="the test solve" /> : null}
      {outcome && isWhole(analysis!) ? (
        <Outcome key={analysis!.id} analysisId={analysis!.id} take={take} outcome={outcome} onSolveAgain={solve} onFindLens={() => void solve({ findDistortion: true })} />
      ) : null}
      {outcome && !isWhole(analysis!) ? known ? <Words testID="solve-sentence">{outcome.reconcile?.sentence ?? outcome.solve.reason ?? ''}</Words> : <Loading what="the solve" /> : null}
      {take.body.tracks && !running ? (
        <Section title="Next test solve">
          {zoomed ? (
            <Words look="small" dim testID="as-zoom">{`The take was noted as a zoom, ${fixed(take.body.focalMm, 0)} to ${fixed(zoomed, 0)} mm: it is solved as one, a focal length a frame.`}</Words>
          ) : (
            <Choice<FocalMode>
              label="Focal length"
              value={mode}
              options={[
                { value: 'free', title: 'free', detail: 'unknown' },
                { value: 'guided', title: 'guided', detail: 'pulled to the record' },
                { value: 'held', title: 'held', detail: 'as recorded' },
              ]}
              onChange={setMode}
            />
          )}
          <Choice<Motion>
            label="What moved"
            value={motion}
            options={[
              { value: 'free', title: 'the camera', detail: 'whether it only turned its tracks tell' },
              { value: 'pan', title: 'the camera, turning only', detail: 'on the spot' },
              { value: 'object', title: 'an object', detail: 'before a still camera' },
            ]}
            onChange={setMoved}
          />
          <WitnessTicks take={take} value={withWitness} onChange={setBeside} />
          {camera && ticks ? <SolveTickList mounted={camera} zooms={zoomed !== null} value={ticks} onChange={(name, on) => setAsked({ ...asked, [name]: on })} /> : null}
          {outcome ? <TrimTick solve={outcome.solve} on={trim} onChange={setTrimming} /> : null}
        </Section>
      ) : null}
      <ElsewhereSection take={take} />
      {set ? <LineUpSection take={take} set={set} /> : null}
    </Page>
  );
}

/** What is likely wrong is put right in one tap, which is then the one to take. */
const hasOneTap = (outcome: SolveOutcome | null): boolean => {
  const cause = outcome?.reconcile?.items[0].causes[0];
  return Boolean(cause?.correction) || cause?.cause === 'camera-moved';
};

const NO_MARKS: readonly string[] = [];

/** How well a point is known; of a solve without a scale nobody knows it in millimetres, and a direction has no place. */
const spreadWords = (t: SolveOutcome['solve']['points'][number] | NonNullable<SolveOutcome['solve']['directions']>[number], scaled: boolean): string =>
  'sigmaM' in t && t.sigmaM !== null && scaled ? `, ± ${fixed(1000 * t.sigmaM, 1)} mm` : '';

function Outcome({
  take,
  analysisId,
  outcome,
  onSolveAgain,
  onFindLens,
}: {
  take: StoredRecord<'take'>;
  analysisId: string;
  outcome: SolveOutcome;
  onSolveAgain: (besides?: SolveTicks, as?: Motion) => Promise<void>;
  onFindLens: () => void;
}) {
  const set = useFind()('set', useFind()('setup', take.body.setupId)?.body.setId ?? '');
  const [allTracks, setAllTracks] = useState(false);
  const [over, setOver] = useState<SolveComparison['path']>([]);
  const [view, setView] = useState<'flat' | 'turned'>('flat');
  const wide = useIsWide();
  const { solve, reconcile } = outcome;
  // how they count is asked above; nothing was solved yet
  if (solve.status === 'failed' && solve.question) return null;
  if (solve.status === 'failed') return <Failing title="This take cannot be solved" text={`${capital(solve.reason ?? '')}. What was recorded is untouched.`} />;
  const tracks = [...solve.points, ...(solve.directions ?? [])].sort((a, b) => b.rmsPx - a.rmsPx);
  const moving = solve.trimmed.filter((t) => t.frame === null);
  // the bend has a place of its own, with the way to its plates
  const lensCode = solve.bending ? 'LENS_BENDS' : 'LENS_UNMEASURED';
  const ofLens = warningOf(solve.warnings, lensCode)?.words ?? (solve.bending ? 'The lens bends, and this solve took it as straight.' : null);
  const others = warningsBut(solve.warnings, lensCode);
  const seen = solve.motion === 'object' ? objectSeen(solve) : null;
  const path = { solve: seen ?? solve, marks: [...(set?.body.marks ?? []), ...(seen ? [CAMERA_POINT] : [])], mover: seen ? ('object' as const) : ('camera' as const) };
  const said = (
    <>
      {ofLens ? <LensSays take={take} words={ofLens} bends={Boolean(solve.bending)} onFindLens={onFindLens} /> : null}
      {reconcile ? (
        <>
          <Words look="heading" level={2} testID="reconcile-sentence" style={{ marginTop: SPACE.m }}>
            {reconcile.sentence}
          </Words>
          {reconcile.undecided ? <Worlds undecided={reconcile.undecided} /> : null}
          <Causes take={take} item={reconcile.items[0]} onSolveAgain={onSolveAgain} />
          {reconcile.items.map((i, n) => (
            <View key={`${i.quantity} ${i.about} ${n}`}>
              <DifferenceStrip item={i} />
              {i.quantity === 'focalLength' ? <FocalSaidBy item={i} packageId={take.body.packageId} takeId={take.id} /> : null}
              {i.verdict === 'contradicts' || i.verdict === 'drifts' ? <ReadingBehind item={i} take={take} /> : null}
            </View>
          ))}
        </>
      ) : null}
      {solve.status === 'partial' ? <Failing title="Solved in part" text={`${capital(solve.reason ?? '')}.`} /> : null}
      <Stretches parts={solve.parts} />
      {solve.witness ? <WitnessFound witness={solve.witness} scaled={solve.anchoring.scale !== null} /> : null}
      {others.length > 0 ? (
        <Section title="Worth knowing">
          <Warnings of={others} />
        </Section>
      ) : null}
    </>
  );
  const drawn = (
    <>
      <ClipMoment take={take} outcome={outcome} marks={set?.body.marks ?? NO_MARKS} />
      <Section title="Reprojection error">
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl }} testID="solve-rms">
          <Explained about={EXPLANATIONS.reprojection}>
            <Figure look="big" origin="computed" value={fixed(solve.rmsPx, 2)} unit="px" />
          </Explained>
          <Explained about={EXPLANATIONS.reprojection} of="Error over the width">
            <Figure look="big" origin="computed" value={fixed(solve.rmsPerMille, 3)} unit="‰ of the width" />
          </Explained>
        </View>
        <FrameErrorChart solve={solve} />
        {solve.focalMode === 'zoom' ? <FocalChart solve={solve} /> : null}
        <Words
          look="small"
          dim
          testID="solve-facts"
        >{`${lensFoundWords(solve, outcome.setup)}${stretchesWords(solve)}${solve.frames.length} frames, ${solve.motion === 'pan' ? `${solve.directions?.length ?? 0} directions` : `${solve.points.length} points`}; ${solve.focalMode === 'zoom' ? zoomWords(solve) : `focal length ${fixed(solve.focalMm, 2)} ± ${fixed(solve.sigmaFocalMm, 2)} mm (${solve.focalMode})`}.`}</Words>
      </Section>
      <Section title={solve.motion === 'pan' ? 'Turn and directions' : seen ? 'Way of the object, and its points' : 'Path and points'}>
        <Words look="small" dim>{`Anchored by ${solve.anchoring.datum.join('; ')}${solve.anchoring.scale === null ? '' : `; scale ± ${fixed(solve.anchoring.sigmaScalePct, 2)} %`}.`}</Words>
        {solve.motion === 'pan' ? null : (
          <Choice<'flat' | 'turned'>
            label="Seen"
            value={view}
            options={[
              { value: 'flat', title: 'from above and from the side' },
              { value: 'turned', title: 'turned' },
            ]}
            onChange={setView}
          />
        )}
        {solve.motion === 'pan' ? (
          <TurnDrawing solve={solve} marks={set?.body.marks ?? []} />
        ) : view === 'turned' ? (
          <OrbitDrawing solve={path.solve} marks={path.marks} over={over} mover={path.mover} />
        ) : (
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.l }}>
            <View style={{ flexGrow: 1, flexBasis: 320 }}>
              <PathDrawing solve={path.solve} from="above" marks={path.marks} over={over} mover={path.mover} />
            </View>
            <View style={{ flexGrow: 1, flexBasis: 320 }}>
              <PathDrawing solve={path.solve} from="side" marks={path.marks} over={over} mover={path.mover} />
            </View>
          </View>
        )}
      </Section>
      <EarlierSolves takeId={take.id} shownId={analysisId} solve={solve} onOver={setOver} />
      <Section title="Tracks, worst first">
        {(allTracks ? tracks : tracks.slice(0, 8)).map((t) => (
          <TrackLine key={t.track} name={t.track} detail={`${t.observations} frames${spreadWords(t, solve.anchoring.scale !== null)}`} value={`${fixed(t.rmsPx, 2)} px`} />
        ))}
        {moving.map((t) => (
          <TrackLine key={`left ${t.track}`} name={t.track} detail="left out: does not behave like a still point" value={`${fixed(t.residualPx, 1)} px`} />
        ))}
        {tracks.length > 8 ? <Action kind="quiet" title={allTracks ? 'Show the worst only' : `Show all ${tracks.length} tracks`} onPress={() => setAllTracks(!allTracks)} /> : null}
      </Section>
    </>
  );
  // verdicts, picture and drawing beside each other where there is room
  return wide ? (
    <View style={{ flexDirection: 'row', gap: SPACE.xl }}>
      <View style={{ flex: 1, minWidth: 0 }}>{said}</View>
      <View style={{ flex: 1, minWidth: 0 }}>{drawn}</View>
    </View>
  ) : (
    <>
      {said}
      {drawn}
    </>
  );
}

/** What makes every verdict below it doubtful, or all of it less sure, comes before them, with the way to mend it. */
function LensSays({ take, words, bends, onFindLens }: { take: StoredRecord<'take'>; words: string; bends: boolean; onFindLens: () => void }) {
  const p = usePalette();
  const may = useMay('compute');
  const router = useRouter();
  return (
    <View style={{ borderLeftWidth: 4, borderColor: bends ? p.against : p.tape, paddingLeft: SPACE.m, marginTop: SPACE.m, gap: SPACE.s }} testID={bends ? 'bending' : 'unmeasured'}>
      <Words>{bends ? `▲ ${words}` : words}</Words>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        {may && bends ? <Action title="Find its bending in this take" icon="play-arrow" onPress={onFindLens} testID="find-lens" /> : null}
        <Action title="Go to its plates" icon="grid-on" onPress={() => router.push(`/kit/${take.body.packageId}`)} testID="to-plates" />
      </View>
    </View>
  );
}

/** Facts contradict each other and nothing tells which is wrong: what each answer would mean, side by side, and what decides. */
function Worlds({ undecided }: { undecided: Undecided }) {
  const p = usePalette();
  return (
    <View style={{ borderLeftWidth: 4, borderColor: p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.m, gap: SPACE.s }} testID="worlds">
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.l }}>
        {undecided.worlds.map((w, i) => (
          <View key={w.wrong.join()} style={{ flexGrow: 1, flexBasis: 140 }}>
            <Words look="small">{`If ${lower(w.wrong.join(' and '))} is wrong${i === 0 ? ' (shown here)' : ''}`}</Words>
            <Explained about={EXPLANATIONS.twoWorlds}>
              <Figure look="figure" origin="computed" value={fixed(w.cameraHeightM, 3)} unit="m high" />
            </Explained>
            <Words look="small" dim>{`first camera; the set ${i === 0 ? 'as drawn' : `${fixed(w.scale / undecided.worlds[0].scale, 3)} times as large`}`}</Words>
          </View>
        ))}
      </View>
      <Words>{undecided.decide}</Words>
    </View>
  );
}
const lower = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);

function TrackLine({ name, detail, value }: { name: string; detail: string; value: string }) {
  const p = usePalette();
  return (
    <View style={{ flexDirection: 'row', justifyContent: 'space-between', gap: SPACE.m, paddingVertical: 6, borderBottomWidth: 1, borderColor: p.line }}>
      <Words>{name}</Words>
      <Words look="small" dim style={{ flex: 1 }}>
        {detail}
      </Words>
      <Words look="figure">{value}</Words>
    </View>
  );
}
