import type { StillsPlan, StoredRecord, WalkOutcome } from '@mesure/contract';
import { countOf, walkAsSolve, warningsBut } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { isWhole, useAnalysesState, useClock, useData, useMay } from '../../../data';
import { Action, Progress, Section } from '../../../ui/controls';
import { Explained } from '../../../ui/explain';
import { capital, fixed, percent } from '../../../ui/format';
import { staleWords, waitingWords } from '../../../ui/stale-words';
import { Failing, Loading } from '../../../ui/states';
import { Figure, Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { Warnings } from '../../../ui/warnings';
import { correctionTitle } from '../../check/causes';
import { DifferenceStrip } from '../../check/difference-strip';
import { OrbitDrawing } from '../../check/orbit-drawing';
import { useCorrection } from '../../check/use-correction';
import { EXPLANATIONS } from '../../explanations';
import type { ShownStill } from './use-walk';

const FEWEST = 3;

interface Props {
  setup: StoredRecord<'setup'>;
  walk: StillsPlan;
  /** of each station the picture that counts */
  counted: ReadonlyMap<number, ShownStill>;
  names: readonly string[];
  marks: readonly string[];
}

/** What the pictures say together of where they were taken; null until they were placed. */
export function usePlaced(setupId: string): { outcome: WalkOutcome; whole: boolean } | null {
  const analysis = useAnalysesState((s) => s.bySubject[setupId]);
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  useEffect(() => {
    void loadWhole(setupId);
  }, [setupId, analysis?.id, analysis?.status, loadWhole]);
  return analysis?.status === 'done' && analysis.outcome?.kind === 'walk' ? { outcome: analysis.outcome, whole: isWhole(analysis) } : null;
}

/** Where the pictures were taken, by themselves: asked for, waited for, and told with what stands against the record. */
export function PlacedWalk({ setup, walk, counted, names, marks }: Props) {
  const clock = useClock();
  const may = useMay('compute');
  const { records, analyses } = useData();
  const analysis = useAnalysesState((s) => s.bySubject[setup.id]);
  const error = useAnalysesState((s) => s.error);
  const stop = useAnalysesState((s) => s.stop);
  const placed = usePlaced(setup.id);
  const arrived = [...counted.values()].filter((s) => s.sha256 !== null).length;
  const running = analysis?.status === 'queued' || analysis?.status === 'running';
  const place = async () => {
    await records.getState().send();
    await analyses.getState().start('walk', setup.id);
  };
  return (
    <Section title="Where they were taken">
      {!placed && !running ? (
        <Words look="small" dim>
          Pictures of one place tell together where each was taken, how long the lens was, and where the things in them stand. A thing must be in three of them: neighbours that share a quarter are
          enough to look at, and too little to be placed.
        </Words>
      ) : null}
      {error ? <Failing title="The placing did not start" text={`${error} The pictures are safe.`} /> : null}
      {analysis?.status === 'failed' ? <Failing title="They could not be placed" text={`${analysis.error ?? ''} The pictures are safe.`} /> : null}
      {running ? (
        <>
          <Progress fraction={analysis.progress} label={analysis.status === 'queued' ? capital(waitingWords(analysis)) : `${capital(analysis.stage)}, ${percent(analysis.progress)}`} />
          <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
            <Action kind="quiet" icon="stop" title="Stop" onPress={() => void stop(setup.id)} testID="stop-walk" />
          </View>
        </>
      ) : null}
      {analysis?.stale && !running ? <Words testID="walk-stale">{`↺ From ${staleWords(analysis, clock)}: ${analysis.stale.what}.`}</Words> : null}
      {placed && !running ? <Said {...placed} walk={walk} names={names} marks={marks} onAgain={place} /> : null}
      {may && !running ? (
        <View style={{ alignItems: 'flex-start', marginTop: SPACE.s }}>
          {arrived < FEWEST ? (
            <Words look="small" dim>{`${arrived === 0 ? 'No picture has' : arrived === 1 ? 'One picture has' : 'Two pictures have'} arrived; three can be placed.`}</Words>
          ) : (
            <Action icon={placed ? 'refresh' : 'place'} title={placed ? `Place the ${arrived} pictures again` : `Place the ${arrived} pictures`} onPress={() => void place()} testID="place-walk" />
          )}
        </View>
      ) : null}
    </Section>
  );
}

function Said({
  outcome,
  whole,
  walk,
  names,
  marks,
  onAgain,
}: {
  outcome: WalkOutcome;
  whole: boolean;
  walk: StillsPlan;
  names: readonly string[];
  marks: readonly string[];
  onAgain: () => Promise<void>;
}) {
  const { placed, stills } = outcome;
  if (placed.status === 'failed') return <Failing title="They could not be placed" text={`${capital(placed.reason ?? '')}.`} />;
  const nameOf = (i: number) => names[stills[i].station] ?? String(stills[i].station + 1);
  // two figures side by side would not say whose they are
  const one = placed.lenses.length === 1 ? placed.lenses[0] : null;
  const there = placed.stills.filter(Boolean).length;
  return (
    <>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl }} testID="walk-placed">
        {placed.turnsOnly ? null : <Figure look="big" origin="computed" value={`${there}`} unit={`of ${stills.length} placed`} />}
        {one?.told ? (
          <Explained about={EXPLANATIONS.walkFocal}>
            <Figure look="big" origin="computed" {...focalWords(one.focalPx, outcome.pxPerMm[one.lens])} />
          </Explained>
        ) : null}
      </View>
      {placed.lenses.map((l) => (
        <Words key={l.lens} look="small" dim testID={`walk-lens-${l.lens}`}>
          {lensWords(l, outcome.pxPerMm[l.lens])}
        </Words>
      ))}
      {placed.scaledBy === 'measured' ? <Words look="small" dim testID="walk-metre">{`A metre is what was taped between marks, ± ${fixed(placed.sigmaScalePct, 1)} %.`}</Words> : null}
      {placed.unplaced.map((u) => (
        <Words key={u.still} testID={`unplaced-${nameOf(u.still)}`}>{`▲ ${nameOf(u.still)}: ${u.why}.`}</Words>
      ))}
      <LensVerdict outcome={outcome} packageId={walk.packageId} onAgain={onAgain} />
      <Warnings of={warningsBut(placed.warnings)} />
      {placed.turnsOnly ? null : whole ? <OrbitDrawing solve={walkAsSolve(placed, stills)} marks={marks} mover="camera" everyView /> : <Loading what="the places" />}
    </>
  );
}

const focalWords = (px: number, pxPerMm: number | null) => (pxPerMm ? { value: fixed(px / pxPerMm, 2), unit: 'mm' } : { value: fixed(px, 0), unit: 'px' });

function lensWords(l: WalkOutcome['placed']['lenses'][number], pxPerMm: number | null): string {
  const of = `${l.lens}, ${countOf(l.stills.length, 'picture', 'pictures')}`;
  const by = pxPerMm ?? 1;
  const unit = pxPerMm ? 'mm' : 'px';
  // as many digits as the sigma needs to be one
  const small = l.sigmaPx !== null && l.sigmaPx / by < (pxPerMm ? 0.005 : 0.5);
  const digits = (pxPerMm ? 2 : 0) + (small ? 1 : 0);
  if (!l.told || l.sigmaPx === null) return `${of}: taken as ${fixed(l.recordedPx / by, digits)} ${unit}, which they do not tell.`;
  return `${of}: ${fixed(l.focalPx / by, digits)} ± ${fixed(l.sigmaPx / by, digits)} ${unit}, noted ${fixed(l.recordedPx / by, digits)}.`;
}

/** The recorded camera's focal length against what the pictures say, with the likely cause and the way to put it right. */
function LensVerdict({ outcome, packageId, onAgain }: { outcome: WalkOutcome; packageId: string; onAgain: () => Promise<void> }) {
  const router = useRouter();
  const may = useMay('record');
  const correction = useCorrection(packageId);
  const [busy, setBusy] = useState(false);
  const item = outcome.reconcile?.items[0];
  if (!item) return null;
  const [cause] = item.causes;
  const fix = cause?.correction;
  return (
    <View testID="walk-verdict" style={{ marginTop: SPACE.m, alignItems: 'flex-start', gap: SPACE.xs }}>
      <DifferenceStrip item={item} />
      {item.verdict === 'contradicts' && cause ? <Words look="small">{`${cause.title} (${percent(cause.likelihood)}): ${cause.evidence}.`}</Words> : null}
      {item.verdict === 'contradicts' && fix && may && correction ? (
        <Action
          kind="main"
          icon="build"
          title={correctionTitle(fix, correction.camera, 'place them again')}
          busy={busy}
          testID="correct-walk"
          onPress={() => {
            setBusy(true);
            void correction
              .correct(fix)
              .then(onAgain)
              .finally(() => setBusy(false));
          }}
        />
      ) : null}
      {item.verdict === 'contradicts' || item.verdict === 'drifts' ? (
        <Action kind="quiet" icon="build" title="Look at the package" onPress={() => router.push(`/kit/${packageId}` as Href)} testID="walk-package" />
      ) : null}
    </View>
  );
}
