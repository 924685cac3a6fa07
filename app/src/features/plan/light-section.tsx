import { sunTravelOf, usualPanorama, type LightPlan, type PanoramaPlace } from '@mesure/contract';
import { bracketCount, CoreError, shadowLengthM, sunAt } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { useClock } from '../../data';
import { useLineEntry } from '../../forms';
import { EXPLANATIONS } from '../explanations';
import { Action, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { InlineField } from '../../ui/inline-field';
import { LiveNumber } from '../../ui/live-number';
import { Fact } from '../../ui/fact';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useDay } from '../days/use-day';
import type { PlanDraft } from './use-plan';

/** A stand-in's shadow tells more than an angle does. */
const PERSON_M = 1.75;

/** Where the sun goes while an exterior is shot, the shadows, and how many brackets a panorama needs. */
export function LightSection({ draft, mayWrite }: { draft: PlanDraft; mayWrite: boolean }) {
  const light = draft.planBody.light ?? null;
  const clock = useClock();
  const day = useDay();
  const at = (time: string) => clock.instant(time, day?.body.date ?? clock.date(new Date().toISOString()))!;
  const put = (label: string, next: LightPlan | null) => draft.keep(label, { plan: { ...draft.planBody, light: next, exterior: next ? true : draft.planBody.exterior } });
  return (
    <Section title="Sun">
      {!light && mayWrite ? (
        <Action icon="wb-sunny" title="Follow the sun" onPress={() => put('Sun followed', { latitudeDeg: 52, longitudeDeg: 0, northDeg: 0, from: at('09:00'), to: at('12:00') })} testID="follow-sun" />
      ) : null}
      {light ? <Sun light={light} draft={draft} mayWrite={mayWrite} onGone={() => put('Sun left out', null)} /> : null}
      <Panoramas draft={draft} mayWrite={mayWrite} />
      <Brackets />
    </Section>
  );
}

function Sun({ light, draft, mayWrite, onGone }: { light: LightPlan; draft: PlanDraft; mayWrite: boolean; onGone: () => void }) {
  const show = (change: Partial<LightPlan>) => draft.show({ plan: { ...draft.planBody, light: { ...light, ...change } } });
  const done = () => draft.dragging && draft.keep('Light plan changed');
  const ends = [light.from, light.to].map((iso) => sunAt(light.latitudeDeg, light.longitudeDeg, Date.parse(iso)));
  const number = (label: string, field: 'latitudeDeg' | 'longitudeDeg' | 'northDeg', most: number) => (
    <View style={{ width: '31%' }}>
      <LiveNumber label={label} suffix="°" signed value={light[field]} digits={4} onChange={(v) => v !== null && Math.abs(v) <= most && show({ [field]: v })} onDone={done} testID={`light-${field}`} />
    </View>
  );
  const shadow = (i: number) => {
    const length = shadowLengthM(PERSON_M, ends[i]);
    return length === null ? 'the sun is down' : `a person casts ${fixed(length, 1)} m`;
  };
  return (
    <View>
      {mayWrite ? (
        <>
          <View style={{ flexDirection: 'row', justifyContent: 'space-between' }}>
            {number('Latitude', 'latitudeDeg', 90)}
            {number('Longitude', 'longitudeDeg', 180)}
            {number('North on plan', 'northDeg', 360)}
          </View>
          <Moment of={draft.planBody.setupId} label="Shot from" iso={light.from} onKeep={(from) => draft.keep('Light plan changed', { plan: { ...draft.planBody, light: { ...light, from } } })} />
          <Moment of={draft.planBody.setupId} label="until" iso={light.to} onKeep={(to) => draft.keep('Light plan changed', { plan: { ...draft.planBody, light: { ...light, to } } })} />
        </>
      ) : null}
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }} testID="sun-facts">
        <Fact about={EXPLANATIONS.sun} label="Height at the start" value={fixed(ends[0].elevationDeg, 1)} unit={`°, ${shadow(0)}`} />
        <Fact about={EXPLANATIONS.sun} label="at the end" value={fixed(ends[1].elevationDeg, 1)} unit={`°, ${shadow(1)}`} />
        <Fact about={EXPLANATIONS.sun} label="Direction" value={`${fixed(ends[0].azimuthDeg, 0)} to ${fixed(ends[1].azimuthDeg, 0)}`} unit="° from north" />
        <Fact about={EXPLANATIONS.sun} label="The sun goes" value={fixed(sunTravelOf(light), 1)} unit="°" testID="sun-travel" />
      </View>
      {mayWrite ? <Action kind="quiet" title="Leave the sun out" onPress={onGone} /> : null}
    </View>
  );
}

/** A date and time of the set's clock, as numbers in a row: 2026-11-23 09:30. */
function Moment({ of, label, iso, onKeep }: { of: string; label: string; iso: string; onKeep: (iso: string) => void }) {
  const clock = useClock();
  const line = useLineEntry(
    of,
    `light ${label}`,
    clock.stamp(iso),
    (text) => {
      const instant = clock.instant(text, clock.date(iso));
      if (!instant) throw new CoreError('UNREADABLE_INPUT', 'Date and time, such as 2026-06-21 09:30');
      return instant;
    },
    onKeep,
  );
  return <InlineField label={label} {...line} note={clock.words(iso)} testID={`light-${label}`} />;
}

/** Where the light is taken down: dragged in the view from above, with the height here. */
function Panoramas({ draft, mayWrite }: { draft: PlanDraft; mayWrite: boolean }) {
  const plan = draft.planBody;
  const list = plan.panoramas ?? [];
  const put = (panoramas: PanoramaPlace[]) => ({ plan: { ...plan, panoramas } });
  return (
    <View style={{ marginTop: SPACE.l }}>
      <Words look="heading" level={2}>
        Panoramas of the light
      </Words>
      {list.length === 0 ? <Words dim>None planned. One where each made thing will stand, and one for each change of light.</Words> : null}
      {list.map((q, i) => (
        <View key={i} style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.m }} testID={`panorama-${i + 1}`}>
          <Words style={{ flex: 1 }}>{`${i + 1} · ${fixed(Math.abs(q.xM), 1)} m ${q.xM < 0 ? 'left' : 'right'}, ${fixed(Math.abs(q.zM), 1)} m ${q.zM < 0 ? 'ahead' : 'back'}`}</Words>
          {mayWrite ? (
            <>
              <View style={{ width: '31%' }}>
                <LiveNumber
                  label="Height"
                  suffix="m"
                  value={q.heightM}
                  onChange={(v) => v !== null && v >= 0 && v <= 100 && draft.show(put(list.map((o, k) => (k === i ? { ...o, heightM: v } : o))))}
                  onDone={() => draft.dragging && draft.keep(`Panorama ${i + 1} changed`)}
                />
              </View>
              <Action kind="quiet" title="Remove" label={`Remove panorama ${i + 1}`} onPress={() => draft.keep(`Panorama ${i + 1} removed`, put(list.filter((_, k) => k !== i)))} />
            </>
          ) : (
            <Words>{`${fixed(q.heightM, 1)} m high`}</Words>
          )}
        </View>
      ))}
      {mayWrite ? (
        <View style={{ alignItems: 'flex-start', marginTop: SPACE.s }}>
          <Action icon="add" title="Add a panorama" onPress={() => draft.keep('Panorama added', put([...list, usualPanorama(plan.move.stations[0])]))} testID="add-panorama" />
        </View>
      ) : null}
    </View>
  );
}

/** Contrast of the place against what the camera holds. */
function Brackets() {
  const [contrast, setContrast] = useState<number | null>(20);
  const [range, setRange] = useState<number | null>(12);
  const [step, setStep] = useState<number | null>(2);
  let said: string;
  try {
    said = `${bracketCount(contrast ?? Number.NaN, range ?? Number.NaN, step ?? Number.NaN)} exposures for each direction of the panorama`;
  } catch (e) {
    if (!(e instanceof CoreError)) throw e;
    said = e.message;
  }
  return (
    <View style={{ marginTop: SPACE.l }}>
      <Words look="heading" level={2}>
        Brackets of the panorama
      </Words>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between' }}>
        <View style={{ width: '31%' }}>
          <LiveNumber label="Contrast" suffix="stops" value={contrast} onChange={setContrast} testID="bracket-contrast" />
        </View>
        <View style={{ width: '31%' }}>
          <LiveNumber label="Camera holds" suffix="stops" value={range} onChange={setRange} />
        </View>
        <View style={{ width: '31%' }}>
          <LiveNumber label="Step" suffix="stops" value={step} onChange={setStep} />
        </View>
      </View>
      <Words testID="brackets">{said}</Words>
    </View>
  );
}
