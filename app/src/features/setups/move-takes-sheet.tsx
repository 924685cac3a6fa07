import { movedTakes, sameSlate, touched, type StoredRecord, type TakeBody } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useRecordsState } from '../../data';
import { Action, Choice, Row, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useDay, useDays } from '../days/use-day';

/** Takes that were logged in the wrong setup or on the wrong day: where to, and what they will be called there, before it is done. */
export function MoveTakesSheet({ takes, onClose }: { takes: StoredRecord<'take'>[]; onClose: () => void }) {
  const days = useDays();
  const today = useDay();
  const all = useAll('take');
  const setups = [...useAll('setup')].sort((a, b) => a.body.order - b.body.order);
  const writeMany = useRecordsState((s) => s.writeMany);
  const [dayId, setDayId] = useState(today?.id ?? days[0]?.id ?? '');
  const [setupId, setSetupId] = useState<string | null>(null);
  const [renumber, setRenumber] = useState<'yes' | 'no'>('yes');
  const from = new Set(takes.map((t) => t.body.setupId));
  const choices = setups.filter((s) => s.body.dayId === dayId && !(from.size === 1 && from.has(s.id)));
  const to = choices.find((s) => s.id === setupId);
  const moved = to ? movedTakes(takes, to, all, renumber === 'yes') : [];
  const bodyOf = (now: TakeBody, m: (typeof moved)[number]): TakeBody => touched({ ...now, setupId: to!.id, scene: null }, { slate: m.slate, take: m.take });
  const clashes = moved.filter((m) => sameSlate(bodyOf(takes.find((t) => t.id === m.id)!.body, m), m.id, all));
  const move = async () => {
    await writeMany(
      moved.map((m) => ({ kind: 'take' as const, id: m.id, change: (now: TakeBody) => bodyOf(now, m) })),
      `${takes.length === 1 ? 'Take' : `${takes.length} takes`} moved to ${to!.body.name}`,
    );
    onClose();
  };
  return (
    <Sheet title={takes.length === 1 ? `Move ${takes[0].body.slate} take ${takes[0].body.take}` : `Move ${takes.length} takes`} open onClose={onClose}>
      {days.length > 1 ? <Choice label="To the day" value={dayId} options={days.map((d) => ({ value: d.id, title: d.body.name }))} onChange={setDayId} /> : null}
      <Words look="label" dim>
        To the setup
      </Words>
      <View style={{ marginHorizontal: -SPACE.m }}>
        {choices.map((s) => (
          <Row key={s.id} testID={`to-setup-${s.body.scene}`} title={s.body.name} detail={`slate ${s.body.slate ?? s.body.scene}`} selected={s.id === setupId} onPress={() => setSetupId(s.id)} />
        ))}
        {choices.length === 0 ? (
          <Words dim style={{ padding: SPACE.m }}>
            {'No other setup on this day.'}
          </Words>
        ) : null}
      </View>
      <View style={{ height: SPACE.m }} />
      <Choice
        label="Slate and number"
        value={renumber}
        options={[
          { value: 'yes' as const, title: 'as the setup counts', detail: 'its slate, the next free numbers' },
          { value: 'no' as const, title: 'as on the slate', detail: 'what the picture shows stays' },
        ]}
        onChange={setRenumber}
      />
      {moved.map((m) => {
        const was = takes.find((t) => t.id === m.id)!.body;
        return <Words key={m.id} look="small" testID={`moved-${was.slate}-${was.take}`}>{`${was.slate} take ${was.take} → ${m.slate} take ${m.take}`}</Words>;
      })}
      {clashes.map((m) => (
        <Words key={`clash ${m.id}`} look="small">{`▲ ${m.slate} take ${m.take} is there already. Both stay; one of them should get another number.`}</Words>
      ))}
      <View style={{ marginTop: SPACE.m }}>
        <Action kind="main" title={to ? `Move to ${to.body.name}` : 'Move'} disabled={!to} onPress={() => void move()} testID="move-takes" />
      </View>
    </Sheet>
  );
}
