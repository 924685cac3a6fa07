import { useState } from 'react';
import { View } from 'react-native';
import { api, clearPhone, useData, useSession } from '../../data';
import { FormNotes, LeaveForm, TextField, useKeptForm } from '../../forms';
import { Action } from '../../ui/controls';
import { saveFile } from '../../ui/save-file';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** What the server keeps of a person, as a file; and the way out for good. */
export function MyDataPart({ waiting }: { waiting: number }) {
  const p = usePalette();
  const { session } = useData();
  const [leaving, setLeaving] = useState(false);
  const [told, setTold] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  async function save() {
    setError(null);
    try {
      const data = await api.myData();
      saveFile(`mesure ${session.name}.json`, JSON.stringify(data, null, 2), 'application/json');
      setTold(
        `${data.productions.length} ${data.productions.length === 1 ? 'film' : 'films'}, ${data.devices.length} ${data.devices.length === 1 ? 'device' : 'devices'}, ${data.entries.length} ${data.entries.length === 1 ? 'entry' : 'entries'}.`,
      );
    } catch (e) {
      setError(`${e instanceof Error ? e.message : String(e)} Nothing was saved.`);
    }
  }
  return (
    <View style={{ gap: SPACE.s }} testID="my-data-part">
      <Words look="small">
        Your name, the password as a hash, the secret of your authenticator where you have one, your films and roles, your devices, your unit, and which entries are yours and when they were made.
        Nothing else. It leaves this server only as your name beside your entries, in a film’s handover.
      </Words>
      <Action icon="download" title="Save it as a file" onPress={() => void save()} testID="save-my-data" />
      {told ? (
        <Words role="status" testID="my-data-told">
          {told}
        </Words>
      ) : null}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {leaving ? (
        <RemoveMe waiting={waiting} onClose={() => setLeaving(false)} />
      ) : (
        <Action kind="quiet" icon="person-remove" title="Remove me for good …" onPress={() => setLeaving(true)} testID="remove-me" />
      )}
    </View>
  );
}

function RemoveMe({ waiting, onClose }: { waiting: number; onClose: () => void }) {
  const { session, local } = useData();
  const signOut = useSession((s) => s.signOut);
  const [error, setError] = useState<string | null>(null);
  const form = useKeptForm('remove me', { before: '' }, (v) => (v.before ? [] : [{ field: 'before', message: 'is empty' }]));
  const remove = form.handleSubmit(async (v) => {
    setError(null);
    try {
      await api.forgetMe(v);
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
      return;
    }
    form.done();
    await signOut();
    await local.forget();
    await clearPhone(session);
  });
  if (waiting > 0) return <Words role="alert">{`▲ ${waiting} entries wait here and have not reached the server: they would be lost with you. Go where there is a network first.`}</Words>;
  return (
    <View style={{ gap: SPACE.s }} testID="remove-me-form">
      <Words>
        Your account, devices and preferences go, in every film here. What you entered stays with the films and is told as of “a former member”, in their history too. A name in the text of a note
        stays text. It cannot be taken back; backups made before still have your name.
      </Words>
      <TextField form={form} name="before" label="Your password" secure autoComplete="current-password" testID="remove-me-password" />
      <FormNotes form={form} error={error} />
      <Action icon="person-remove" title="Remove me for good" onPress={() => void remove()} testID="remove-me-now" />
      <LeaveForm form={form} title="Stay" onLeave={onClose} />
    </View>
  );
}
