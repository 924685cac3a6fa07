import type { NewSecondStep, SecondStep } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { api, useClock, useSession } from '../../data';
import { FormNotes, LeaveForm, TextField, useKeptForm } from '../../forms';
import { Action, useIsWide } from '../../ui/controls';
import { Qr } from '../../ui/qr';
import { saveFile } from '../../ui/save-file';
import { Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { CodeField } from './code-field';

type Step =
  | { at: 'loading' }
  | { at: 'failed'; why: string }
  | { at: 'state'; state: SecondStep }
  | { at: 'scan'; made: NewSecondStep }
  | { at: 'codes'; codes: string[] }
  | { at: 'prove'; state: SecondStep; to: 'off' | 'renew' };

const why = (e: unknown): string => (e instanceof Error ? e.message : String(e));

/** A code of an authenticator beside the password: switched on, renewed, switched off. */
export function SecondStepPart({ onDone }: { onDone: () => void }) {
  const [step, setStep] = useState<Step>({ at: 'loading' });
  const look = () =>
    void api.secondStep().then(
      (state) => setStep({ at: 'state', state }),
      (e: unknown) => setStep({ at: 'failed', why: why(e) }),
    );
  useEffect(look, []);
  if (step.at === 'loading') return <Loading what="the second step" />;
  if (step.at === 'failed') return <Failing title="Nothing is known of it now" text={step.why} />;
  return (
    <View style={{ gap: SPACE.s }} testID="second-step">
      {step.at === 'codes' ? (
        <Recovery codes={step.codes} onDone={look} />
      ) : step.at === 'scan' ? (
        <Scan made={step.made} onOn={(codes) => setStep({ at: 'codes', codes })} onLeave={look} />
      ) : step.at === 'prove' ? (
        <Prove to={step.to} onCodes={(codes) => setStep({ at: 'codes', codes })} onLeave={look} />
      ) : step.state.since === null ? (
        <Begin onMade={(made) => setStep({ at: 'scan', made })} onLeave={onDone} />
      ) : (
        <IsOn state={step.state} onProve={(to) => setStep({ at: 'prove', state: step.state, to })} />
      )}
    </View>
  );
}

function IsOn({ state, onProve }: { state: SecondStep; onProve: (to: 'off' | 'renew') => void }) {
  const clock = useClock();
  return (
    <>
      <Words testID="second-step-on">{`On since ${clock.stamp(state.since!)}. A new sign-in asks for a code.`}</Words>
      <Words look={state.recoveryLeft > 2 ? 'small' : undefined}>
        {`${state.recoveryLeft > 2 ? '' : '▲ '}${state.recoveryLeft === 0 ? 'No recovery code is left.' : `${state.recoveryLeft} recovery code${state.recoveryLeft === 1 ? ' is' : 's are'} left.`}`}
      </Words>
      <View style={{ marginLeft: -SPACE.l, alignItems: 'flex-start' }}>
        <Action kind="quiet" icon="autorenew" title="New recovery codes" onPress={() => onProve('renew')} testID="renew-recovery" />
        <Action kind="quiet" icon="lock-open" title="Switch it off" onPress={() => onProve('off')} testID="second-step-off" />
      </View>
    </>
  );
}

/** The password once more: whoever has somebody's phone in hand has not his password. */
function Begin({ onMade, onLeave }: { onMade: (made: NewSecondStep) => void; onLeave: () => void }) {
  const [error, setError] = useState<string | null>(null);
  const form = useKeptForm('second step', { before: '' }, (v) => (v.before ? [] : [{ field: 'before', message: 'is empty' }]));
  const begin = form.handleSubmit(async (v) => {
    setError(null);
    try {
      const made = await api.beginSecondStep(v);
      form.done();
      onMade(made);
    } catch (e) {
      setError(why(e));
    }
  });
  return (
    <>
      <Words>
        Off. With it, a new sign-in asks for six digits of an authenticator application too, so that a password alone opens nothing. It needs no network, but the clocks of this server and of the phone
        must agree within a minute.
      </Words>
      <TextField form={form} name="before" label="Your password" secure autoComplete="current-password" testID="second-step-password" />
      <FormNotes form={form} error={error} />
      <Action kind="main" title="Begin" onPress={() => void begin()} testID="second-step-begin" />
      <LeaveForm form={form} title="Leave it" onLeave={onLeave} />
    </>
  );
}

function Scan({ made, onOn, onLeave }: { made: NewSecondStep; onOn: (codes: string[]) => void; onLeave: () => void }) {
  const wide = useIsWide();
  const [error, setError] = useState<string | null>(null);
  const form = useKeptForm('second step code', { code: '' }, (v) => (v.code.trim() ? [] : [{ field: 'code', message: 'is empty' }]));
  const confirm = form.handleSubmit(async (v) => {
    setError(null);
    try {
      onOn((await api.confirmSecondStep(v)).recovery);
    } catch (e) {
      setError(why(e));
    }
  });
  return (
    <>
      <Words>{`Scan this with your authenticator, ${wide ? '' : 'open it on this phone, '}or type the secret. Then enter the code that it shows.`}</Words>
      <View style={{ alignItems: 'center', gap: SPACE.s }}>
        <Qr text={made.address} label="The secret for your authenticator" />
        <Words look="small" selectable testID="second-step-secret">
          {made.secret}
        </Words>
        {/* a computer has no authenticator that would open */}
        {wide ? null : <Action kind="quiet" icon="open-in-new" title="Open it on this phone" onPress={() => window.open(made.address, '_self')} testID="second-step-open" />}
      </View>
      <CodeField form={form} name="code" hint="Six digits; they change every half minute" />
      <FormNotes form={form} error={error} />
      <Action kind="main" title="Switch it on" onPress={() => void confirm()} testID="second-step-confirm" />
      <LeaveForm form={form} title="Leave it off" onLeave={onLeave} />
    </>
  );
}

function Recovery({ codes, onDone }: { codes: readonly string[]; onDone: () => void }) {
  const name = useSession((s) => s.session?.name ?? '');
  const text = codes.join('\n');
  return (
    <>
      <Words>▲ Write these down now: they are not shown again. Each lets you in once when the authenticator is lost. Who has lost both goes to whoever keeps the server.</Words>
      <Words selectable testID="recovery-codes" style={{ lineHeight: 30 }}>
        {text}
      </Words>
      <Words look="small" dim>
        Your other devices stay signed in.
      </Words>
      <Action icon="content-copy" title="Copy them" onPress={() => void navigator.clipboard?.writeText(text)} />
      <Action icon="download" title="Save them as a file" onPress={() => saveFile(`mesure recovery codes of ${name}.txt`, `${text}\n`, 'text/plain')} testID="save-recovery" />
      <Action kind="main" title="I have them" onPress={onDone} testID="have-recovery" />
    </>
  );
}

function Prove({ to, onCodes, onLeave }: { to: 'off' | 'renew'; onCodes: (codes: string[]) => void; onLeave: () => void }) {
  const [error, setError] = useState<string | null>(null);
  const form = useKeptForm('second step prove', { before: '', code: '' }, (v) => [
    ...(v.before ? [] : [{ field: 'before', message: 'is empty' }]),
    ...(v.code.trim() ? [] : [{ field: 'code', message: 'is empty' }]),
  ]);
  const go = form.handleSubmit(async (v) => {
    setError(null);
    try {
      if (to === 'renew') {
        onCodes((await api.newRecovery(v)).recovery);
        return;
      }
      await api.endSecondStep(v);
      onLeave();
    } catch (e) {
      setError(why(e));
    }
  });
  return (
    <>
      <Words>{to === 'off' ? 'Afterwards the password alone lets you in.' : 'The recovery codes that you have open nothing afterwards.'}</Words>
      <TextField form={form} name="before" label="Your password" secure autoComplete="current-password" testID="second-step-password" />
      <CodeField form={form} name="code" />
      <FormNotes form={form} error={error} />
      <Action kind="main" title={to === 'off' ? 'Switch it off' : 'Make new ones'} onPress={() => void go()} testID="second-step-go" />
      <LeaveForm form={form} title="Leave it as it is" onLeave={onLeave} />
    </>
  );
}
