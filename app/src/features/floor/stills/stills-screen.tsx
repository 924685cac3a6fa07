import { walkOf, type PlanBody, type StillsPlan, type StoredRecord, type WalkOutcome } from '@mesure/contract';
import { countOf, stationBetween } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useMayWrite, usePicturesState, useRecordsState } from '../../../data';
import { Action, Progress, Row, Section } from '../../../ui/controls';
import { fixed, percent } from '../../../ui/format';
import { pickFiles } from '../../../ui/pick-file';
import { Empty } from '../../../ui/states';
import { Figure, Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { OnTheWay } from '../../pictures/on-the-way';
import { usePlanOf } from '../../plan/use-plan';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { addStills, STILL_FILES } from './add-stills';
import { PlacedWalk, usePlaced } from './placed-walk';
import { StationSheet } from './station-sheet';
import { useWalk, type Walk } from './use-walk';
import { WalkDrawing } from './walk-drawing';

/** The stills walk of a setup while it is walked: what is taken, and where the pictures do not tie while one can still go back. */
export function StillsScreen({ setupId }: { setupId: string }) {
  const router = useRouter();
  const setup = useAll('setup').find((s) => s.id === setupId);
  const plan = usePlanOf(setupId);
  const walk = walkOf(plan?.body ?? null);
  return (
    <RecordsGate what="the stills walk">
      {setup && plan && walk ? (
        <Walking setup={setup} plan={plan} walk={walk} />
      ) : (
        <Page>
          <Empty
            title="No stills walk is laid"
            text="Lay one in the plan: along a wall, round a thing or through a room."
            action={{ title: 'Go to Plan', onPress: () => router.push((setup ? `/plan/${setup.id}` : '/plan') as Href) }}
          />
        </Page>
      )}
    </RecordsGate>
  );
}

function Walking({ setup, plan, walk }: { setup: StoredRecord<'setup'>; plan: StoredRecord<'plan'>; walk: StillsPlan }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const add = usePicturesState((s) => s.add);
  const onTheWay = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'still' && (q.body as { setupId: string }).setupId === setup.id);
  const set = useAll('set').find((s) => s.id === setup.body.setId);
  const shown = useWalk(walk, setup.id);
  const placed = usePlaced(setup.id)?.outcome ?? null;
  const [chosen, setChosen] = useState<number | null>(null);
  const [open, setOpen] = useState<number | null>(null);
  const [busy, setBusy] = useState<{ done: number; of: number } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const free = walk.stations.findIndex((_, i) => !shown.taken.includes(i));
  const next = chosen ?? (free < 0 ? null : free);

  const shoot = async (from: number, many: boolean) => {
    const files = await pickFiles(STILL_FILES, many);
    if (files.length === 0) return;
    setProblem(null);
    setBusy({ done: 0, of: files.length });
    try {
      const over = await addStills({ walk, setupId: setup.id, stills: shown.stills, from, files, add, onDone: (done) => setBusy({ done, of: files.length }) });
      setChosen(null);
      if (over > 0) setProblem(`${over} more than there are stations to take: they were not added.`);
    } catch (e) {
      setProblem(`A picture was not kept on this device (${e instanceof Error ? e.message : String(e)}). Those before it are safe; make room, and give it again.`);
    } finally {
      setBusy(null);
    }
  };
  const squeezeIn = (from: number, to: number) => {
    const station = walk.stations.length;
    setChosen(station);
    return void write(
      'plan',
      plan.id,
      (b: PlanBody) => ({ ...b, stills: { ...b.stills!, stations: [...b.stills!.stations, stationBetween(b.stills!.stations, from, to)] } }),
      'One more still between two',
    );
  };

  return (
    <Page
      action={
        mayWrite ? (
          busy ? (
            <Progress fraction={busy.done / busy.of} label={`Looking at the pictures on this device: ${busy.done} of ${busy.of}`} />
          ) : next !== null ? (
            <View style={{ flexDirection: 'row', gap: SPACE.s }}>
              <View style={{ flex: 1 }}>
                <Action kind="main" icon="add-a-photo" title={`Picture of station ${shown.names[next]}`} onPress={() => void shoot(next, false)} testID="shoot-still" />
              </View>
              <Action title="Several" label={`Several pictures, from station ${shown.names[next]} on`} icon="burst-mode" onPress={() => void shoot(next, true)} testID="shoot-stills" />
            </View>
          ) : (
            <Action kind="main" icon="check" title="All taken: back to the setup" onPress={() => router.push(`/floor/${setup.id}` as Href)} />
          )
        ) : undefined
      }
    >
      <Words look="title" level={1}>{`${setup.body.name}: stills walk`}</Words>
      <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon="arrow-back" title={setup.body.name} onPress={() => router.push(`/floor/${setup.id}` as Href)} />
      </View>
      <View testID="walk-head" style={{ flexDirection: 'row', alignItems: 'baseline', gap: SPACE.s }}>
        <Figure look="big" origin="computed" value={`${shown.taken.length}`} unit={`of ${walk.stations.length} taken`} />
      </View>
      <Words testID="walk-sentence">{walkSentence(shown)}</Words>
      {problem ? <Words role="alert">{`▲ ${problem}`}</Words> : null}
      <WalkDrawing plan={walk} walk={shown} pieces={set?.body.pieces ?? []} next={next} placed={placed} />
      <Gaps walk={shown} mayWrite={mayWrite} onBetween={squeezeIn} />
      <PlacedWalk setup={setup} walk={walk} counted={shown.counted} names={shown.names} marks={set?.body.marks ?? []} />
      <Section title="Stations">
        <View style={{ marginHorizontal: -SPACE.m }}>
          {walk.stations.map((_, i) => (
            <Row
              key={i}
              testID={`station-${shown.names[i]}`}
              title={`${shown.taken.includes(i) ? '●' : '○'} ${shown.names[i]}${shown.counted.get(i) ? ` · ${shown.counted.get(i)!.name}` : ''}`}
              detail={[stationWords(shown, i), offWords(placed, i)].filter(Boolean).join(' · ')}
              selected={i === next}
              onPress={() => setOpen(i)}
            />
          ))}
        </View>
      </Section>
      {onTheWay.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {open !== null ? (
        <StationSheet
          plan={plan}
          walk={walk}
          station={open}
          shown={shown}
          mayWrite={mayWrite}
          onShoot={() => {
            setOpen(null);
            setChosen(open);
            void shoot(open, false);
          }}
          onClose={() => setOpen(null)}
        />
      ) : null}
    </Page>
  );
}

export function walkSentence({ check, counted, comparing, problem }: Walk): string {
  if (counted.size === 0) return 'Take the pictures from the stations in order: each is compared with its neighbours.';
  if (problem) return `The pictures could not be compared: ${problem} They are kept.`;
  if (!check) return 'Comparing the pictures …';
  const apart = check.gaps.filter((g) => g.why !== 'not taken');
  const parts = [apart.length > 0 ? countOf(apart.length, 'gap', 'gaps') : null, check.remarks.length > 0 ? countOf(check.remarks.length, 'remark', 'remarks') : null].filter(Boolean);
  const so = parts.length > 0 ? `${parts.join(', ')}: while the set stands one can still go back.` : check.pairs.length > 0 ? 'Every picture ties to its neighbours.' : 'Nothing to compare with yet.';
  return comparing ? `${so} Comparing again …` : so;
}

function stationWords({ check, counted, taken, names }: Walk, station: number): string {
  const still = counted.get(station);
  if (!still) return taken.includes(station) ? 'ticked off by hand' : 'open';
  const remarks = (check?.remarks ?? []).filter((r) => r.station === station).map((r) => `▲ ${r.message}`);
  const ties = (check?.pairs ?? []).filter((q) => q.to === station && q.overlap !== null).map((q) => `${percent(q.overlap!)} on ${names[q.from]} too`);
  const waits = still.sha256 === null ? ['waits on this device'] : [];
  return [...remarks, ...ties, ...waits].join(' · ') || (still.look ? 'nothing against it' : 'no device could look at it');
}

/** How far from its station a picture was taken, as the pictures say together. */
function offWords(placed: WalkOutcome | null, station: number): string | null {
  const at = placed?.stills.findIndex((s) => s.station === station) ?? -1;
  const still = at < 0 ? null : placed!.placed.stills[at];
  return still?.offStationM === null || still === null || still === undefined ? null : `taken ${fixed(still.offStationM, 2)} m from its station`;
}

function Gaps({ walk, mayWrite, onBetween }: { walk: Walk; mayWrite: boolean; onBetween: (from: number, to: number) => void }) {
  const p = usePalette();
  const gaps = (walk.check?.gaps ?? []).filter((g) => g.why !== 'not taken');
  if (gaps.length === 0) return null;
  return (
    <Section title={countOf(gaps.length, 'gap', 'gaps')}>
      {gaps.map((g) => (
        <View
          key={`${g.from}-${g.to}`}
          testID={`gap-${walk.names[g.from]}-${walk.names[g.to]}`}
          style={{ borderLeftWidth: 4, borderLeftColor: p.against, paddingLeft: SPACE.m, marginBottom: SPACE.m }}
        >
          <Words>{`▲ ${g.message}`}</Words>
          {mayWrite && g.why !== 'not looked at' ? (
            <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
              <Action
                kind="quiet"
                icon="add"
                title="A station in the middle"
                label={`A station in the middle between ${walk.names[g.from]} and ${walk.names[g.to]}`}
                onPress={() => onBetween(g.from, g.to)}
                testID={`between-${walk.names[g.from]}-${walk.names[g.to]}`}
              />
            </View>
          ) : null}
        </View>
      ))}
    </Section>
  );
}
