import type { StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { View } from 'react-native';
import { useAll, useMayWrite, useRecordsState } from '../../data';
import { Action, Section } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { CAUTION_SIGNS } from '../plan/caution-list';
import { stillsWords, TickStills } from '../plan/stills-section';
import { usePlanNumbers, usePlanOf } from '../plan/use-plan';

/** What the plan of a setup still warns of, beside the takes; also what somebody has taken note of, with the reason. */
export function PlanCautions({ setup }: { setup: StoredRecord<'setup'> }) {
  const plan = usePlanOf(setup.id);
  const set = useAll('set').find((s) => s.id === setup.body.setId);
  return plan && set ? <Remaining setup={setup} plan={plan} set={set} /> : null;
}

function Remaining({ setup, plan, set }: { setup: StoredRecord<'setup'>; plan: StoredRecord<'plan'>; set: StoredRecord<'set'> }) {
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const mayWrite = useMayWrite();
  const numbers = usePlanNumbers(plan.body, set.body, true);
  const stills = plan.body.stills ?? null;
  if ('problem' in numbers) return null;
  const heavy = numbers.cautions.filter((c) => c.severity !== 'small');
  if (heavy.length === 0 && !stills) return null;
  return (
    <Section title="From the plan" right={<Action kind="quiet" title="Open the plan" onPress={() => router.push(`/plan/${setup.id}` as Href)} />}>
      {heavy.map((c) => {
        const answer = plan.body.answered.find((a) => a.rule === c.rule);
        return (
          <View key={c.rule} style={{ paddingVertical: SPACE.xs }} testID={`floor-caution-${c.rule}`}>
            <Words look="small" dim={answer !== undefined}>{`${CAUTION_SIGNS[c.severity].shape} ${c.found}`}</Words>
            {answer ? <Words look="label" dim>{`taken note of by ${answer.by}: ${answer.reason}`}</Words> : null}
          </View>
        );
      })}
      {stills ? (
        <View testID="floor-stills">
          <Words>{`Stills walk: ${stillsWords(stills)}`}</Words>
          <TickStills
            stills={stills}
            disabled={!mayWrite}
            onChange={(taken) => void write('plan', plan.id, (now) => ({ ...now, stills: { ...now.stills!, taken } }), `${taken.length} stills taken`)}
          />
        </View>
      ) : null}
    </Section>
  );
}
