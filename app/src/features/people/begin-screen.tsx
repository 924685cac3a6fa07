import { useKeptForm, bodyProblems, FormNotes, TextField } from '../../forms';
import { api } from '../../data';
import { Action, Section } from '../../ui/controls';
import { Failing, Loading } from '../../ui/states';
import { ProductionFields, productionOf, usualProduction, type ProductionText } from '../days/production-form';
import { Door } from './door';
import { useGoIn, useLinkSays } from './use-link';

interface BeginText extends ProductionText {
  person: string;
  password: string;
}

/** The first person of an installation names the film and himself. */
export function BeginScreen() {
  const link = useLinkSays('begin');
  if (link.status === 'looking') return <Loading what="the link" />;
  if (link.status === 'bad')
    return (
      <Door title="Mesure" text="Nobody begins here with this link.">
        <Failing title="The link is not good" text={`${link.why} Who started the server finds a new one in its output, or with bin/admin begin-link.`} />
      </Door>
    );
  return <Begin token={link.token} />;
}

function Begin({ token }: { token: string }) {
  const { go, busy, error } = useGoIn();
  // the password is never kept on the device: it is asked for again after a reload
  const form = useKeptForm<BeginText>('begin', { ...usualProduction(), person: '', password: '' }, async (v) => [
    ...(await bodyProblems('production', productionOf(v))),
    ...(v.person.trim() ? [] : [{ field: 'person', message: 'is empty' }]),
    ...(v.password.length >= 10 ? [] : [{ field: 'password', message: 'needs 10 characters or more' }]),
  ]);
  const begin = form.handleSubmit(async (v) => {
    if (await go(() => api.begin({ token, production: productionOf(v), name: v.person, password: v.password }), '/kit')) form.done();
  });
  return (
    <Door title="Begin your film" text="You are the first here. What you choose now holds for everybody, and can be changed later.">
      <ProductionFields form={form} />
      <Section title="You">
        <TextField form={form} name="person" label="Your name, as the crew knows you" autoComplete="username" testID="person-name" />
        <TextField form={form} name="password" label="Password" secure autoComplete="new-password" hint="10 characters or more; a few words are best" testID="person-password" />
      </Section>
      <FormNotes form={form} error={error?.text ?? null} />
      <Action kind="main" title="Begin the film" onPress={() => void begin()} busy={busy} testID="begin" />
    </Door>
  );
}
