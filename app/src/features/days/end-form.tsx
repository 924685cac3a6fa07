import { ENDS_AFTER_DAYS } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { useData, useRecordsState } from '../../data';
import { FormNotes, LeaveForm, TextField, useKeptForm } from '../../forms';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

/** Removing a film for good: its name is typed, so that no tap in the dark does it. */
export function EndForm({ onEnd, onBack }: { onEnd: (name: string) => Promise<void>; onBack: () => void }) {
  const { session } = useData();
  const entries = useRecordsState((s) => Object.keys(s.records).length);
  const [error, setError] = useState<string | null>(null);
  const film = session.production.name;
  const form = useKeptForm(`end ${session.production.id}`, { name: '' }, (v) => (v.name.trim() === film ? [] : [{ field: 'name', message: `type ${film} to say that this film is meant` }]));
  const end = form.handleSubmit(async (v) => {
    setError(null);
    try {
      await onEnd(v.name);
      form.done();
    } catch (e) {
      setError(`${e instanceof Error ? e.message : String(e)} Nothing was removed.`);
    }
  });
  return (
    <View style={{ gap: SPACE.s }}>
      <Words>{`In ${ENDS_AFTER_DAYS} days ${film} goes for good: ${entries} ${entries === 1 ? 'entry' : 'entries'} with their history, pictures, clips, solves. Until then everybody in it sees the date and goes on working, and an owner can keep it. Hand over what is wanted first; backups made before still have it.`}</Words>
      <TextField form={form} name="name" label="Name of the film" testID="end-name" />
      <FormNotes form={form} error={error} />
      <Action icon="delete-outline" title={`Remove it in ${ENDS_AFTER_DAYS} days`} onPress={() => void end()} testID="end-now" />
      <LeaveForm form={form} onLeave={onBack} />
    </View>
  );
}
