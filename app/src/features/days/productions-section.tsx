import type { ProductionBody } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, onto, useAll, useData, useMay, useRecordsState, useSession, useTrouble } from '../../data';
import { Action, Row, Section } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { ProductionForm } from './production-form';
import { EndForm } from './end-form';
import { ServerPart } from './server-part';
import { SpaceLine } from './space-line';
import { dateWords, useProduction } from './use-day';

/** This production's own settings, the others of this person, a further one, and the demo film beside one's own. */
export function ProductionsSection({ onGone }: { onGone: () => void }) {
  const p = usePalette();
  const router = useRouter();
  const { session } = useData();
  const body = useProduction();
  const record = useAll('production')[0];
  const switchTo = useSession((s) => s.switchTo);
  const accept = useSession((s) => s.accept);
  const mayDirect = useMay('direct');
  const mayRemove = useMay('people');
  const waiting = useRecordsState((s) => s.outbox.length);
  const trouble = useTrouble();
  const write = useRecordsState((s) => s.write);
  const [doing, setDoing] = useState<'settings' | 'new' | 'end' | 'server' | null>(null);
  const [busy, setBusy] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [base, setBase] = useState(body);
  const owns = session.productions.some((q) => q.role === 'owner' && !q.demo);
  const here = session.productions.find((q) => q.id === session.production.id);
  const hasDemo = session.productions.some((q) => q.demo);

  /** Elsewhere: another production's day and places begin at the floor. */
  async function go(what: string, work: () => Promise<void>) {
    if (trouble && trouble.unkept > 0) {
      setError(`${trouble.why} What is in this page only (${trouble.unkept}) would go with it: stay here until all is sent.`);
      return;
    }
    setBusy(what);
    setError(null);
    try {
      await work();
      onGone();
      router.replace('/floor');
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(null);
    }
  }
  async function keep() {
    setBusy('keep');
    setError(null);
    try {
      await api.keepProduction(session.production.id);
      accept(await api.session(session.production.id));
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(null);
    }
  }
  const removeDemo = () =>
    go('remove', async () => {
      await api.removeDemo(session.production.id);
      accept(await api.session());
    });

  if (doing === 'settings')
    return (
      <Section title="What holds for this production">
        <ProductionForm
          key="settings"
          draft={`production ${session.production.id}`}
          initial={base}
          title="Keep it"
          onKeep={async (next) => {
            await write('production', record?.id ?? newId(), (now: ProductionBody | undefined) => (now ? onto('production', base, { ...base, ...next })(now) : next), 'Production kept');
            setDoing(null);
          }}
          onBack={() => setDoing(null)}
        />
      </Section>
    );
  if (doing === 'new')
    return (
      <Section title="Another production">
        <ProductionForm
          key="new"
          draft="new production"
          initial={{ ...body, name: '' }}
          title="Begin it"
          onKeep={(next) => go('new', async () => accept(await api.makeProduction(next)))}
          onBack={() => setDoing(null)}
        />
      </Section>
    );
  if (doing === 'end')
    return (
      <Section title="Remove this film">
        <EndForm
          onEnd={async (name) => {
            await api.endProduction(session.production.id, name);
            accept(await api.session(session.production.id));
            setDoing(null);
          }}
          onBack={() => setDoing(null)}
        />
      </Section>
    );
  if (doing === 'server')
    return (
      <Section title="State of the server">
        <ServerPart onClose={() => setDoing(null)} />
      </Section>
    );
  return (
    <Section title="Productions">
      <View style={{ marginHorizontal: -SPACE.m }}>
        {session.productions.map((q) => (
          <Row
            key={q.id}
            testID={`production-${q.name}`}
            title={`${q.name}${q.demo ? '  · demo' : ''}`}
            detail={`as ${q.role}${q.ends ? ` · removed for good on ${dateWords(q.ends.at.slice(0, 10))}` : ''}`}
            selected={q.id === session.production.id}
            onPress={q.id === session.production.id ? undefined : () => void go('switch', () => switchTo(q.id))}
          />
        ))}
      </View>
      {waiting > 0 && session.productions.length > 1 ? (
        <Words look="small">{`${waiting} entries of this production wait on this device; they go when you come back to it with a network.`}</Words>
      ) : null}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      <SpaceLine />
      <View style={{ marginTop: SPACE.s, marginLeft: -SPACE.l, alignItems: 'flex-start' }}>
        {mayRemove ? <Action kind="quiet" icon="dns" title="State of the server" onPress={() => setDoing('server')} testID="open-server" /> : null}
        {mayDirect ? (
          <Action
            kind="quiet"
            icon="tune"
            title="Frame rate, unit, numbering"
            onPress={() => {
              setBase(body);
              setDoing('settings');
            }}
            testID="production-settings"
          />
        ) : null}
        {owns ? <Action kind="quiet" icon="add" title="Another production" onPress={() => setDoing('new')} testID="new-production" /> : null}
        {owns && !hasDemo ? (
          <Action
            kind="quiet"
            icon="movie"
            title={busy === 'demo' ? 'Rendering the demo film …' : 'Look around in the demo film'}
            busy={busy === 'demo'}
            onPress={() => void go('demo', async () => accept(await api.addDemo()))}
            testID="add-demo"
          />
        ) : null}
        {here && !here.demo && mayRemove && !here.ends ? <Action kind="quiet" icon="delete-outline" title="Remove this film …" onPress={() => setDoing('end')} testID="end-production" /> : null}
        {here?.ends && mayRemove ? <Action kind="quiet" icon="undo" title={`Keep ${here.name}`} busy={busy === 'keep'} onPress={() => void keep()} testID="keep-film" /> : null}
        {here?.demo && mayRemove && owns ? (
          <Action kind="quiet" icon="delete-outline" title="Remove the demo film" busy={busy === 'remove'} onPress={() => void removeDemo()} testID="remove-demo" />
        ) : null}
      </View>
    </Section>
  );
}
