import type { Device } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { api, clearPhone, useData, usePicturesState, useRecordsState, useSession, useTrouble } from '../../data';
import { FormNotes, LeaveForm, TextField, useKeptForm } from '../../forms';
import { Action, Choice, Row, Section } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { MyDataPart } from './my-data';
import { SecondStepPart } from './second-step';
import { ago } from './people-sheet';

/** What is one's own: devices, password, signing out with or without what is on this phone. */
export function AccountSection() {
  const p = usePalette();
  const { session, local } = useData();
  const signOut = useSession((s) => s.signOut);
  const waitingRecords = useRecordsState((s) => s.outbox.length);
  const waitingPictures = usePicturesState((s) => s.pictures.length);
  const waiting = waitingRecords + waitingPictures;
  const unkept = useTrouble()?.unkept ?? 0;
  const [shown, setShown] = useState<'nothing' | 'devices' | 'password' | 'second-step' | 'data' | 'out'>('nothing');
  const [devices, setDevices] = useState<Device[] | null>(null);
  const [take, setTake] = useState<'keep' | 'clear'>('keep');
  const [error, setError] = useState<string | null>(null);
  const loadDevices = async () => {
    setShown('devices');
    await api.devices().then(
      (a) => setDevices(a.devices),
      (e: Error) => setError(e.message),
    );
  };
  const end = (work: Promise<void>) => void work.then(loadDevices, (e: Error) => setError(e.message));
  async function leave() {
    await signOut();
    // what waits belongs to this sign-in: it stays whatever was chosen
    if (take !== 'clear' || waiting > 0) return;
    await local.forget();
    await clearPhone(session);
  }
  return (
    <Section title={`You, ${session.name}`}>
      <View style={{ marginLeft: -SPACE.l, alignItems: 'flex-start' }}>
        <Action kind="quiet" icon="devices" title="My devices" onPress={() => void loadDevices()} testID="my-devices" />
        <Action kind="quiet" icon="password" title="Change my password" onPress={() => setShown('password')} testID="my-password" />
        <Action kind="quiet" icon="phonelink-lock" title="A code beside my password" onPress={() => setShown('second-step')} testID="my-second-step" />
        <Action kind="quiet" icon="badge" title="What is kept of me" onPress={() => setShown('data')} testID="my-data" />
        <Action kind="quiet" icon="logout" title="Sign out …" onPress={() => setShown('out')} testID="sign-out" />
      </View>
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {shown === 'devices' && devices ? (
        <View style={{ marginHorizontal: -SPACE.m }} testID="devices">
          {devices.map((d) => (
            <Row
              key={d.id}
              title={`${d.device}${d.thisOne ? '  · this one' : ''}`}
              detail={`since ${d.since.slice(0, 10)} · ${ago(d.seen)}`}
              right={d.thisOne ? undefined : <Action kind="quiet" title="Sign out" label={`Sign out on ${d.device}`} onPress={() => end(api.endDevice(d.id))} />}
            />
          ))}
          {devices.length > 1 ? <Action kind="quiet" title="Sign out everywhere but here" onPress={() => end(api.endOtherDevices())} /> : null}
        </View>
      ) : null}
      {shown === 'password' ? <ChangePassword onDone={() => setShown('nothing')} /> : null}
      {shown === 'second-step' ? <SecondStepPart onDone={() => setShown('nothing')} /> : null}
      {shown === 'data' ? <MyDataPart waiting={waiting} /> : null}
      {shown === 'out' && unkept > 0 ? (
        <Words role="alert" color={p.against}>{`▲ The phone does not take more, and ${unkept} of what you entered is in this page only. Signing out would lose it: wait until all is sent.`}</Words>
      ) : null}
      {shown === 'out' && unkept === 0 ? (
        <View style={{ gap: SPACE.s }}>
          {waiting > 0 ? (
            <Words>{`▲ ${waiting} entries wait here and have not reached the server. They stay on this phone and go when you sign in again here.`}</Words>
          ) : (
            <Choice
              label="What is on this phone"
              value={take}
              options={[
                { value: 'keep' as const, title: 'stays', detail: 'the next sign-in opens at once' },
                { value: 'clear' as const, title: 'goes', detail: 'of every film, for a phone that others use' },
              ]}
              onChange={setTake}
            />
          )}
          <Action title="Sign out" icon="logout" onPress={() => void leave()} testID="sign-out-now" />
        </View>
      ) : null}
    </Section>
  );
}

function ChangePassword({ onDone }: { onDone: () => void }) {
  const [error, setError] = useState<string | null>(null);
  const [kept, setKept] = useState(false);
  const form = useKeptForm('my password', { before: '', password: '' }, (v) => [
    ...(v.before ? [] : [{ field: 'before', message: 'is empty' }]),
    ...(v.password.length >= 10 ? [] : [{ field: 'password', message: 'needs 10 characters or more' }]),
  ]);
  const keep = form.handleSubmit(async (v) => {
    setError(null);
    try {
      await api.changePassword(v);
      form.done();
      setKept(true);
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
    }
  });
  if (kept) return <Words role="status">Changed. Your other devices were signed out.</Words>;
  return (
    <View testID="change-password">
      <TextField form={form} name="before" label="Password now" secure autoComplete="current-password" testID="password-before" />
      <TextField form={form} name="password" label="New password" secure autoComplete="new-password" hint="10 characters or more; a few words are best" testID="password-new" />
      <FormNotes form={form} error={error} />
      <View style={{ gap: SPACE.s }}>
        <Action kind="main" title="Change the password" onPress={() => void keep()} testID="keep-password" />
        <LeaveForm form={form} title="Leave it" onLeave={onDone} />
      </View>
    </View>
  );
}
