import { ROLE_WORDS } from '@mesure/contract';
import { api } from '../../data';
import { FormNotes, TextField, useKeptForm } from '../../forms';
import { Action } from '../../ui/controls';
import { Failing, Loading } from '../../ui/states';
import { CodeField } from './code-field';
import { Door } from './door';
import { useGoIn, useLinkSays } from './use-link';

const article = (word: string): string => (/^[aeiou]/.test(word) ? `an ${word}` : `a ${word}`);

/** An invited person comes in: a new one, or one who is known here already. */
export function JoinScreen() {
  const link = useLinkSays('join');
  const { go, busy, error, codeAsked } = useGoIn();
  const form = useKeptForm('join', { name: '', password: '', code: '' }, (v) => [
    ...(v.name.trim() ? [] : [{ field: 'name', message: 'is empty' }]),
    ...(v.password ? [] : [{ field: 'password', message: 'is empty' }]),
  ]);
  if (link.status === 'looking') return <Loading what="the invitation" />;
  if (link.status === 'bad')
    return (
      <Door title="Mesure" text="This invitation opens nothing.">
        <Failing title="The link is not good" text={link.why} />
      </Door>
    );
  const { says, token } = link;
  const join = form.handleSubmit(async (v) => {
    if (await go(() => api.join({ token, ...v }), '/floor')) form.done();
  });
  return (
    <Door title={says.production ?? 'Mesure'} text={`${says.madeBy} invites you as ${article(says.role!)}: ${ROLE_WORDS[says.role!]}.`}>
      <TextField form={form} name="name" label="Your name, as the crew knows you" autoComplete="username" testID="person-name" />
      <TextField
        form={form}
        name="password"
        label="Password"
        secure
        autoComplete="new-password"
        hint="New here: 10 characters or more. Known here already: the name and password that you have."
        testID="person-password"
      />
      {codeAsked ? <CodeField form={form} name="code" asked /> : null}
      <FormNotes form={form} error={error?.text ?? null} />
      <Action kind="main" title={`Join as ${says.role}`} onPress={() => void join()} busy={busy} testID="join" />
    </Door>
  );
}

/** A new password by the link that an owner gave. */
export function NewPasswordScreen() {
  const link = useLinkSays('password');
  const { go, busy, error, codeAsked } = useGoIn();
  const form = useKeptForm('new password', { password: '', code: '' }, (v) => (v.password.length >= 10 ? [] : [{ field: 'password', message: 'needs 10 characters or more' }]));
  if (link.status === 'looking') return <Loading what="the link" />;
  if (link.status === 'bad')
    return (
      <Door title="Mesure" text="This link sets no password.">
        <Failing title="The link is not good" text={link.why} />
      </Door>
    );
  const set = form.handleSubmit(async (v) => {
    if (await go(() => api.newPassword({ token: link.token, ...v }), '/floor')) form.done();
  });
  return (
    <Door title="A new password" text={`For ${link.says.name}. Every other device is signed out.`}>
      <TextField form={form} name="password" label="New password" secure autoComplete="new-password" hint="10 characters or more; a few words are best" testID="person-password" />
      {codeAsked ? <CodeField form={form} name="code" asked /> : null}
      <FormNotes form={form} error={error?.text ?? null} />
      <Action kind="main" title="Set it" onPress={() => void set()} busy={busy} testID="set-password" />
    </Door>
  );
}
