import { LACK_TIMES, type AbsenceBody, type LackTime, type MissingThing } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useData, useMayWrite, useRecordsState } from '../../data';
import { bodyProblems, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, IconAction, Row, Section, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

/** Until when it can still be had, most pressing first. */
const TITLES: Record<LackTime, string> = {
  set: 'While the set stands',
  kit: 'While the camera is built like this',
  notes: 'From notes or memory',
  desk: 'At the desk',
  gone: 'Lost',
};

/** Where a lack is filled; a file that is lost leads nowhere. */
function wayTo(m: MissingThing): Href | null {
  if (m.takeId === null) return null;
  if (m.code.startsWith('plate ')) return '/kit' as Href;
  if (['tracks', 'solve', 'stale', 'rest', 'scale', 'contradiction'].includes(m.code)) return `/check/${m.takeId}` as Href;
  return `/floor/take/${m.takeId}?to=${m.code}` as Href;
}

/** What is missing, grouped by what one can still do about it; what cannot be had is answered, and the answer leaves with the day. */
export function MissingList({ dayId, missing, onChanged }: { dayId: string; missing: readonly MissingThing[]; onChanged: () => void }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const [asked, setAsked] = useState<MissingThing | null>(null);
  const open = missing.filter((m) => !m.answer);
  return (
    <>
      {LACK_TIMES.map((until) => {
        const these = open.filter((m) => m.until === until);
        if (these.length === 0) return null;
        return (
          <Section key={until} title={TITLES[until]} fold={`wrap-${until}`} short={these.length === 1 ? '1 thing' : `${these.length} things`}>
            <View style={{ marginHorizontal: -SPACE.m }}>
              {these.map((m) => {
                const way = wayTo(m);
                return (
                  <View key={`${m.takeId} ${m.code}`} style={{ flexDirection: 'row', alignItems: 'center' }}>
                    <View style={{ flex: 1 }}>
                      <Row title={m.what} detail={m.take} onPress={way === null ? undefined : () => router.push(way)} />
                    </View>
                    {mayWrite ? <IconAction icon="not-interested" label={`It cannot be had: ${m.what}, ${m.take}`} onPress={() => setAsked(m)} /> : null}
                  </View>
                );
              })}
            </View>
          </Section>
        );
      })}
      <Answered missing={missing} onChanged={onChanged} />
      <Sheet title="It cannot be had" open={asked !== null} onClose={() => setAsked(null)}>
        {asked ? (
          <Reason
            key={`${asked.takeId} ${asked.code}`}
            dayId={dayId}
            of={asked}
            onDone={() => {
              setAsked(null);
              onChanged();
            }}
          />
        ) : null}
      </Sheet>
    </>
  );
}

function Reason({ dayId, of, onDone }: { dayId: string; of: MissingThing; onDone: () => void }) {
  const { session } = useData();
  const write = useRecordsState((s) => s.write);
  const bodyOf = (reason: string): AbsenceBody => ({ dayId, takeId: of.takeId, code: of.code, what: of.what.slice(0, 400), reason: reason.trim(), by: session.name, at: new Date().toISOString() });
  const form = useKeptForm(`absence ${of.takeId} ${of.code}`, { reason: '' }, (v) => bodyProblems<AbsenceBody>('absence', bodyOf(v.reason)));
  const keep = form.handleSubmit(async (v) => {
    await write('absence', newId(), bodyOf(v.reason), 'Answered; it leaves with the day');
    form.done();
    onDone();
  });
  return (
    <View testID="reason">
      <Words>{`${of.what}, ${of.take}`}</Words>
      <TextField form={form} name="reason" label="Because" hint="Leaves in the handover, so that nobody has to ask" multiline testID="reason-text" />
      <FormNotes form={form} />
      <Action kind="main" title="Keep the reason" onPress={() => void keep()} testID="keep-reason" />
    </View>
  );
}

/** What was answered stays in sight, and can be taken back. */
function Answered({ missing, onChanged }: { missing: readonly MissingThing[]; onChanged: () => void }) {
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const these = missing.filter((m) => m.answer);
  if (these.length === 0) return null;
  return (
    <Section title="Cannot be had" fold="wrap-answered" short={these.length === 1 ? '1 answered' : `${these.length} answered`}>
      <View style={{ marginHorizontal: -SPACE.m }}>
        {these.map((m) => (
          <Row
            key={`${m.takeId} ${m.code}`}
            title={`${m.what}: ${m.answer!.reason}`}
            detail={`${m.take} · ${m.answer!.by}, ${m.answer!.at.slice(0, 16).replace('T', ' ')}`}
            right={
              mayWrite ? (
                <Action
                  kind="quiet"
                  title="Take back"
                  label={`Take back the reason: ${m.what}, ${m.take}`}
                  onPress={() => {
                    void write('absence', m.answer!.id, (now) => now, 'Reason taken back', true).then(onChanged);
                  }}
                />
              ) : undefined
            }
          />
        ))}
      </View>
    </Section>
  );
}
