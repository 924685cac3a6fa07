import { useState } from 'react';
import { ScrollView, View } from 'react-native';
import Svg, { Line, Rect } from 'react-native-svg';
import { useSession } from '../../data';
import { Action, Field } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

export default function SignInScreen() {
  const p = usePalette();
  const signIn = useSession((s) => s.signIn);
  const error = useSession((s) => s.error);
  const busy = useSession((s) => s.busy);
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [missing, setMissing] = useState<{ name?: string; password?: string }>({});
  const submit = () => {
    const lacking = { ...(name.trim() ? {} : { name: 'Enter your name' }), ...(password ? {} : { password: 'Enter your password' }) };
    setMissing(lacking);
    if (Object.keys(lacking).length === 0) void signIn(name.trim(), password);
  };
  return (
    <ScrollView style={{ flex: 1, backgroundColor: p.paper }} contentContainerStyle={{ flexGrow: 1, justifyContent: 'center', padding: SPACE.l }}>
      <View role="main" style={{ width: '100%', maxWidth: 420, alignSelf: 'center', gap: SPACE.s }}>
        <Svg width={200} height={26} viewBox="0 0 200 26" aria-hidden>
          <Rect x={0} y={0} width={200} height={26} fill={p.tape} />
          {Array.from({ length: 41 }, (_, i) => (
            <Line key={i} x1={i * 5} x2={i * 5} y1={0} y2={i % 10 === 0 ? 18 : i % 5 === 0 ? 13 : 8} stroke={p.onTape} strokeWidth={i % 10 === 0 ? 2 : 1} />
          ))}
        </Svg>
        <Words look="title" level={1}>
          Mesure
        </Words>
        <Words dim>What the camera saw, measured and checked.</Words>
        <View style={{ height: SPACE.m }} />
        <Field label="Name" value={name} onChangeText={setName} error={missing.name} autoComplete="username" testID="sign-in-name" />
        <Field label="Password" value={password} onChangeText={setPassword} error={missing.password} secure autoComplete="current-password" onEnter={submit} testID="sign-in-password" />
        {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
        <Action kind="main" title="Sign in" onPress={submit} busy={busy} testID="sign-in" />
      </View>
    </ScrollView>
  );
}
