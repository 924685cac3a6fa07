import type { StoredRecord } from '@mesure/contract';
import { explainLength, LEAST_CHECKED, netOnPlan, warningsBut, type FactOutcome, type NetResult, type Vec3 } from '@mesure/core';
import { writeSurveyCsv, writeSurveyPly } from '@mesure/formats/survey';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useMayWrite, useRecordsState } from '../../../data';
import { Action, Section } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { saveFile } from '../../../ui/save-file';
import { Empty, Failing, Loading } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { Warnings } from '../../../ui/warnings';
import { MarkSheet } from '../../setups/mark-sheet';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { NetDrawing, offWords } from './net-drawing';
import { factWords, NewFact } from './new-fact';
import { NewTie } from './new-tie';
import { dxfWriter } from './dxf-writer';
import { MarkPhotos } from './mark-photos';
import { saidOf, SideQuestions } from './side-questions';
import { useNet } from './use-net';

/** The tape net of a setup's set: all that was measured between marks, adjusted together after each entry. */
export function NetScreen({ setupId }: { setupId: string }) {
  const router = useRouter();
  const setup = useAll('setup').find((s) => s.id === setupId);
  const set = useAll('set').find((s) => s.id === setup?.body.setId);
  return (
    <RecordsGate what="the tape net">
      {setup && set ? (
        <OfSet setup={setup} set={set} />
      ) : (
        <Page>
          <Empty title="No such set" text="Choose a setup under Floor." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

type Asked = { between?: readonly [string, string]; startM?: number };

function OfSet({ setup, set }: { setup: StoredRecord<'setup'>; set: StoredRecord<'set'> }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const net = useNet(set);
  const [tie, setTie] = useState<Asked | null>(null);
  const [mark, setMark] = useState<string | null>(null);
  const [factOpen, setFactOpen] = useState(false);
  const plan = new Map<string, Vec3>((set.body.sheet ?? []).map((m) => [m.id, m.at]));
  const shown = net.state.status === 'done' ? net.state.result : net.state.status === 'pending' ? net.state.last : null;
  return (
    <Page
      action={
        mayWrite ? (
          <View style={{ flexDirection: 'row', gap: SPACE.s }}>
            <Action icon="add" title="Height …" label="Height, level, plumb line, wall or place" onPress={() => setFactOpen(true)} testID="add-fact" />
            <View style={{ flex: 1 }}>
              <Action kind="main" icon="straighten" title="Measure a tie" onPress={() => setTie({})} testID="add-tie" />
            </View>
          </View>
        ) : undefined
      }
    >
      <Words look="title" level={1}>{`${set.body.name}: tape net`}</Words>
      <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon="arrow-back" title={setup.body.name} onPress={() => router.push(`/floor/${setup.id}` as Href)} />
      </View>
      {mayWrite ? (
        <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
          <Action
            kind="quiet"
            icon="table-rows"
            title="From a table"
            label="Places, ties or heights from a table"
            onPress={() => router.push(`/floor/net/in/${setup.id}` as Href)}
            testID="net-from-table"
          />
        </View>
      ) : null}
      {net.state.status === 'empty' ? <Empty title="Nothing measured yet" text="Begin with three marks that are tied to each other all round, or with two marks of known height and a third." /> : null}
      {net.state.status === 'failed' ? <Failing title="The net could not be computed" text={`${net.state.message} All entries are kept.`} /> : null}
      {net.state.status === 'pending' && !shown ? <Loading what="the net" /> : null}
      {shown ? (
        <>
          <Head result={shown} />
          <SideQuestions set={set} result={shown} mayWrite={mayWrite} />
          {shown.points.length > 1 ? <NetDrawing result={shown} ties={net.ties} plan={plan} /> : null}
          <Entries set={set} net={net} result={shown} mayWrite={mayWrite} />
          <Places result={shown} plan={plan} setName={set.body.name} onMark={mayWrite ? setMark : null} />
          <Next result={shown} mayWrite={mayWrite} onMeasure={setTie} />
          <Words look="small" dim style={{ marginTop: SPACE.m }}>{`Datum: ${shown.datum || 'none yet'}. One standard deviation each, from the tolerances as stated.`}</Words>
        </>
      ) : null}
      <MarkPhotos set={set} setupId={setup.id} />
      {tie ? <NewTie setId={set.id} {...tie} onClose={() => setTie(null)} /> : null}
      {mark ? <MarkSheet set={set} mark={mark} onClose={() => setMark(null)} /> : null}
      {factOpen ? <NewFact setId={set.id} onClose={() => setFactOpen(false)} /> : null}
    </Page>
  );
}

/** The number of the screen: how many marks are determined, and what speaks against it. */
function Head({ result }: { result: NetResult }) {
  const suspects = result.facts.filter((f) => f.suspect).length;
  const all = result.points.length + result.open.length;
  return (
    <View testID="net-head">
      <View style={{ flexDirection: 'row', alignItems: 'baseline', gap: SPACE.s, flexWrap: 'wrap' }}>
        <Words look="big">{String(result.points.length)}</Words>
        <Words look="heading">{`of ${all} marks determined${suspects > 0 ? `, ${suspects} entr${suspects === 1 ? 'y contradicts' : 'ies contradict'} the rest` : ''}`}</Words>
      </View>
      <Warnings of={warningsBut(result.warnings, 'MIRROR_OPEN', 'SIDE_ASKED')} mark="◈" />
    </View>
  );
}

/** Everything that was measured: what contradicts the rest first, each with what the net says of it. */
function Entries({ set, net, result, mayWrite }: { set: StoredRecord<'set'>; net: ReturnType<typeof useNet>; result: NetResult; mayWrite: boolean }) {
  const p = usePalette();
  const write = useRecordsState((s) => s.write);
  const outcome = new Map(result.facts.map((f) => [f.fact, f]));
  const rows = [
    ...net.ties.map((t, i) => ({
      id: t.id,
      f: outcome.get(i),
      words: `${t.body.from} – ${t.body.to}, ${t.body.length.typed}`,
      explained: explanation(t, outcome.get(i)),
      held: null,
      remove: () => void write('tie', t.id, (now) => now, `Tie ${t.body.from} – ${t.body.to} removed`, true),
    })),
    ...net.facts.map((q, i) => ({
      id: q.id,
      f: outcome.get(net.ties.length + i),
      words: factWords(q.body),
      explained: null,
      held: null,
      remove: () => void write('fact', q.id, (now) => now, `${factWords(q.body)}: removed`, true),
    })),
    ...net.places.map((q) => ({
      id: q.id,
      f: undefined,
      words: factWords(q.body),
      explained: null,
      held: q.body.instrument ? `held as measured by the ${q.body.instrument}` : 'held as measured',
      remove: () => void write('fact', q.id, (now) => now, `${factWords(q.body)}: removed`, true),
    })),
    ...saidOf(set.body).map(({ words, without }) => ({
      id: words,
      f: undefined,
      words,
      explained: null,
      held: 'as somebody said who stood there',
      remove: () => void write('set', set.id, (now) => ({ ...now, ...without }), `${words}: removed`),
    })),
  ].sort((a, b) => Number(b.f?.suspect ?? false) - Number(a.f?.suspect ?? false));
  return (
    <Section title={`${rows.length} entries`}>
      {rows.map((r) => (
        <View
          key={r.id}
          testID={r.f?.suspect ? `suspect-${r.words.split(',')[0]}` : undefined}
          style={{
            flexDirection: 'row',
            alignItems: 'center',
            gap: SPACE.m,
            borderBottomWidth: 1,
            borderColor: p.line,
            borderLeftWidth: r.f?.suspect ? 4 : 0,
            borderLeftColor: p.against,
            paddingLeft: r.f?.suspect ? SPACE.s : 0,
          }}
        >
          <View style={{ flex: 1, paddingVertical: SPACE.s }}>
            <Words>{r.words}</Words>
            <Words look="small" dim={!r.f?.suspect}>
              {r.held ?? judged(r.f)}
            </Words>
            {r.explained ? <Words look="small">{`Perhaps ${r.explained}.`}</Words> : null}
          </View>
          {mayWrite ? <Action kind="quiet" title="Remove" label={`Remove ${r.words}`} onPress={r.remove} /> : null}
        </View>
      ))}
    </Section>
  );
}

function explanation(t: StoredRecord<'tie'>, f: FactOutcome | undefined): string | null {
  if (!f?.suspect) return null;
  const { typed, unit, valueM, toleranceM } = t.body.length;
  return explainLength({ typed, unit, m: valueM, computedM: f.computedM, sigmaM: Math.hypot(f.sigmaComputedM, toleranceM / 2) });
}

function judged(f: FactOutcome | undefined): string {
  if (!f) return 'an end of it is not determined yet';
  if (f.suspect) return `▲ contradicts the rest: ${offWords(f.residualM)}, ${fixed(Math.abs(f.normalised ?? 0), 1)} times its sigma. Left out.`;
  if (f.normalised === null) return 'nothing checks it';
  return `${fixed(1000 * Math.abs(f.residualM), 1)} mm off the rest, checked to ${fixed(100 * f.redundancy, 0)} %`;
}

function Places({ result, plan, setName, onMark }: { result: NetResult; plan: ReadonlyMap<string, Vec3>; setName: string; onMark: ((mark: string) => void) | null }) {
  const p = usePalette();
  const laid = netOnPlan(result.points, plan);
  if (laid.length === 0 && result.open.length === 0) return null;
  const file = (ending: string) => `tape_net_${setName.replace(/[^\w-]+/g, '_')}.${ending}`;
  const mm = (v: number | null) => (v === null ? 'open' : fixed(1000 * v, 1));
  return (
    <Section title="Places">
      {result.open.map((o) => (
        <View key={o.id} style={{ paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }} testID={`open-${o.id}`}>
          <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center' }}>
            <Words>{`${o.id}: not determined yet`}</Words>
            <MarkName id={o.id} onMark={onMark} />
          </View>
          <Words look="small" dim>{`Missing: ${o.missing}.`}</Words>
        </View>
      ))}
      {laid.map((q) => (
        <View
          key={q.id}
          style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center', paddingVertical: SPACE.xs, borderBottomWidth: 1, borderColor: p.line }}
          testID={`place-${q.id}`}
        >
          <MarkName id={q.id} onMark={onMark} />
          <View style={{ alignItems: 'flex-end' }}>
            <Words look="figure" color={p.blue}>{`= ${q.at.map((v) => fixed(v, 3)).join('  ')} m`}</Words>
            <Words look="small" dim>{`± ${q.sigmaM.map(mm).join(', ')} mm · ${checkedWords(q.redundancy)}`}</Words>
          </View>
        </View>
      ))}
      {laid.length > 0 ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.m }}>
          <Action title="Save as CSV" icon="save-alt" onPress={() => saveFile(file('csv'), writeSurveyCsv(laid), 'text/csv')} testID="net-csv" />
          <Action title="Save as PLY" icon="save-alt" onPress={() => saveFile(file('ply'), writeSurveyPly(laid), 'application/octet-stream')} testID="net-ply" />
          <Action title="Save as DXF" icon="save-alt" onPress={() => void dxfWriter().then((w) => saveFile(file('dxf'), w.writeSurveyDxf(laid), 'image/vnd.dxf'))} testID="net-dxf" />
        </View>
      ) : null}
    </Section>
  );
}

const checkedWords = (redundancy: number): string => {
  if (redundancy < 0.1) return 'unchecked';
  return redundancy < LEAST_CHECKED ? 'hardly checked' : `checked ${fixed(redundancy, 1)} times over`;
};

/** A mark's name; who may write comes from it to another name, or to the mark that it is. */
function MarkName({ id, onMark }: { id: string; onMark: ((mark: string) => void) | null }) {
  return onMark ? (
    <View style={{ marginLeft: -SPACE.l }}>
      <Action kind="quiet" title={id} label={`Mark ${id}: another name, or the same as another`} onPress={() => onMark(id)} testID={`mark-of-net-${id}`} />
    </View>
  ) : (
    <Words>{id}</Words>
  );
}

function Next({ result, mayWrite, onMeasure }: { result: NetResult; mayWrite: boolean; onMeasure: (asked: Asked) => void }) {
  const p = usePalette();
  if (result.next.length === 0) return null;
  return (
    <Section title="Ties that would help most">
      {result.next.slice(0, 3).map((t) => (
        <View key={`${t.a}-${t.b}`} style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', borderBottomWidth: 1, borderColor: p.line }} testID={`next-${t.a}-${t.b}`}>
          <Words>{`${t.a} – ${t.b}, about ${fixed(t.m, 2)} m: ${fixed(t.gainPct, 0)} % less`}</Words>
          {mayWrite ? <Action title="Measure" label={`Measure ${t.a} to ${t.b}`} onPress={() => onMeasure({ between: [t.a, t.b], startM: t.m })} /> : null}
        </View>
      ))}
      <Words look="small" dim>
        By so much the variances of all places together would fall.
      </Words>
    </Section>
  );
}
