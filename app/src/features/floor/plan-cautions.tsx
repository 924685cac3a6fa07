import { stationsTaken, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { View } from 'react-native';
import { useAll } from '../../data';
import { Action, Section } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { CAUTION_SIGNS } from '../plan/caution-list';
import { stillsWords } from '../plan/stills-section';
import { usePlanNumbers, usePlanOf } from '../plan/use-plan';
import { useStills } from './stills/use-walk';

/** What the plan of a setup still warns of, beside the takes; also what somebody has taken note of, with the reason. */
export function PlanCautions({ setup }: { setup: StoredRecord<'setup'> }) {
  const plan = usePlanOf(setup.id);
  const set = useAll('set').find((s) => s.id === setup.body.setId);
  return plan && set ? <Remaining setup={setup} plan={plan} set={set} /> : null;
}

function Remaining({ setup, plan, set }: { setup: StoredRecord<'setup'>; plan: StoredRecord<'plan'>; set: StoredRecord<'set'> }) {
  const router = useRouter();
  const numbers = usePlanNumbers(plan.body, set.body, true);
  const stills = plan.body.stills ?? null;
  const pictures = useStills(setup.id);
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
          <Words>{`Stills walk: ${stillsWords(stills, stationsTaken(stills, pictures).length)}`}</Words>
          <View style={{ alignItems: 'flex-start', marginTop: SPACE.xs }}>
            <Action icon="photo-camera" title="Walk and take the stills" onPress={() => router.push(`/floor/stills/${setup.id}` as Href)} testID="open-walk" />
          </View>
        </View>
      ) : null}
    </Section>
  );
}
