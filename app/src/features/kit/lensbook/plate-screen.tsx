import { focusWords } from './book-field';
import { mountPackage, opticsOf } from '@mesure/contract';
import { frameLens, warningsBut, type FittedUnknown, type GridReport } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useEffect, useState } from 'react';
import { Image, View } from 'react-native';
import { api, isWhole, useAnalysesState, useClock, useData, useFind, useMayWrite, useRecord, useRecordsState } from '../../../data';
import { EXPLANATIONS } from '../../explanations';
import { Explained } from '../../../ui/explain';
import { Action, Choice, Progress, Section } from '../../../ui/controls';
import { capital, fixed, focal, percent, withSigma } from '../../../ui/format';
import { KnownOnly, Empty, Failing, Loading } from '../../../ui/states';
import { knownWords, staleWords, waitingWords } from '../../../ui/stale-words';
import { Fact } from '../../../ui/fact';
import { Figure, Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { Warnings } from '../../../ui/warnings';
import { Page } from '../../shell/pane';
import { remarksOf, notesWords } from './picture-words';
import { BeforeAfter } from './before-after';
import { LensFiles } from './lens-files';
import { GivenDoubts, givenWords } from './given-doubts';
import { GivenDrawing } from './given-drawing';
import { GivenSheet } from './given-sheet';
import { PlateCorrections } from './plate-corrections';
import { PlateDrawing } from './plate-drawing';
import { PlateEntries } from './plate-entries';
import { PlateFindings } from './plate-findings';

/** One grid plate: the picture, what was found in it, and whether it can be used. */
export function PlateScreen({ plateId }: { plateId: string }) {
  const p = usePalette();
  const router = useRouter();
  const { session } = useData();
  const status = useRecordsState((s) => s.status);
  const clock = useClock();
  const known = useAnalysesState((s) => knownWords(s.knownFrom, clock));
  const plate = useRecord('plate', plateId);
  const lens = useRecord('lens', plate?.body.lensId);
  const analysis = useAnalysesState((s) => s.bySubject[plateId]);
  const analysesStatus = useAnalysesState((s) => s.status);
  const error = useAnalysesState((s) => s.error);
  const start = useAnalysesState((s) => s.start);
  const stop = useAnalysesState((s) => s.stop);
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  const find = useFind();
  const write = useRecordsState((s) => s.write);
  const mayWrite = useMayWrite();
  const [correcting, setCorrecting] = useState(false);
  const [entries, setEntries] = useState(false);
  useEffect(() => {
    void loadWhole(plateId);
  }, [plateId, analysis?.id, analysis?.status, loadWhole]);
  if (status === 'loading' || (plate && analysesStatus === 'loading')) return <Loading what="the plate" />;
  if (!plate || plate.deleted)
    return (
      <Page>
        <Empty title="No such plate" text="It may have been removed." action={{ title: 'Go to Kit', onPress: () => router.replace('/kit') }} />
      </Page>
    );
  const { given } = plate.body;
  const again = { title: given ? 'Read it again' : 'Measure again', onPress: () => void start('grid', plateId) };
  const picture = api.previewUrl(session.production.id, plate.body.picture.sha256, 2048);
  const finished = analysis?.status === 'done' ? analysis.outcome : null;
  const outcome = finished?.kind === 'grid' ? finished : null;
  const r = outcome?.report;
  // the verdict and what the plate contradicts stand above in their own words
  const worthKnowing = r ? warningsBut([...r.warnings, ...r.plates[0].warnings], 'PLATE_REFUSED', 'PLATE_CONTRADICTS') : [];
  const whole = outcome && isWhole(analysis!) ? outcome : null;
  const pack = find('package', plate.body.packageId);
  const mount = pack ? mountPackage(pack.body, find) : null;
  const mounted = mount && !('missing' in mount) ? mount : null;
  const remarks = mounted ? remarksOf(plate.body.notes, mounted, plate.body) : [];
  const size = { width: outcome?.widthPx ?? plate.body.notes?.widthPx ?? mounted?.mode.widthPx ?? 16, height: outcome?.heightPx ?? plate.body.notes?.heightPx ?? mounted?.mode.heightPx ?? 9 };
  const busy = analysis?.status === 'queued' || analysis?.status === 'running';
  return (
    <Page action={<Action title="Back to the package" icon="arrow-back" onPress={() => router.push(`/kit/${plate.body.packageId}`)} />}>
      <Words look="title" level={1}>{`${lens?.body.name ?? 'Lens'}, ${focal(plate.body.focalMm)} mm`}</Words>
      <Words
        dim
        numberOfLines={1}
      >{`${plate.body.picture.name} · ${given ? givenWords(given) : `cell ${fixed((plate.body.cellM ?? 0) * 1000, 1)} mm`}${plate.body.focusM ? ` · focus ${focusWords(plate.body.focusM)}` : ''}`}</Words>
      {r && mounted && !busy ? <PlateFindings plate={plate} findings={r.findings ?? []} mounted={mounted} onEntries={() => setEntries(true)} /> : null}
      {r ? (
        <Words look="heading" level={2} testID="plate-sentence" style={{ marginTop: SPACE.m }}>
          {r.sentence}
        </Words>
      ) : null}
      {r && analysis?.stale && !busy ? (
        <View style={{ borderLeftWidth: 4, borderColor: p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.s, gap: SPACE.xs }} testID="stale">
          <Words>{`↺ From ${staleWords(analysis, clock)}: ${analysis.stale.what}${analysis.stale.who ? `, by ${analysis.stale.who}` : ''}. The lens is normalised as it was recorded then.`}</Words>
          <View style={{ alignItems: 'flex-start' }}>
            <Action title={again.title} icon="refresh" onPress={again.onPress} testID="measure-anew" />
          </View>
        </View>
      ) : null}
      {given && outcome && !busy ? <GivenDoubts plate={plate} outcome={outcome} /> : null}
      {given ? (
        r?.distortion && mounted ? (
          <GivenDrawing lens={frameLens(r.distortion, opticsOf(mounted, plate.body.focalMm))} />
        ) : null
      ) : correcting && mounted ? (
        <PlateCorrections
          record={plate}
          outcome={whole}
          mounted={mounted}
          pictureUrl={api.previewUrl(session.production.id, plate.body.picture.sha256, 4096)}
          size={size}
          onDone={() => setCorrecting(false)}
        />
      ) : whole && whole.corners.length > 0 ? (
        <PlateDrawing
          corners={whole.corners}
          size={size}
          pictureUrl={picture}
          describe={`Lattice of ${whole.report.plates[0].rows} × ${whole.report.plates[0].cols} over the plate, ${whole.corners.length} corners.`}
        />
      ) : (
        <View style={{ marginVertical: SPACE.m }}>
          <Image source={{ uri: picture }} accessibilityLabel={`Grid plate ${plate.body.picture.name}`} style={{ width: '100%', aspectRatio: size.width / size.height }} resizeMode="contain" />
        </View>
      )}
      {entries && !given ? <PlateEntries plate={plate} onClose={() => setEntries(false)} /> : null}
      {entries && given && pack ? <GivenSheet pack={pack} plate={plate} onClose={() => setEntries(false)} /> : null}
      {mayWrite && mounted && !correcting && !busy ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginBottom: SPACE.s }}>
          {given ? null : (
            <Action title={whole && whole.corners.length > 0 ? 'Correct the lattice' : 'Show it where the chart is'} icon="touch-app" onPress={() => setCorrecting(true)} testID="correct-lattice" />
          )}
          <Action title={given ? 'How it is read' : 'What was entered'} icon="edit" onPress={() => setEntries(true)} testID="open-plate-entries" />
        </View>
      ) : null}
      {remarks.map((m) => (
        <Words key={m.message} look="small" color={p.against}>{`▲ ${m.message}`}</Words>
      ))}
      {known ? <KnownOnly known={known} there={Boolean(analysis)} what="the plate's result" /> : null}
      {!analysis && !known ? (
        error ? (
          <Failing title={given ? 'It was not read' : 'The plate was not measured'} text={`${error} The ${given ? 'file' : 'picture'} is safe on the server.`} action={again} />
        ) : (
          <Empty
            title={given ? 'Not read yet' : 'Not measured yet'}
            text={given ? 'The file is on the server.' : 'The picture is on the server.'}
            action={{ title: given ? 'Read it' : 'Measure this plate', onPress: again.onPress }}
          />
        )
      ) : null}
      {busy && analysis ? (
        <View style={{ gap: SPACE.m }}>
          <Progress fraction={analysis.progress} label={analysis.status === 'queued' ? capital(waitingWords(analysis)) : `${analysis.stage}, ${percent(analysis.progress)}`} />
          <Action title="Stop measuring" icon="stop" onPress={() => void stop(plateId)} />
        </View>
      ) : null}
      {analysis?.status === 'failed' ? <Failing title={given ? 'This cannot be read as a lens' : 'This picture cannot be used'} text={analysis.error ?? ''} action={again} /> : null}
      {analysis?.status === 'stopped' ? <Empty title="Stopped" text="Nothing was measured. What was given is safe." action={again} /> : null}
      {r && r.status === 'unusable' && !r.distortion ? <Failing title="This plate cannot be used" text={r.sentence} /> : null}
      {r?.distortion && r.overscan ? (
        <>
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.m, marginTop: SPACE.s }}>
            <Fact about={EXPLANATIONS.plateFit} label="RMS" value={fixed(r.rmsPx, 3)} unit="px" testID="plate-rms" />
            <Fact about={EXPLANATIONS.plateFit} label="Worst residual" value={fixed(r.maxPx, 2)} unit="px" />
            <Fact about={EXPLANATIONS.coverage} label="Coverage" value={percent(r.plates[0].coverage)} />
            <Fact about={EXPLANATIONS.cornerDisplacement} label="Corner displacement" value={fixed(r.cornerDisplacementPct, 2)} unit="% of half diagonal" />
            {given ? null : (
              <>
                <Fact about={EXPLANATIONS.plateFit} label="Corners" value={`${r.plates[0].corners}`} />
                <Fact about={EXPLANATIONS.chartTilt} label="Tilt of the chart" value={fixed(r.plates[0].tiltDeg, 1)} unit="°" />
                <Fact about={EXPLANATIONS.chartTilt} label="Edge blur" value={fixed(r.plates[0].blurPx, 1)} unit="px" />
              </>
            )}
            {r.focalFromDistance ? (
              <Fact
                about={EXPLANATIONS.focalFromChart}
                label="Measured focal length"
                value={`${fixed(r.focalFromDistance.mm, 2)} ± ${fixed(r.focalFromDistance.sigmaMm, 2)}`}
                unit="mm"
                testID="measured-focal"
              />
            ) : null}
          </View>
          {mounted && !given ? <BeforeAfter pictureUrl={picture} lens={frameLens(r.distortion, opticsOf(mounted, plate.body.focalMm))} overscan={r.overscan} /> : null}
          {mounted ? <LensFiles record={plate} report={r} mounted={mounted} /> : null}
          {r.candidates.length > 1 ? <ModelTable report={r} /> : null}
          <Section title={`Coefficients, ${r.distortion.model}`}>
            <Unknowns fitted={r.fitted} />
            {'rotation' in r.distortion && mounted && r.distortion.terms.includes('rotation') ? <Words>{axisWords(r.distortion.rotation, mounted.lens.axisDeg ?? null)}</Words> : null}
            {r.squeeze ? <Words>{`The cells are square at a squeeze of ${fixed(r.squeeze.value, 4)} ± ${fixed(r.squeeze.sigma, 4)}.`}</Words> : null}
            <Words dim>{`centre ${fixed(r.distortion.center[0], 1)}, ${fixed(r.distortion.center[1], 1)} px; normalised with ${fixed(r.distortion.focalMm, 2)} mm`}</Words>
          </Section>
        </>
      ) : null}
      {plate.body.notes ? (
        <Section title="What the file says">
          <Words look="small" dim>
            {notesWords(plate.body.notes)}
          </Words>
        </Section>
      ) : null}
      {worthKnowing.length > 0 ? (
        <Section title="Worth knowing">
          <Warnings of={worthKnowing} />
        </Section>
      ) : null}
      {mayWrite && !busy ? (
        <View style={{ marginTop: SPACE.xl, alignItems: 'flex-start' }}>
          <Action
            title="Remove this plate"
            icon="delete-outline"
            testID="remove-plate"
            onPress={() => {
              void write('plate', plate.id, (now) => now, `${plate.body.picture.name} removed`, true);
              router.replace(`/kit/${plate.body.packageId}`);
            }}
          />
        </View>
      ) : null}
    </Page>
  );
}

/** The axis as it was found, beside what is noted of the lens. */
function axisWords(rotationRad: number, notedDeg: number | null): string {
  const deg = (180 * rotationRad) / Math.PI;
  const off = notedDeg === null ? '' : Math.abs(deg - notedDeg) > 0.3 ? `; the lens is noted with ${notedDeg}°: look at its mount` : ', as noted';
  return `The squeeze's axis is turned by ${fixed(deg, 2)}° against the picture's width${off}.`;
}

const UNKNOWN_WORDS: Record<string, string> = { lambda: 'λ', cx: 'centre x', cy: 'centre y', rho: 'focal ratio', aspect: 'aspect', rotation: 'rotation' };

function Unknowns({ fitted }: { fitted: readonly FittedUnknown[] }) {
  return fitted.map(({ name, value, sigma, determined }) => {
    const w = withSigma(value, sigma);
    return (
      <View key={name} style={{ flexDirection: 'row', alignItems: 'baseline', gap: SPACE.m }}>
        <Words style={{ width: 96 }}>{UNKNOWN_WORDS[name] ?? name}</Words>
        <Explained about={EXPLANATIONS.lensUnknowns} of={UNKNOWN_WORDS[name] ?? name}>
          <Figure value={w.value} sigma={w.sigma} origin="computed" />
        </Explained>
        {determined === false ? (
          <Words look="small" dim>
            not told from none
          </Words>
        ) : null}
      </View>
    );
  });
}

/** What each model makes of the corners it was fitted to and of those it has not seen. */
function ModelTable({ report }: { report: GridReport }) {
  const p = usePalette();
  const [openModel, setOpenModel] = useState<string | null>(null);
  const opened = report.candidates.find((c) => c.model === openModel);
  const cell = { flex: 1, textAlign: 'right' } as const;
  return (
    <Section title="Models compared">
      <View role="table" aria-label="Models compared">
        <View role="row" style={{ flexDirection: 'row', paddingVertical: SPACE.xs, borderBottomWidth: 1, borderColor: p.line }}>
          {['model', 'unknowns', 'seen, px', 'unseen, px'].map((title, i) => (
            <Words key={title} role="columnheader" look="label" dim style={i === 0 ? { width: 120 } : cell}>
              {title}
            </Words>
          ))}
        </View>
        {report.candidates.map((c) => {
          const taken = c.model === report.distortion?.model;
          return (
            <View key={c.model} role="row" style={{ flexDirection: 'row', paddingVertical: SPACE.xs, borderBottomWidth: 1, borderColor: p.line, backgroundColor: taken ? p.raised : undefined }}>
              <Words role="cell" style={{ width: 120 }}>{`${taken ? '● ' : '○ '}${c.model}`}</Words>
              <Words role="cell" look="figure" style={cell}>
                {String(c.unknowns)}
              </Words>
              <Words role="cell" look="figure" style={cell}>
                {fixed(c.rmsInPx, 3)}
              </Words>
              <Words role="cell" look="figure" style={cell}>
                {c.folds ? 'folds' : fixed(c.rmsOutPx, 3)}
              </Words>
            </View>
          );
        })}
      </View>
      <Words look="small" dim style={{ marginTop: SPACE.xs, marginBottom: SPACE.s }}>{`${report.why}.`}</Words>
      <Choice
        label="Its unknowns, as fitted"
        value={openModel}
        options={report.candidates.map((c) => ({ value: c.model as string | null, title: c.model }))}
        onChange={(model) => setOpenModel(model === openModel ? null : model)}
      />
      {opened?.fitted ? <Unknowns fitted={opened.fitted} /> : null}
    </Section>
  );
}
