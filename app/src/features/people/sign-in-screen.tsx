import { useState } from 'react';
import { useSession } from '../../data';
import { Action, Field } from '../../ui/controls';
import { Words } from '../../ui/text';
import { usePalette } from '../../ui/theme';
import { CODE_HINT } from './code-field';
import { Door } from './door';

export default function SignInScreen() {
  const p = usePalette();
  const signIn = useSession((s) => s.signIn);
  const error = useSession((s) => s.error);
  const busy = useSession((s) => s.busy);
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const codeAsked = useSession((s) => s.codeAsked);
  const [code, setCode] = useState('');
  const [missing, setMissing] = useState<{ name?: string; password?: string }>({});
  const submit = () => {
    const lacking = { ...(name.trim() ? {} : { name: 'Enter your name' }), ...(password ? {} : { password: 'Enter your password' }) };
    setMissing(lacking);
    if (Object.keys(lacking).length === 0) void signIn(name.trim(), password, codeAsked ? code.trim() : undefined);
  };
  return (
    <Door title="Mesure" text="What the camera saw, measured and checked.">
      <Field label="Name" value={name} onChangeText={setName} error={missing.name} autoComplete="username" testID="sign-in-name" />
      <Field label="Password" value={password} onChangeText={setPassword} error={missing.password} secure autoComplete="current-password" onEnter={submit} testID="sign-in-password" />
      {codeAsked && !error ? <Words role="status">The password is right. Now the code.</Words> : null}
      {codeAsked ? <Field label="Code" value={code} onChangeText={setCode} hint={CODE_HINT} autoComplete="one-time-code" onEnter={submit} testID="sign-in-code" /> : null}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      <Action kind="main" title="Sign in" onPress={submit} busy={busy} testID="sign-in" />
      <Words look="small" dim>
        Not part of a production yet? Somebody in it shows you a code to scan. Password lost? Its owner has a link for a new one.
      </Words>
    </Door>
  );
}
