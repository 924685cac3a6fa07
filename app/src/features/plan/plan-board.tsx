import { otherLenses, type StoredRecord } from '@mesure/contract';
import { forecastSentence, momentAt, type Caution } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { ScrollView, View } from 'react-native';
import { useAll, useFind, useMayWrite } from '../../data';
import { Action, Choice, useIsWide } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { SPACE, textSize, usePalette } from '../../ui/theme';
import { Explained } from '../../ui/explain';
import { EXPLANATIONS } from '../explanations';
import { Page } from '../shell/pane';
import { CautionList } from './caution-list';
import { ForecastSection } from './forecast-section';
import { LightSection } from './light-section';
import { MarksEditor } from './marks-editor';
import { MeasuresEditor } from './measures-editor';
import { MoveEditor } from './move-editor';
import { SetEditor } from './set-editor';
import { SideView } from './side-view';
import { StillsSection } from './stills-section';
import { TimeStrip } from './time-strip';
import { TopView } from './top-view';
import { useHelp } from './use-help';
import { openCautions, useForecast, usePlanDraft, usePlanNumbers, type PlanDraft, type PlanNumbers } from './use-plan';
import { WireView } from './wire-view';
import { WitnessSection } from './witness-section';

const SECTIONS = ['cautions', 'forecast', 'set', 'move', 'marks', 'measure', 'witness', 'stills', 'light'] as const;
type SectionName = (typeof SECTIONS)[number];
type ViewName = 'top' | 'side' | 'camera';

/** One setup, drawn: drawing and time above, what follows from it and what makes it below (beside, on a wide screen). */
export function PlanBoard({ setup, plan, set }: { setup: StoredRecord<'setup'>; plan: StoredRecord<'plan'>; set: StoredRecord<'set'> }) {
  const p = usePalette();
  const wide = useIsWide();
  const mayWrite = useMayWrite();
  const draft = usePlanDraft(plan, set);
  const numbers = usePlanNumbers(draft.planBody, draft.setBody, draft.dragging);
  const usable = 'problem' in numbers ? null : numbers;
  const forecast = useForecast(usable?.planned ?? null, draft.dragging);
  const packages = useAll('package');
  const plates = useAll('plate').map((q) => q.body);
  const find = useFind();
  const desk = useHelp(usable?.planned ?? null, usable ? otherLenses(draft.planBody, usable.mounted, packages, plates, find) : []);
  const [share, setShare] = useState(0.5);
  const [section, setSection] = useState<SectionName>('cautions');
  const [view, setView] = useState<ViewName>('top');
  const [chosen, setChosen] = useState<string | null>(null);

  const choose = (id: string) => {
    setChosen(id);
    const [what] = id.split(':');
    if (what === 'piece') setSection('set');
    else if (what === 'mark') setSection('marks');
    else if (what === 'witness' || what === 'sight') setSection('witness');
    else if (what === 'panorama') setSection('light');
    else setSection('move');
  };
  const head = <Heading setup={setup} numbers={numbers} draft={draft} />;
  const said =
    forecast.status === 'done' && usable
      ? forecastSentence(forecast.forecast, usable.study.moments[0].focalMm * (usable.planned.optics.adapterFactor ?? 1))
      : forecast.status === 'failed'
        ? `No forecast: ${forecast.message}`
        : 'Forecast is being computed …';
  const old = forecast.status === 'done' && forecast.old;
  const sentence = (
    <View style={{ marginTop: SPACE.s }}>
      <Words look="label" dim testID="forecast-of">
        {old ? 'Forecast as before the change; computed anew …' : 'Forecast'}
      </Words>
      <Explained about={EXPLANATIONS.forecast}>
        {/* room for the longest always: what stands below must not move under the finger when it comes */}
        <Words testID="forecast-sentence" aria-live="polite" aria-busy={old || forecast.status === 'pending'} dim={old} style={{ minHeight: textSize(wide ? 44 : 66) }}>
          {said}
        </Words>
      </Explained>
    </View>
  );
  const drawing = usable ? (
    <>
      {wide ? null : (
        <Choice<ViewName>
          label="View"
          value={view}
          options={[
            { value: 'top', title: 'above' },
            { value: 'side', title: 'side' },
            { value: 'camera', title: 'camera' },
          ]}
          onChange={setView}
        />
      )}
      {wide || view === 'top' ? <TopView numbers={usable} draft={draft} share={share} chosen={chosen} onChoose={choose} forecast={forecast} help={desk.help} mayWrite={mayWrite} /> : null}
      {!wide && view === 'side' ? <SideView numbers={usable} draft={draft} share={share} chosen={chosen} onChoose={choose} mayWrite={mayWrite} /> : null}
      {wide || view === 'camera' ? <WireView numbers={usable} share={share} frameAspect={draft.planBody.frameAspect ?? null} /> : null}
      <TimeStrip numbers={usable} forecast={forecast} share={share} onChange={setShare} />
      {wide ? <SideView numbers={usable} draft={draft} share={share} chosen={chosen} onChoose={choose} mayWrite={mayWrite} /> : null}
    </>
  ) : (
    <Words role="alert">{'problem' in numbers ? numbers.problem : ''}</Words>
  );
  const body = (
    <>
      <Choice<SectionName> label="Part of the plan" value={section} options={SECTIONS.map((s) => ({ value: s, title: s }))} onChange={setSection} />
      {section === 'cautions' && usable ? <CautionList cautions={usable.cautions} draft={draft} mayWrite={mayWrite} onShow={(c) => c.worstAtS !== null && setShare(shareOf(usable, c))} /> : null}
      {section === 'forecast' && usable ? <ForecastSection planned={usable.planned} draft={draft} forecast={forecast} desk={desk} mayWrite={mayWrite} /> : null}
      {section === 'set' ? <SetEditor draft={draft} chosen={chosen} onChoose={setChosen} mayWrite={mayWrite} /> : null}
      {section === 'move' ? <MoveEditor draft={draft} chosen={chosen} mayWrite={mayWrite} /> : null}
      {section === 'marks' && usable ? <MarksEditor numbers={usable} draft={draft} share={share} chosen={chosen} onChoose={setChosen} mayWrite={mayWrite} /> : null}
      {section === 'witness' && usable ? <WitnessSection numbers={usable} draft={draft} share={share} mayWrite={mayWrite} /> : null}
      {section === 'stills' ? <StillsSection draft={draft} mayWrite={mayWrite} /> : null}
      {section === 'light' ? <LightSection draft={draft} mayWrite={mayWrite} /> : null}
      {section === 'measure' ? <MeasuresEditor draft={draft} mayWrite={mayWrite} /> : null}
    </>
  );
  if (!wide)
    return (
      <Page>
        {head}
        {sentence}
        {drawing}
        {body}
      </Page>
    );
  return (
    <View style={{ flex: 1, flexDirection: 'row', minHeight: 0 }}>
      <ScrollView style={{ flex: 1 }} contentContainerStyle={{ padding: SPACE.l }}>
        {head}
        {sentence}
        {drawing}
      </ScrollView>
      <ScrollView style={{ width: 380, flexGrow: 0, borderLeftWidth: 1, borderColor: p.line }} contentContainerStyle={{ padding: SPACE.l }}>
        {body}
      </ScrollView>
    </View>
  );
}

function shareOf(numbers: PlanNumbers, c: Caution): number {
  const { study } = numbers;
  return study.durationS > 0 ? Math.min(1, Math.max(0, (c.worstAtS! - study.moments[0].timeS) / study.durationS)) : 0;
}

/** The number of the screen: cautions that remain. */
function Heading({ setup, numbers, draft }: { setup: StoredRecord<'setup'>; numbers: PlanNumbers | { problem: string }; draft: PlanDraft }) {
  const router = useRouter();
  const open = 'problem' in numbers ? [] : openCautions(numbers.cautions, draft.planBody);
  const grave = open.filter((c) => c.severity === 'grave').length;
  const start = momentAt(draft.planBody.move, draft.planBody.move.stations[0].timeS);
  return (
    <View>
      <Words look="title" level={1}>
        {setup.body.name}
      </Words>
      <View style={{ flexDirection: 'row', alignItems: 'baseline', gap: SPACE.s, flexWrap: 'wrap' }} testID="cautions-remain">
        <Words look="big">{String(open.length)}</Words>
        <Words look="heading">{`caution${open.length === 1 ? '' : 's'} remain${open.length === 1 ? 's' : ''}${grave > 0 ? `, ${grave} of them grave` : ''}`}</Words>
      </View>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon="photo-camera" title="Photo of the set" onPress={() => router.push(`/plan/recce/${setup.id}` as Href)} testID="open-recce" />
        <Action kind="quiet" icon="assignment" title="Guideline sheet" onPress={() => router.push(`/plan/guidelines/${setup.id}` as Href)} testID="open-guidelines" />
      </View>
      <Words look="small" dim>{`Scene ${setup.body.scene} · ${draft.planBody.move.kind} · ${fixed(start.focalMm, 0)} mm at ${fixed(start.position[1], 2)} m height`}</Words>
    </View>
  );
}
