import type { PlannedSetup, NextBest } from '@mesure/core';
import { View } from 'react-native';
import { EXPLANATIONS } from '../explanations';
import { Action, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Empty, Loading, Working } from '../../ui/states';
import { Fact } from '../../ui/fact';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { Warnings } from '../../ui/warnings';
import type { HelpDesk } from './use-help';
import type { ForecastState, PlanDraft } from './use-plan';

/** What a later solve will determine, in numbers; and what would help it most. */
export function ForecastSection({ planned, draft, forecast, desk, mayWrite }: { planned: PlannedSetup; draft: PlanDraft; forecast: ForecastState; desk: HelpDesk; mayWrite: boolean }) {
  if (forecast.status === 'pending') return <Loading what="the forecast" />;
  if (forecast.status === 'failed') return <Empty title="No forecast" text={`${forecast.message} The plan is kept.`} />;
  const f = forecast.forecast;
  const mm = (m: number | null) => (m === null ? 'not observable' : fixed(1000 * m, 1));
  return (
    <View>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }} testID="forecast-facts">
        <Fact about={EXPLANATIONS.forecast} label="Slip at worst" value={f.slipPx === null ? '–' : fixed(f.slipPx, 2)} unit="px" testID="fact-slip" />
        <Fact about={EXPLANATIONS.forecast} label="Height" value={mm(f.sigmaHeightM)} unit={f.sigmaHeightM === null ? undefined : '± mm'} />
        <Fact
          about={EXPLANATIONS.forecast}
          label="Focal length"
          value={planned.lens.mode === 'held' ? 'held' : f.sigmaFocalMm === null ? 'not observable' : fixed(f.sigmaFocalMm, 3)}
          unit={f.sigmaFocalMm === null ? undefined : '± mm'}
        />
        <Fact
          about={EXPLANATIONS.forecast}
          label="Scale"
          value={f.sigmaScalePct === null ? 'not observable' : fixed(f.sigmaScalePct, 2)}
          unit={f.sigmaScalePct === null ? undefined : '± %'}
          testID="fact-scale"
        />
        <Fact about={EXPLANATIONS.forecast} label="Level" value={f.sigmaLevelDeg === null ? 'not observable' : fixed(f.sigmaLevelDeg, 3)} unit={f.sigmaLevelDeg === null ? undefined : '± °'} />
      </View>
      <Warnings of={f.warnings} mark="◈" />
      <Words look="small" dim style={{ marginTop: SPACE.s }}>
        {`One standard deviation each, with tracks good to ${planned.noisePx} px on marks and half as much again on what the set itself offers. Slip: by how many pixels a still object would appear to move.`}
      </Words>
      <WouldHelp planned={planned} draft={draft} desk={desk} mayWrite={mayWrite} />
    </View>
  );
}

function WouldHelp({ planned, draft, desk, mayWrite }: { planned: PlannedSetup; draft: PlanDraft; desk: HelpDesk; mayWrite: boolean }) {
  const p = usePalette();
  const { help } = desk;
  const take = (n: NextBest) => {
    const plan = { ...draft.planBody, move: n.setup.move, measures: n.setup.measures, lensMode: n.setup.lens.mode, packageId: n.lensId ?? draft.planBody.packageId };
    const more = n.setup.marks.length > planned.marks.length;
    const sheet = [...n.setup.marks];
    draft.keep(n.words, more ? { set: { ...draft.setBody, sheet, marks: [...new Set([...draft.setBody.marks, ...sheet.map((m) => m.id)])] } } : { plan });
  };
  return (
    <Section title="What would help most">
      {help.status === 'failed' ? <Words role="alert">{`${help.message} The plan is kept.`}</Words> : null}
      {help.status === 'working' ? <Working what="Trying further marks and measurements" share={help.share} onStop={desk.stop} /> : null}
      {help.status === 'open' || help.status === 'failed' ? <Action title="Work it out" icon="query-stats" onPress={desk.ask} testID="next-best" /> : null}
      {help.status === 'done' && help.list.length === 0 ? <Empty title="Nothing would help much" text="No further mark, tie, height, plate or lens lowers the slip by half a per cent." /> : null}
      {help.status === 'done' && help.list.some((n) => n.at) ? (
        <Words look="small" dim>
          Their numbers stand in the view from above, where they would go.
        </Words>
      ) : null}
      {help.status === 'done'
        ? help.list.map((n, i) => (
            <View key={`${n.kind}${i}`} style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.m, paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }} testID={`help-${i}`}>
              <Words look="figure" dim>
                {String(i + 1)}
              </Words>
              <View style={{ flex: 1 }}>
                <Words>{n.words}</Words>
                <Words
                  look="small"
                  dim
                >{`${n.makesKnown ? `makes ${n.makesKnown} known; ` : ''}slip ${n.slipPx === null ? '–' : `${fixed(n.slipPx, 2)} px`}, ${n.gainPct >= 0 ? `${fixed(n.gainPct, 0)} % less` : `${fixed(-n.gainPct, 0)} % more`}`}</Words>
              </View>
              {mayWrite ? <Action title="Add" onPress={() => take(n)} label={`Add: ${n.words}`} testID={`add-help-${i}`} /> : null}
            </View>
          ))
        : null}
    </Section>
  );
}
