import type { StoredRecord } from '@mesure/contract';
import { View } from 'react-native';
import { useAll, useMayWrite, useRecordsState } from '../../data';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { usePalette } from '../../ui/theme';
import { useDay } from '../days/use-day';

interface Stray {
  setup: StoredRecord<'setup'>;
  takes: StoredRecord<'take'>[];
}

/** Takes that stand in a setup of this day which is hidden: no list of the day has them. */
export function strayTakes(dayId: string | null, takes: readonly StoredRecord<'take'>[], setups: readonly StoredRecord<'setup'>[], find: (id: string) => StoredRecord | undefined): Stray[] {
  const shown = new Set(setups.map((s) => s.id));
  const strays = new Map<string, Stray>();
  for (const take of takes) {
    const { setupId } = take.body;
    if (shown.has(setupId)) continue;
    const setup = find(setupId) as StoredRecord<'setup'> | undefined;
    if (!setup || setup.body.dayId !== dayId) continue;
    const one = strays.get(setupId) ?? { setup, takes: [] };
    one.takes.push(take);
    strays.set(setupId, one);
  }
  return [...strays.values()];
}

/** Somebody hid a setup in which another phone, without a line, went on logging: the takes are there and no list of the day shows them. */
export function StrayTakes() {
  const p = usePalette();
  const day = useDay();
  const takes = useAll('take');
  const setups = useAll('setup');
  const records = useRecordsState((s) => s.records);
  const write = useRecordsState((s) => s.write);
  const mayWrite = useMayWrite();
  return strayTakes(day?.id ?? null, takes, setups, (id) => records[id]).map(({ setup, takes: its }) => (
    <View key={setup.id} testID={`stray-${setup.body.name}`} style={{ alignItems: 'flex-start' }}>
      <Words color={p.against}>
        {`▲ ${setup.body.name} is hidden and has ${its.length === 1 ? 'a take' : `${its.length} takes`} in it: ${its.map((t) => `${t.body.slate} take ${t.body.take}`).join(', ')}. ${its.length === 1 ? 'It leaves' : 'They leave'} with no handover until the setup is back.`}
      </Words>
      {mayWrite ? (
        <Action
          kind="quiet"
          icon="undo"
          title="Bring the setup back"
          onPress={() => void write('setup', setup.id, (now) => now, `${setup.body.name} brought back`)}
          testID={`bring-back-${setup.body.name}`}
        />
      ) : null}
    </View>
  ));
}
