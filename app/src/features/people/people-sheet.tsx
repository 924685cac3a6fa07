import { may, ROLE_WORDS, rolesBelow, type CrewMember, type Invitation, type NewInvitation, type Role } from '@mesure/contract';
import { useCallback, useEffect, useState } from 'react';
import { View } from 'react-native';
import { api, useClock, useData, useSession } from '../../data';
import { Action, Choice, Row, Section, Sheet } from '../../ui/controls';
import { Qr } from '../../ui/qr';
import { Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { AccountSection } from './account-section';

type Crew = { status: 'loading' } | { status: 'failed'; why: string } | { status: 'ready'; people: CrewMember[]; invitations: Invitation[] };

/** "just now", "3 h ago", "2 days ago" */
export function ago(iso: string | null, now = Date.now()): string {
  if (!iso) return 'not signed in';
  const minutes = Math.round((now - Date.parse(iso)) / 60_000);
  if (minutes < 10) return 'here now';
  if (minutes < 60) return `${minutes} min ago`;
  return minutes < 2880 ? `${Math.round(minutes / 60)} h ago` : `${Math.round(minutes / 1440)} days ago`;
}

/** Who is here with which role; an invitation as a code that the next person scans from this screen; what is one's own. */
export function PeopleSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const { session } = useData();
  const productionId = session.production.id;
  const mayInvite = may(session.role, 'invite');
  const [crew, setCrew] = useState<Crew>({ status: 'loading' });
  const [chosen, setChosen] = useState<string | null>(null);
  const load = useCallback(async () => {
    try {
      const [{ people }, { invitations }] = await Promise.all([api.people(productionId), mayInvite ? api.invitations(productionId) : { invitations: [] }]);
      setCrew({ status: 'ready', people, invitations });
    } catch (e) {
      setCrew({ status: 'failed', why: e instanceof Error ? e.message : String(e) });
    }
  }, [productionId, mayInvite]);
  useEffect(() => {
    if (open) void load();
  }, [open, load]);
  const person = crew.status === 'ready' ? crew.people.find((q) => q.id === chosen) : undefined;
  return (
    <Sheet title="Who is here" open={open} onClose={onClose}>
      {crew.status === 'loading' ? <Loading what="the people" /> : null}
      {crew.status === 'failed' ? (
        <Failing title="People are on the server" text={`${crew.why} What you enter is kept here meanwhile.`} action={{ title: 'Try again', onPress: () => void load() }} />
      ) : null}
      {person ? (
        <OnePerson
          person={person}
          onDone={() => {
            setChosen(null);
            void load();
          }}
        />
      ) : crew.status === 'ready' ? (
        <>
          <View style={{ marginHorizontal: -SPACE.m }}>
            {crew.people.map((q) => (
              <Row
                key={q.id}
                testID={`person-${q.name}`}
                title={`${q.name}${q.you ? '  · you' : ''}`}
                detail={[q.role, ago(q.seen), q.waiting > 0 ? `▲ ${q.waiting} not sent yet` : null].filter(Boolean).join(' · ')}
                onPress={may(session.role, 'people') || q.you ? () => setChosen(q.id) : undefined}
              />
            ))}
          </View>
          {mayInvite ? <Invite invitations={crew.invitations} onChanged={load} /> : null}
        </>
      ) : null}
      <AccountSection />
    </Sheet>
  );
}

function Invite({ invitations, onChanged }: { invitations: Invitation[]; onChanged: () => Promise<void> }) {
  const clock = useClock();
  const p = usePalette();
  const { session } = useData();
  const roles = rolesBelow(session.role);
  const [role, setRole] = useState<Role>('wrangler');
  const [made, setMade] = useState<(NewInvitation & { link: string }) | null>(null);
  const [trust, setTrust] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const invite = async () => {
    setError(null);
    try {
      const network = await api.network().catch(() => ({ addresses: [], trustAddress: null }));
      const invitation = await api.invite(session.production.id, role);
      setMade({ ...invitation, link: `${reachable(network.addresses)}/join#${invitation.token}` });
      setTrust(network.trustAddress);
      await onChanged();
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <Section title="Invite somebody">
      <Choice<Role> label="As" value={role} options={roles.map((r) => ({ value: r, title: r, detail: ROLE_WORDS[r] }))} onChange={setRole} />
      <Action kind="main" icon="qr-code" title={`Invite a ${role}`} onPress={() => void invite()} testID="invite" />
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {made ? (
        <View style={{ alignItems: 'center', gap: SPACE.s, marginTop: SPACE.m }} testID="invitation">
          <Qr text={made.link} label={`Code of the invitation as ${made.role}`} />
          <Words look="small" selectable testID="invitation-link" style={{ wordBreak: 'break-all' } as object}>
            {made.link}
          </Words>
          <Words look="small" dim>{`Good once, until ${clock.stamp(made.expiresAt)} ${clock.words(made.expiresAt)}. It is shown only now.`}</Words>
          {trust ? (
            <>
              <Words look="small">A phone that was never here scans this one first, to trust the machine:</Words>
              <Qr text={trust} sizePx={150} label="Code of the page that explains how to trust this machine" />
            </>
          ) : null}
          <Action kind="quiet" icon="content-copy" title="Copy the link" onPress={() => void navigator.clipboard?.writeText(made.link)} />
        </View>
      ) : null}
      {invitations.length > 0 ? (
        <View style={{ marginTop: SPACE.m, marginHorizontal: -SPACE.m }}>
          {invitations.map((i) => (
            <Row
              key={i.id}
              title={`Invitation as ${i.role}`}
              detail={`by ${i.madeBy}, good until ${clock.stamp(i.expiresAt)} ${clock.words(i.expiresAt)}`}
              right={<Action kind="quiet" title="Take back" onPress={() => void api.takeInvitationBack(session.production.id, i.id).then(onChanged, (e: Error) => setError(e.message))} />}
            />
          ))}
        </View>
      ) : null}
    </Section>
  );
}

/** On the machine itself the page is at an address that no phone finds. */
function reachable(addresses: readonly string[]): string {
  const here = location.origin;
  return /\/\/(127\.|localhost|\[::1\])/.test(here) && addresses[0] ? addresses[0] : here;
}

function OnePerson({ person, onDone }: { person: CrewMember; onDone: () => void }) {
  const p = usePalette();
  const { session } = useData();
  const accept = useSession((s) => s.accept);
  const signOut = useSession((s) => s.signOut);
  const mayManage = may(session.role, 'people');
  const [link, setLink] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [sure, setSure] = useState(false);
  const attempt = (work: () => Promise<void>) => work().catch((e: unknown) => setError(e instanceof Error ? e.message : String(e)));
  const remove = () =>
    attempt(async () => {
      await api.removePerson(session.production.id, person.id);
      // out of this one: into another production, or out
      if (person.you) await api.session().then(accept, signOut);
      onDone();
    });
  return (
    <View style={{ gap: SPACE.s }} testID="one-person">
      <Words look="heading" level={3}>
        {person.name}
      </Words>
      <Words dim>{`${person.role} · ${ago(person.seen)}`}</Words>
      {person.waiting > 0 ? (
        <Words testID="person-waiting">{`▲ ${person.waiting} not sent yet from ${person.you ? 'your devices' : 'devices of this person'} when they were here last. It is kept there, and nowhere else.`}</Words>
      ) : null}
      {mayManage ? (
        <Choice<Role>
          label="Role"
          value={person.role}
          options={rolesBelow(session.role).map((r) => ({ value: r, title: r, detail: ROLE_WORDS[r] }))}
          onChange={(role) =>
            void attempt(async () => {
              await api.giveRole(session.production.id, person.id, role);
              if (person.you) accept(await api.session(session.production.id));
              onDone();
            })
          }
        />
      ) : null}
      {mayManage && !person.you ? (
        <Action
          icon="key"
          title="Link for a new password"
          onPress={() => void attempt(async () => setLink(`${location.origin}/password#${(await api.passwordLink(session.production.id, person.id)).token}`))}
        />
      ) : null}
      {link ? (
        <View style={{ alignItems: 'center', gap: SPACE.s }}>
          <Qr text={link} label="Code of the link for a new password" />
          <Words look="small" selectable>
            {link}
          </Words>
        </View>
      ) : null}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error}`}</Words> : null}
      {sure ? (
        <>
          <Words>
            {person.you ? 'You leave this production. What you entered stays and keeps your name.' : `${person.name} no longer sees this production. What was entered stays and keeps the name.`}
          </Words>
          <Action title={person.you ? 'Leave the production' : `Remove ${person.name}`} icon="person-remove" onPress={() => void remove()} testID="remove-for-sure" />
        </>
      ) : (
        <Action kind="quiet" title={person.you ? 'Leave the production …' : `Remove ${person.name} …`} onPress={() => setSure(true)} testID="remove-person" />
      )}
      <Action title="Back to all people" icon="arrow-back" onPress={onDone} />
    </View>
  );
}
