import { type StoredRecord, type TakeNameWords } from '@mesure/contract';
import { spaceWords } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useFind, useMayWrite } from '../../data';
import { Action, Choice, Section, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { ReceiverSheet } from './receiver-sheet';

/** What of him is other than everything as it is kept. */
const wants = ({ body: b }: StoredRecord<'receiver'>): string =>
  [
    spaceWords(b),
    ...(b.addFrames === 0 ? [] : [`frames ${b.addFrames > 0 ? '+' : '−'}${Math.abs(b.addFrames)}`]),
    ...(b.maps === 'none' ? [] : [b.maps === 'exr' ? 'OpenEXR maps' : 'TIFF maps']),
    b.takeName,
  ].join(' · ');

interface Props {
  dayId: string;
  /** null: everything, as it is kept */
  chosen: StoredRecord<'receiver'> | null;
  onChoose: (id: string | null) => void;
}

/** For whom the day is shown and leaves: everything, or as a receiver wants it, who is kept with the production. */
export function ForWhom({ dayId, chosen, onChoose }: Props) {
  const receivers = useAll('receiver');
  const mayWrite = useMayWrite();
  const [sheet, setSheet] = useState<'closed' | 'new' | 'change'>('closed');
  const example = useExample(dayId);
  if (receivers.length === 0 && !mayWrite) return null;
  return (
    <Section title="For whom">
      {receivers.length > 0 ? (
        <Choice
          label="It leaves as wanted by"
          value={chosen?.id ?? null}
          options={[
            { value: null, title: 'nobody named', detail: 'everything, as it is kept' },
            ...[...receivers].sort((a, b) => a.body.name.localeCompare(b.body.name)).map((r) => ({ value: r.id, title: r.body.name, detail: wants(r) })),
          ]}
          onChange={onChoose}
        />
      ) : (
        <Words look="small" dim>
          Everything leaves, in metres with Y up. A receiver who wants it otherwise, other files, units, axes, numbers or names, is described once and kept with the production.
        </Words>
      )}
      {mayWrite ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', marginLeft: -SPACE.l }}>
          {chosen ? <Action kind="quiet" icon="edit" title={`Change ${chosen.body.name}`} onPress={() => setSheet('change')} testID="change-receiver" /> : null}
          <Action kind="quiet" icon="add" title="New receiver" onPress={() => setSheet('new')} testID="new-receiver" />
        </View>
      ) : null}
      <Sheet title={sheet === 'change' && chosen ? chosen.body.name : 'New receiver'} open={sheet !== 'closed'} onClose={() => setSheet('closed')}>
        {sheet !== 'closed' ? (
          <ReceiverSheet
            key={sheet === 'change' ? chosen?.id : 'new'}
            receiver={sheet === 'change' ? chosen : null}
            example={example}
            onDone={(id) => {
              setSheet('closed');
              // one that was given up leaves the choice as it was
              if (id !== null || sheet === 'change') onChoose(id);
            }}
          />
        ) : null}
      </Sheet>
    </Section>
  );
}

/** The words of the day's first take; without one, of a take as it might be. */
function useExample(dayId: string): TakeNameWords {
  const find = useFind();
  const day = find('day', dayId)?.body;
  const setups = useAll('setup').filter((s) => s.body.dayId === dayId);
  const take = useAll('take').find((t) => setups.some((s) => s.id === t.body.setupId));
  const setup = setups.find((s) => s.id === take?.body.setupId)?.body;
  return {
    scene: take?.body.scene ?? setup?.scene ?? '41',
    setup: setup?.name ?? 'Dolly',
    slate: take?.body.slate ?? '41A',
    take: take?.body.take ?? 3,
    camera: take?.body.camera ?? (take ? find('package', take.body.packageId)?.body.camera : undefined) ?? 'A',
    clip: take?.body.clip ?? 'A001C003',
    day: day?.name ?? 'Day 1',
    date: day?.date ?? '2026-01-12',
  };
}
