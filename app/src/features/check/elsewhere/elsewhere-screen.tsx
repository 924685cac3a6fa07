import type { ElsewhereBody, ElsewhereOutcome, StoredRecord } from '@mesure/contract';
import { compareSolves, FOREIGN_LOOKS, FOREIGN_UNITS, TURN_ORDERS, usualReading, type ForeignReading, type SolveComparison, type SolveResult, type TurnOrder } from '@mesure/core';
import { isAsRead, lookAtTable, mappedCsv } from '@mesure/formats/mapped-table';
import { POINT_TABLE, type PointColumn } from '@mesure/formats/table-kinds';
import { useRouter, type Href } from 'expo-router';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { api, isWhole, newId, useAnalysesState, useClock, useData, useFind, useMay, useRecord, useRecordsState } from '../../../data';
import { csvName, readTableText } from '../../../data/read-table';
import { ColumnsSheet, type ChosenTable } from '../../../ui/columns-sheet';
import { Action, Choice, Progress, Section, useIsWide } from '../../../ui/controls';
import { capital, fixed, percent } from '../../../ui/format';
import { pickFile } from '../../../ui/pick-file';
import { staleWords, waitingWords } from '../../../ui/stale-words';
import { LiveNumber } from '../../../ui/live-number';
import { Empty, Failing, Loading } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { VerdictMark } from '../../../ui/verdict-mark';
import { Warnings } from '../../../ui/warnings';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { DifferenceStrip } from '../difference-strip';
import { comparisonWords } from '../earlier-solves';
import { PathDrawing } from '../path-drawings';
import { ReadingBehind } from '../reading-behind';

/** A solve that another program made: what of its file was assumed, what speaks against it, and what it says of the record. */
export function ElsewhereScreen({ elsewhereId }: { elsewhereId: string }) {
  const router = useRouter();
  const given = useRecord('elsewhere', elsewhereId);
  const take = useFind()('take', given?.body.takeId ?? '');
  return (
    <RecordsGate what="the solve">
      {given && !given.deleted && take ? (
        <Brought key={given.id} given={given} take={take} />
      ) : (
        <Page>
          <Empty title="No such solve" text="It was undone or removed, or its take is hidden." action={{ title: 'Go to Check', onPress: () => router.replace('/check') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

interface Props {
  given: StoredRecord<'elsewhere'>;
  take: StoredRecord<'take'>;
}

function Brought({ given, take }: Props) {
  const router = useRouter();
  const clock = useClock();
  const find = useFind();
  const wide = useIsWide();
  const may = useMay('give');
  const { records, analyses } = useData();
  const write = useRecordsState((s) => s.write);
  const analysis = useAnalysesState((s) => s.bySubject[given.id]);
  const own = useAnalysesState((s) => s.bySubject[take.id]);
  const error = useAnalysesState((s) => s.error);
  const stop = useAnalysesState((s) => s.stop);
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  useEffect(() => {
    void loadWhole(given.id);
    void loadWhole(take.id);
  }, [given.id, take.id, analysis?.id, analysis?.status, loadWhole]);
  const running = analysis?.status === 'queued' || analysis?.status === 'running';
  const outcome = analysis?.status === 'done' && analysis.outcome?.kind === 'elsewhere' ? analysis.outcome : null;
  const ownSolve = own?.status === 'done' && own.outcome?.kind === 'solve' && isWhole(own) ? own.outcome.solve : null;
  async function compare() {
    await records.getState().send();
    await analyses.getState().start('elsewhere', given.id);
  }
  async function change(now: (b: ElsewhereBody) => ElsewhereBody, label: string) {
    await write('elsewhere', given.id, now, label);
    await compare();
  }
  const read = (instead: Partial<ForeignReading>, label: string) =>
    void change((b) => ({ ...b, reading: { ...(b.reading ?? outcome?.reading ?? usualReading({ metres: null, up: null })), ...instead } }), label);
  const whole = outcome && isWhole(analysis!);
  const marks = find('set', find('setup', take.body.setupId)?.body.setId ?? '')?.body.marks ?? [];
  return (
    <Page
      action={
        running ? (
          <Action icon="stop" title="Stop" onPress={() => void stop(given.id)} testID="stop-elsewhere" />
        ) : may && (!outcome || analysis?.stale) ? (
          <Action kind="main" icon="play-arrow" title={outcome ? 'Compare with the record as it is' : 'Compare with the record'} onPress={() => void compare()} testID="start-elsewhere" />
        ) : (
          <Action title="Back to the take" icon="arrow-back" onPress={() => router.push(`/check/${take.id}` as Href)} />
        )
      }
    >
      <Words look="title" level={1}>{`${take.body.slate} take ${take.body.take}: solved elsewhere`}</Words>
      <Words dim numberOfLines={1}>{`${given.body.file.name}${given.body.points ? ` with ${given.body.points.name}` : ''}`}</Words>
      {error ? <Failing title="The comparison did not start" text={`${error} The file is safe.`} /> : null}
      {running ? <Progress fraction={analysis.progress} label={analysis.status === 'queued' ? capital(waitingWords(analysis)) : `${analysis.stage}, ${percent(analysis.progress)}`} /> : null}
      {analysis?.status === 'failed' ? <Failing title="It could not be read" text={analysis.error ?? ''} /> : null}
      {analysis?.stale && !running ? <Words testID="stale">{`↺ From ${staleWords(analysis, clock)}: ${analysis.stale.what}.`}</Words> : null}
      {outcome && !running ? (
        <>
          <Doubts outcome={outcome} onRead={may ? read : null} />
          <Words look="heading" level={2} testID="elsewhere-sentence" style={{ marginTop: SPACE.m }}>
            {outcome.reconcile?.sentence ?? 'It says no focal length, so its lens cannot be compared.'}
          </Words>
          {outcome.reconcile ? <VerdictMark verdict={outcome.reconcile.verdict} large /> : null}
          {!whole ? <Loading what="the solve" /> : wide ? <Beside left={<Said outcome={outcome} take={take} />} right={<Drawn solve={outcome.solve} own={ownSolve} marks={marks} />} /> : null}
          {whole && !wide ? (
            <>
              <Said outcome={outcome} take={take} />
              <Drawn solve={outcome.solve} own={ownSolve} marks={marks} />
            </>
          ) : null}
        </>
      ) : null}
      <HowItIsRead key={analysis?.id ?? ''} given={given} outcome={outcome} may={may && !running} onRead={read} onChange={(now, label) => void change(now, label)} />
      {may ? (
        <View style={{ alignItems: 'flex-start', marginTop: SPACE.l }}>
          <Action
            title="Remove this solve"
            icon="delete-outline"
            onPress={() => {
              void write('elsewhere', given.id, (now) => now, 'Solve made elsewhere removed', true);
              router.replace(`/check/${take.id}` as Href);
            }}
            testID="remove-elsewhere"
          />
        </View>
      ) : null}
    </Page>
  );
}

const Beside = ({ left, right }: { left: React.ReactNode; right: React.ReactNode }) => (
  <View style={{ flexDirection: 'row', gap: SPACE.xl }}>
    <View style={{ flex: 1, minWidth: 0 }}>{left}</View>
    <View style={{ flex: 1, minWidth: 0 }}>{right}</View>
  </View>
);

/** What speaks against how it was read comes before everything that follows from it. */
function Doubts({ outcome, onRead }: { outcome: ElsewhereOutcome; onRead: ((instead: Partial<ForeignReading>, label: string) => void) | null }) {
  const p = usePalette();
  return (
    <>
      {outcome.doubts.map((d) => (
        <View key={d.code} testID={`doubt-${d.code}`} style={{ borderLeftWidth: 4, borderColor: p.against, paddingLeft: SPACE.m, marginTop: SPACE.m, alignItems: 'flex-start', gap: SPACE.s }}>
          <Words role="alert">{`◆ ${d.words}`}</Words>
          {onRead ? <Action title={`Read it ${readingWords(d.instead)}`} onPress={() => onRead(d.instead, `Read ${readingWords(d.instead)}`)} testID={`read-as-${d.code}`} /> : null}
        </View>
      ))}
    </>
  );
}

function readingWords(r: Partial<ForeignReading>): string {
  if (r.unit) return r.unit === 'of the solve' ? 'without a unit' : `in ${r.unit}`;
  if (r.up) return `with ${r.up} up`;
  if (r.looks) return `looking along ${r.looks === '+Z' ? '+Z' : '−Z'}`;
  if (r.world) return r.world === 'set' ? 'in the set’s own places' : 'in a world of its own';
  const n = r.addFrames ?? 0;
  return `with ${n < 0 ? `${-n} taken off` : `${n} added to`} its frame numbers`;
}

function Said({ outcome, take }: { outcome: ElsewhereOutcome; take: StoredRecord<'take'> }) {
  const { reconcile, solve, scale, reading } = outcome;
  return (
    <>
      {reconcile?.items.map((i, n) => (
        <View key={`${i.quantity} ${i.about} ${n}`}>
          <DifferenceStrip item={i} />
          {i.causes[0] ? <Words look="small">{`${i.causes[0].title} (${percent(i.causes[0].likelihood)}): ${i.causes[0].evidence}.`}</Words> : null}
          {i.verdict === 'contradicts' || i.verdict === 'drifts' ? <ReadingBehind item={i} take={take} /> : null}
        </View>
      ))}
      {scale ? (
        <Words look="small" dim testID="elsewhere-scale">
          {reading.unit === 'of the solve'
            ? `One of its units is ${fixed(scale.factor, 4)} ± ${fixed(scale.sigma, 4)} m by what was measured.`
            : `By what was measured its metre is ${fixed(scale.factor, 4)} ± ${fixed(scale.sigma, 4)} m.`}
        </Words>
      ) : null}
      <Section title="Worth knowing">
        <Warnings of={solve.warnings} />
      </Section>
    </>
  );
}

/** Its path in the set, and where there is a test solve of the take, that one's dashed over it. */
function Drawn({ solve, own, marks }: { solve: SolveResult; own: SolveResult | null; marks: readonly string[] }) {
  const comparison: SolveComparison | null = own ? compareSolves(solve, own) : null;
  return (
    <Section title="Path and points">
      <PathDrawing solve={solve} from="above" marks={marks} over={comparison?.path ?? []} />
      <PathDrawing solve={solve} from="side" marks={[]} over={comparison?.path ?? []} />
      {comparison && own ? (
        <View testID="elsewhere-comparison">
          {comparisonWords(comparison, solve, own).map((w) => (
            <Words key={w}>{w}</Words>
          ))}
          <Words look="small" dim>
            Dashed: the newest test solve of the take.
          </Words>
        </View>
      ) : (
        <Words look="small" dim>
          {own ? 'It cannot be laid over the test solve of the take: they share no path with width.' : 'With a test solve of the take the two are laid over each other here.'}
        </Words>
      )}
    </Section>
  );
}

interface Reads {
  given: StoredRecord<'elsewhere'>;
  outcome: ElsewhereOutcome | null;
  may: boolean;
  onRead: (instead: Partial<ForeignReading>, label: string) => void;
  onChange: (now: (b: ElsewhereBody) => ElsewhereBody, label: string) => void;
}

/** What the file says of itself, what was assumed where it is silent, and each of it to be said otherwise. */
function HowItIsRead({ given, outcome, may, onRead, onChange }: Reads) {
  const p = usePalette();
  const { session } = useData();
  const [failure, setFailure] = useState<string | null>(null);
  const reading = given.body.reading ?? outcome?.reading ?? null;
  const [chosen, setChosen] = useState<ChosenTable<PointColumn> | null>(null);
  const attempt = async (work: () => Promise<void>) => {
    setFailure(null);
    await work().catch((e: Error) => setFailure(`${e.message} Nothing was changed.`));
  };
  const send = async (blob: Blob, called: string) => {
    const { sha256, name } = await api.upload(session.production.id, blob, { name: called, use: 'move', key: newId() });
    setChosen(null);
    onChange((b) => ({ ...b, points: { sha256, name } }), `Points ${name} given to it`);
  };
  const addPoints = async () => {
    const file = await pickFile('.csv,.tsv,.txt,.xlsx,.ply,text/csv');
    if (!file) return;
    await attempt(async () => {
      if (/\.ply$/i.test(file.name)) return send(file, file.name);
      const text = await readTableText(file);
      const table = lookAtTable(text, file.name, POINT_TABLE);
      if (isAsRead(table, POINT_TABLE)) await send(file, file.name);
      else setChosen({ name: file.name, text, table, columns: table.columns });
    });
  };
  return (
    <Section title="How it is read">
      {outcome ? <Words testID="elsewhere-says">{saysWords(outcome)}</Words> : null}
      {outcome?.says.notes.map((n) => (
        <Words key={n} look="small" dim>
          {n}
        </Words>
      ))}
      {may ? (
        <>
          {reading ? (
            <>
              <Choice<ForeignReading['world']>
                label="Its places"
                value={reading.world}
                options={[
                  { value: 'own', title: 'in a world of its own', detail: 'tied by what was measured' },
                  { value: 'set', title: 'are those of the set', detail: 'judged as they stand' },
                ]}
                onChange={(world) => onRead({ world }, `Read ${readingWords({ world })}`)}
              />
              <Choice<ForeignReading['unit']>
                label={outcome?.says.metres == null ? 'Its unit, which it does not say' : 'Its unit'}
                value={reading.unit}
                options={FOREIGN_UNITS.map((value) => ({ value, title: value === 'of the solve' ? 'none' : value }))}
                onChange={(unit) => onRead({ unit }, `Read ${readingWords({ unit })}`)}
              />
              <Choice<ForeignReading['up']>
                label={outcome?.says.up == null ? 'Up, which it does not say' : 'Up'}
                value={reading.up}
                options={(['Y', 'Z'] as const).map((value) => ({ value, title: value.toLowerCase() }))}
                onChange={(up) => onRead({ up }, `Read ${readingWords({ up })}`)}
              />
              <Choice<ForeignReading['looks']>
                label="Its camera looks along its own"
                value={reading.looks}
                options={FOREIGN_LOOKS.map((value) => ({ value, title: value === '-Z' ? '−z' : '+z', detail: value === '-Z' ? 'y up' : 'y down' }))}
                onChange={(looks) => onRead({ looks }, `Read ${readingWords({ looks })}`)}
              />
              <FramesAdded value={reading.addFrames} onKeep={(addFrames) => onRead({ addFrames }, `Read ${readingWords({ addFrames })}`)} />
            </>
          ) : null}
          {/\.csv$/i.test(given.body.file.name) ? (
            <Choice<TurnOrder | null>
              label="Where its turns are angles, they are applied in the order"
              value={given.body.order}
              options={[{ value: null, title: 'not said' }, ...TURN_ORDERS.map((value) => ({ value, title: [...value.toLowerCase()].join(' ') }))]}
              onChange={(order) => onChange((b) => ({ ...b, order }), `Turns in the order ${order ?? 'not said'}`)}
            />
          ) : null}
          <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l, marginTop: SPACE.s }}>
            <Action kind="quiet" icon="upload-file" title={given.body.points ? 'Other points' : 'Give its points (a table, or PLY)'} onPress={() => void addPoints()} testID="give-points" />
          </View>
          {failure && !chosen ? <Words role="alert" color={p.against}>{`▲ ${failure}`}</Words> : null}
          {chosen ? (
            <ColumnsSheet
              chosen={chosen}
              kind={POINT_TABLE}
              intro="is laid out otherwise than id,x,y,z. Say what its columns hold; its names are those of the tracks."
              failure={failure}
              onColumns={(columns) => setChosen({ ...chosen, columns })}
              onClose={() => setChosen(null)}
              take={{
                title: 'Take these points',
                testID: 'take-points',
                ready: true,
                busy: false,
                onPress: () => void attempt(() => send(new Blob([mappedCsv(chosen.text, chosen.name, chosen.table, chosen.columns, POINT_TABLE)], { type: 'text/csv' }), csvName(chosen.name))),
              }}
            />
          ) : null}
        </>
      ) : null}
    </Section>
  );
}

/** Told when the field is left: each keystroke would be another computation. */
function FramesAdded({ value, onKeep }: { value: number; onKeep: (frames: number) => void }) {
  const [typed, setTyped] = useState<number | null>(value);
  const right = typed !== null && Number.isInteger(typed) && Math.abs(typed) <= 10_000_000;
  return (
    <LiveNumber
      label="Added to its frame numbers"
      digits={0}
      signed
      value={typed}
      onChange={setTyped}
      onDone={() => right && typed !== value && onKeep(typed)}
      hint={right ? undefined : 'A whole number'}
      testID="elsewhere-frames"
    />
  );
}

function saysWords({ says, reading }: ElsewhereOutcome): string {
  const unit = says.metres === null ? `no unit (read in ${reading.unit})` : says.metres === 'of the solve' ? 'a unit of its own' : reading.unit;
  return `${says.format}: ${says.lastFrame - says.firstFrame + 1 === 1 ? `one frame, ${says.firstFrame}` : `frames ${says.firstFrame} to ${says.lastFrame}`}, ${unit}, ${says.up === null ? `up not said (read ${reading.up})` : `${says.up} up`}${says.fps ? `, ${fixed(says.fps, says.fps % 1 === 0 ? 0 : 3)} frames a second` : ''}; ${says.points === 0 ? 'no points' : `${says.points} points`}${says.hasFocal ? '' : ', no focal length'}.`;
}
