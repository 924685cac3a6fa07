import type { PlannedSetup, NextBest } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Action, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Empty, Loading } from '../../ui/states';
import { Fact, Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { inWorker } from '../../workers';
import type { ForecastState, PlanDraft } from './use-plan';

/** What a later solve will determine, in numbers; and what would help it most. */
export function ForecastSection({ planned, draft, forecast, mayWrite }: { planned: PlannedSetup; draft: PlanDraft; forecast: ForecastState; mayWrite: boolean }) {
  if (forecast.status === 'pending') return <Loading what="the forecast" />;
  if (forecast.status === 'failed') return <Empty title="No forecast" text={`${forecast.message} The plan is kept.`} />;
  const f = forecast.forecast;
  const mm = (m: number | null) => (m === null ? 'not observable' : fixed(1000 * m, 1));
  return (
    <View>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }} testID="forecast-facts">
        <Fact label="Slip at worst" value={f.slipPx === null ? '–' : fixed(f.slipPx, 2)} unit="px" testID="fact-slip" />
        <Fact label="Height" value={mm(f.sigmaHeightM)} unit={f.sigmaHeightM === null ? undefined : '± mm'} />
        <Fact
          label="Focal length"
          value={planned.lens.mode === 'held' ? 'held' : f.sigmaFocalMm === null ? 'not observable' : fixed(f.sigmaFocalMm, 3)}
          unit={f.sigmaFocalMm === null ? undefined : '± mm'}
        />
        <Fact label="Scale" value={f.sigmaScalePct === null ? 'not observable' : fixed(f.sigmaScalePct, 2)} unit={f.sigmaScalePct === null ? undefined : '± %'} testID="fact-scale" />
        <Fact label="Level" value={f.sigmaLevelDeg === null ? 'not observable' : fixed(f.sigmaLevelDeg, 3)} unit={f.sigmaLevelDeg === null ? undefined : '± °'} />
      </View>
      {f.warnings.map((w) => (
        <Words key={w} look="small" style={{ marginTop: SPACE.s }}>{`◈ ${w}`}</Words>
      ))}
      <Words look="small" dim style={{ marginTop: SPACE.s }}>
        {`One standard deviation each, with tracks good to ${planned.noisePx} px on marks and half as much again on what the set itself offers. Slip: by how many pixels a still object would appear to move.`}
      </Words>
      <WouldHelp planned={planned} draft={draft} mayWrite={mayWrite} />
    </View>
  );
}

function WouldHelp({ planned, draft, mayWrite }: { planned: PlannedSetup; draft: PlanDraft; mayWrite: boolean }) {
  const p = usePalette();
  const [list, setList] = useState<NextBest[] | 'asked' | null>(null);
  const [error, setError] = useState<string | null>(null);
  const ask = () => {
    setList('asked');
    setError(null);
    inWorker({ kind: 'next best', setup: planned }).then(setList, (e: Error) => {
      setList(null);
      setError(e.message);
    });
  };
  const take = (n: NextBest) => {
    const plan = { ...draft.planBody, move: n.setup.move, measures: n.setup.measures, lensMode: n.setup.lens.mode };
    const more = n.setup.marks.length > planned.marks.length;
    const sheet = [...n.setup.marks];
    draft.keep(n.words, more ? { set: { ...draft.setBody, sheet, marks: [...new Set([...draft.setBody.marks, ...sheet.map((m) => m.id)])] } } : { plan });
    // the others were reckoned without it
    setList(null);
  };
  return (
    <Section title="What would help most">
      {error ? <Words role="alert">{`${error} The plan is kept.`}</Words> : null}
      {list === 'asked' ? <Loading what="what would help" /> : null}
      {list === null ? <Action title="Work it out" icon="query-stats" onPress={ask} testID="next-best" /> : null}
      {Array.isArray(list) && list.length === 0 ? <Empty title="Nothing would help much" text="No further mark, tie, height or plate lowers the slip by half a per cent." /> : null}
      {Array.isArray(list)
        ? list.slice(0, 6).map((n, i) => (
            <View key={`${n.kind}${i}`} style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.m, paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }} testID={`help-${i}`}>
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
