import { usualMove, type PlanBody } from '@mesure/contract';
import { LENS_MODES, MOVE_KINDS, STABILISER, momentAt, moveDurationS, type MoveKind, type MoveStation } from '@mesure/core';
import { View } from 'react-native';
import { useMounted, useFind } from '../../data';
import { Action, Choice, Section } from '../../ui/controls';
import { LiveNumber } from '../../ui/live-number';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { packageParts, viewPackage } from '../kit/package-words';
import { stationName } from './drag';
import type { PlanDraft } from './use-plan';

const DEG = Math.PI / 180;
/** Aspects in which pictures are shown. */
const ASPECTS = [1.33, 1.66, 1.78, 1.85, 2, 2.39];

/** Kind of move, its stations, the camera's settings. All of it is dragged in the drawing too. */
export function MoveEditor({ draft, chosen, mayWrite }: { draft: PlanDraft; chosen: string | null; mayWrite: boolean }) {
  const plan = draft.planBody;
  const { move } = plan;
  const vehicles = (draft.setBody.pieces ?? []).filter((q) => q.kind !== 'sky' && q.kind !== 'floor' && q.kind !== 'wall');
  if (!mayWrite) return <Words dim>{`${move.kind}, ${move.stations.length} places, ${moveDurationS(move).toFixed(1)} s. Only wranglers and supervisors change it.`}</Words>;
  const keep = (label: string, change: Partial<PlanBody>) => draft.keep(label, { plan: { ...plan, ...change } });
  const setKind = (kind: MoveKind) => {
    const made = usualMove(kind, move.stations[0], vehicles[0]?.id ?? null);
    keep(`Move: ${kind}`, { move: kind === 'object' ? withObject(made, draft, vehicles[0]?.id ?? null) : made });
  };
  return (
    <View>
      <Choice label="Move" value={move.kind} options={MOVE_KINDS.map((k) => ({ value: k, title: k === 'object' ? 'object before a still camera' : k }))} onChange={setKind} />
      {move.kind === 'object' ? (
        <>
          {vehicles.length === 0 ? <Words>Add the object under Set first.</Words> : null}
          <Choice<string>
            label="Object"
            value={move.objectId ?? ''}
            options={vehicles.map((q) => ({ value: q.id, title: q.name }))}
            onChange={(id) => keep('Object chosen', { move: withObject(move, draft, id) })}
          />
        </>
      ) : null}
      {move.kind === 'pan' ? <PupilAhead draft={draft} /> : null}
      <Stations draft={draft} chosen={chosen} />
      <Camera draft={draft} />
    </View>
  );
}

/** The object goes two metres to the right from where it stands, to be dragged. */
function withObject(move: PlanBody['move'], draft: PlanDraft, id: string | null): PlanBody['move'] {
  const piece = (draft.setBody.pieces ?? []).find((q) => q.id === id);
  if (!piece) return { ...move, objectId: id, objectStations: [] };
  const at = { timeS: 0, xM: piece.xM, zM: piece.zM, baseM: piece.baseM, turnRad: piece.turnRad };
  const [first] = move.stations;
  // a still camera needs an end for the time to run
  return { ...move, objectId: id, stations: [first, { ...first, timeS: first.timeS + 5 }], objectStations: [at, { ...at, timeS: 5, xM: at.xM + 2, turnRad: at.turnRad + 0.4 }] };
}

function PupilAhead({ draft }: { draft: PlanDraft }) {
  const { move } = draft.planBody;
  return (
    <LiveNumber
      label="Entrance pupil before the axis of the head"
      suffix="m"
      signed
      value={move.pupilAheadM ?? 0}
      onChange={(v) => v !== null && Number.isFinite(v) && draft.show({ plan: { ...draft.planBody, move: { ...move, pupilAheadM: v } } })}
      onDone={() => draft.dragging && draft.keep('Pupil before the axis kept')}
      hint="0 when the head turns about the pupil"
    />
  );
}

function Stations({ draft, chosen }: { draft: PlanDraft; chosen: string | null }) {
  const p = usePalette();
  const plan = draft.planBody;
  const { stations } = plan.move;
  const put = (list: MoveStation[]) => ({ plan: { ...plan, move: { ...plan.move, stations: list } } });
  const change = (i: number, now: Partial<MoveStation>) => draft.show(put(stations.map((s, k) => (k === i ? { ...s, ...now } : s))));
  const done = () => draft.dragging && draft.keep('Move changed');
  const add = () => {
    const last = stations[stations.length - 1];
    if (stations.length === 1) return draft.keep('End added', put([...stations, { ...last, timeS: last.timeS + 5, xM: last.xM + 1 }]));
    // half way of the longest stretch
    const gaps = stations.slice(1).map((s, i) => s.timeS - stations[i].timeS);
    const at = gaps.indexOf(Math.max(...gaps));
    const timeS = stations[at].timeS + gaps[at] / 2;
    const m = momentAt(plan.move, timeS);
    const between: MoveStation = {
      ...stations[at],
      timeS,
      xM: m.position[0],
      zM: m.position[2],
      heightM: m.position[1],
      headingRad: m.headingRad,
      tiltRad: m.tiltRad,
      focalMm: m.focalMm,
      focusM: m.focusM,
    };
    return draft.keep('Place on the way added', put([...stations.slice(0, at + 1), between, ...stations.slice(at + 1)]));
  };
  return (
    <Section title="Places of the camera" right={<Action kind="quiet" icon="add" title={stations.length === 1 ? 'Add an end' : 'Add one between'} onPress={add} testID="add-station" />}>
      {stations.map((s, i) => {
        const field = (label: string, suffix: string, value: number, tell: (v: number) => Partial<MoveStation>, signed = false, testID?: string) => (
          <View style={{ width: '47%' }} key={label}>
            <LiveNumber label={label} suffix={suffix} value={value} signed={signed} digits={2} onChange={(v) => v !== null && Number.isFinite(v) && change(i, tell(v))} onDone={done} testID={testID} />
          </View>
        );
        const slowest = i > 0 ? stations[i - 1].timeS : null;
        return (
          <View key={i} style={{ marginBottom: SPACE.m, borderLeftWidth: 4, borderLeftColor: chosen === `station:${i}` || chosen === `aim:${i}` ? p.tape : 'transparent', paddingLeft: SPACE.s }}>
            <Words look="label" dim>
              {stationName(i, stations.length)}
            </Words>
            <View style={{ flexDirection: 'row', flexWrap: 'wrap', justifyContent: 'space-between' }}>
              {i > 0 ? field('After', 's', s.timeS - stations[0].timeS, (v) => (v + stations[0].timeS > slowest! ? { timeS: v + stations[0].timeS } : {}), false, `station-${i}-time`) : null}
              {field('Height', 'm', s.heightM, (heightM) => ({ heightM }), true, `station-${i}-height`)}
              {field('To the right', 'm', s.xM, (xM) => ({ xM }), true)}
              {field('Back from the set', 'm', s.zM, (zM) => ({ zM }), true)}
              {field('Turned to the left', '°', s.headingRad / DEG, (v) => ({ headingRad: v * DEG }), true)}
              {field('Tilted up', '°', s.tiltRad / DEG, (v) => ({ tiltRad: v * DEG }), true)}
              {field('Focal length', 'mm', s.focalMm, (focalMm) => (focalMm >= 1 && focalMm <= 3000 ? { focalMm } : {}), false, `station-${i}-focal`)}
              {field('Focus', 'm', s.focusM, (focusM) => (focusM > 0 ? { focusM } : {}))}
            </View>
            {stations.length > 1 ? (
              <Action
                kind="quiet"
                icon="delete-outline"
                title="Remove this place"
                label={`Remove ${stationName(i, stations.length).toLowerCase()}`}
                onPress={() => draft.keep('Place removed', put(stations.filter((_, k) => k !== i)))}
              />
            ) : null}
          </View>
        );
      })}
    </Section>
  );
}

function Camera({ draft }: { draft: PlanDraft }) {
  const find = useFind();
  const packages = useMounted(draft.planBody.packageId);
  const plan = draft.planBody;
  const show = (change: Partial<PlanBody>) => draft.show({ plan: { ...plan, ...change } });
  const keep = (label: string, change: Partial<PlanBody>) => draft.keep(label, { plan: { ...plan, ...change } });
  const done = () => draft.dragging && draft.keep('Camera settings changed');
  const pack = find('package', plan.packageId);
  const view = pack ? viewPackage(pack.body, find) : null;
  const takePackage = (packageId: string) => {
    const { focalMm } = find('package', packageId)!.body;
    keep('Package changed', { packageId, move: { ...plan.move, stations: plan.move.stations.map((s) => ({ ...s, focalMm })) } });
  };
  const yesNo = (label: string, value: boolean, tell: (v: boolean) => Partial<PlanBody>, yes: string, no: string) => (
    <Choice<string>
      label={label}
      value={value ? 'yes' : 'no'}
      options={[
        { value: 'yes', title: yes },
        { value: 'no', title: no },
      ]}
      onChange={(v) => keep(label, tell(v === 'yes'))}
    />
  );
  return (
    <Section title="Camera">
      <Choice<string> label="Package" value={plan.packageId} options={packages.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))} onChange={takePackage} />
      {view?.status === 'complete' ? (
        <Words look="small" dim>
          {packageParts(view.mounted)}
        </Words>
      ) : null}
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', justifyContent: 'space-between', marginTop: SPACE.s }}>
        <View style={{ width: '31%' }}>
          <LiveNumber label="Shutter" suffix="°" value={plan.shutterDeg} onChange={(v) => v !== null && v >= 1 && v <= 360 && show({ shutterDeg: v })} onDone={done} testID="plan-shutter" />
        </View>
        <View style={{ width: '31%' }}>
          <LiveNumber label="Stop" suffix="T" optional value={plan.stop} onChange={(v) => (v === null || (v >= 0.5 && v <= 64)) && show({ stop: v })} onDone={done} testID="plan-stop" />
        </View>
        <View style={{ width: '31%' }}>
          <LiveNumber label="ISO" optional value={plan.iso} onChange={(v) => (v === null || v >= 25) && show({ iso: v })} onDone={done} testID="plan-iso" />
        </View>
      </View>
      <Choice<string>
        label="Frame lines"
        value={String(plan.frameAspect ?? 'whole')}
        options={[{ value: 'whole', title: 'the whole picture' }, ...ASPECTS.map((a) => ({ value: String(a), title: a.toFixed(2) }))]}
        onChange={(v) => keep('Frame lines', { frameAspect: v === 'whole' ? null : Number(v) })}
      />
      <Choice
        label="Focal length in the later solve"
        value={plan.lensMode}
        options={LENS_MODES.map((v) => ({ value: v, title: v }))}
        onChange={(lensMode) => keep('Lens in the solve', { lensMode })}
      />
      <Choice label="Stabiliser" value={plan.stabiliser} options={STABILISER.map((v) => ({ value: v, title: v }))} onChange={(v) => keep('Stabiliser', { stabiliser: v })} />
      {yesNo('Zoom', plan.zoomNoted, (zoomNoted) => ({ zoomNoted }), 'start and end are noted', 'nobody notes it')}
      {yesNo('Place', plan.exterior, (exterior) => ({ exterior }), 'exterior', 'interior')}
      {yesNo('Stills of the set', plan.stillsPlanned, (stillsPlanned) => ({ stillsPlanned }), 'planned', 'not planned')}
      {yesNo('Light reference', plan.lightPlanned, (lightPlanned) => ({ lightPlanned }), 'planned', 'not planned')}
    </Section>
  );
}
