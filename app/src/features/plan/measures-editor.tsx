import type { PlanBody } from '@mesure/contract';
import { distance, formatLength, USUAL_SIGMA } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Action, Choice, Section } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { usePalette } from '../../ui/theme';
import { Chips } from './chips';
import type { PlanDraft } from './use-plan';

/** A total station over some metres. */
const SURVEY_SIGMA_M = 0.002;

/** What will be measured on the day: level marks, ties, surveyed marks, camera heights. The forecast counts them in. */
export function MeasuresEditor({ draft, mayWrite }: { draft: PlanDraft; mayWrite: boolean }) {
  const p = usePalette();
  const plan = draft.planBody;
  const { measures } = plan;
  const sheet = draft.setBody.sheet ?? [];
  const [from, setFrom] = useState<string | null>(null);
  const keep = (label: string, now: Partial<PlanBody['measures']>) => draft.keep(label, { plan: { ...plan, measures: { ...measures, ...now } } });
  const low = sheet.filter((k) => k.at[1] < 0.1);
  const at = (id: string) => sheet.find((k) => k.id === id)?.at;
  const toggleLevel = (id: string) => keep(`Level mark ${id}`, { level: measures.level.includes(id) ? measures.level.filter((v) => v !== id) : [...measures.level, id] });
  const toggleSurveyed = (id: string) => {
    const before = measures.surveyed ?? [];
    keep(`Surveyed mark ${id}`, { surveyed: before.some((q) => q.id === id) ? before.filter((q) => q.id !== id) : [...before, { id, sigmaM: SURVEY_SIGMA_M }] });
  };
  const pickTie = (id: string) => {
    if (from === null || from === id) {
      setFrom(from === id ? null : id);
      return;
    }
    const there = measures.ties.some((t) => (t.a === from && t.b === id) || (t.a === id && t.b === from));
    if (!there) keep(`Tie ${from} – ${id} planned`, { ties: [...measures.ties, { a: from, b: id, sigmaM: USUAL_SIGMA.tieM }] });
    setFrom(null);
  };
  const times = [plan.move.stations[0].timeS, plan.move.stations[plan.move.stations.length - 1].timeS];
  return (
    <View>
      <Section title="Level marks of the floor">
        {low.length === 0 ? <Empty title="No marks near the floor" text="Lay some on the floor under Marks; three that are not in a row make a ground." /> : null}
        <Chips ids={low.map((k) => k.id)} on={measures.level} disabled={!mayWrite} onPress={toggleLevel} what="Level mark" />
      </Section>
      <Section title="Ties">
        {measures.ties.map((t) => {
          const [a, b] = [at(t.a), at(t.b)];
          return (
            <View
              key={`${t.a}-${t.b}`}
              style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', borderBottomWidth: 1, borderColor: p.line }}
              testID={`planned-tie-${t.a}-${t.b}`}
            >
              <Words>{`${t.a} – ${t.b}${a && b ? `, about ${formatLength(distance(a, b), 'm')}` : ''}`}</Words>
              {mayWrite ? (
                <Action kind="quiet" title="Remove" label={`Remove tie ${t.a} to ${t.b}`} onPress={() => keep(`Tie ${t.a} – ${t.b} removed`, { ties: measures.ties.filter((q) => q !== t) })} />
              ) : null}
            </View>
          );
        })}
        {mayWrite && sheet.length > 1 ? (
          <>
            <Words look="small" dim>
              {from === null ? 'Tap two marks between which you will measure.' : `From ${from} to …`}
            </Words>
            <Chips ids={sheet.slice(0, 60).map((k) => k.id)} on={from === null ? [] : [from]} onPress={pickTie} what="Tie mark" />
          </>
        ) : null}
      </Section>
      {sheet.length > 0 ? (
        <Section title="Surveyed marks">
          <Words look="small" dim>
            Their places come from a total station or the tape net. Three that are not in a row give level and scale.
          </Words>
          <Chips ids={sheet.slice(0, 60).map((k) => k.id)} on={(measures.surveyed ?? []).map((q) => q.id)} disabled={!mayWrite} onPress={toggleSurveyed} what="Surveyed" />
        </Section>
      ) : null}
      <Section title="Camera height">
        {mayWrite ? (
          <Choice<string>
            label="Measured at"
            value={measures.heights.length === 0 ? 'none' : measures.heights.length === 1 ? 'start' : 'both'}
            options={[
              { value: 'none', title: 'not measured' },
              { value: 'start', title: 'the start' },
              { value: 'both', title: 'start and end' },
            ]}
            onChange={(v) =>
              keep('Camera height planned', { heights: (v === 'none' ? [] : v === 'start' ? times.slice(0, 1) : [...new Set(times)]).map((timeS) => ({ timeS, sigmaM: USUAL_SIGMA.heightM })) })
            }
          />
        ) : (
          <Words>{`${measures.heights.length} planned`}</Words>
        )}
      </Section>
    </View>
  );
}
