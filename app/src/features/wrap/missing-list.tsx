import { LACK_TIMES, type AbsenceBody, type LackTime, type MissingThing } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useClock, useData, useMayWrite, useRecordsState } from '../../data';
import { bodyProblems, ChoiceField, FormNotes, TextField, useKeptForm } from '../../forms';
import { Action, Row, Section, Sheet } from '../../ui/controls';
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
  if (['tracks', 'solve', 'stale', 'rest', 'leans', 'scale', 'contradiction'].includes(m.code)) return `/check/${m.takeId}` as Href;
  return `/floor/take/${m.takeId}?to=${m.code}` as Href;
}

/** What is missing, grouped by what one can still do about it; what cannot be had is answered, and the answer leaves with the day. */
export function MissingList({ dayId, missing, onChanged }: { dayId: string; missing: readonly MissingThing[]; onChanged: () => void }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const [asked, setAsked] = useState<MissingThing[]>([]);
  const open = missing.filter((m) => !m.answer);
  return (
    <>
      {LACK_TIMES.map((until) => {
        const these = open.filter((m) => m.until === until);
        if (these.length === 0) return null;
        return (
          <Section key={until} title={TITLES[until]} fold={`wrap-${until}`} short={these.length === 1 ? '1 thing' : `${these.length} things`}>
            <View style={{ marginHorizontal: -SPACE.m }}>
              {ofOne(these).map((group) => {
                const way = wayTo(group[0]);
                const { take } = group[0];
                return (
                  <View key={`${take} ${group[0].code}`} style={{ flexDirection: 'row', alignItems: 'center' }}>
                    <View style={{ flex: 1 }}>
                      <Row title={take} detail={group.map((m) => m.what).join(', ')} onPress={way === null ? undefined : () => router.push(way)} />
                    </View>
                    {mayWrite ? <Action kind="quiet" title="Why not" label={`It cannot be had: ${take}`} onPress={() => setAsked(group)} /> : null}
                  </View>
                );
              })}
            </View>
          </Section>
        );
      })}
      <Answered missing={missing} onChanged={onChanged} />
      <Sheet title="It cannot be had" open={asked.length > 0} onClose={() => setAsked([])}>
        {asked.length > 0 ? (
          <Reason
            key={`${asked[0].take} ${asked[0].until}`}
            dayId={dayId}
            of={asked}
            onDone={() => {
              setAsked([]);
              onChanged();
            }}
          />
        ) : null}
      </Sheet>
    </>
  );
}

/** What one take lacks until the same moment stands in one line. */
function ofOne(things: readonly MissingThing[]): MissingThing[][] {
  const groups = new Map<string, MissingThing[]>();
  // a plate is of its lens, and is shot elsewhere than a take is corrected
  for (const m of things) {
    const key = `${m.take} ${m.code.startsWith('plate ') ? m.code : ''}`;
    groups.set(key, [...(groups.get(key) ?? []), m]);
  }
  return [...groups.values()];
}

function Reason({ dayId, of, onDone }: { dayId: string; of: readonly MissingThing[]; onDone: () => void }) {
  const { session } = useData();
  const writeMany = useRecordsState((s) => s.writeMany);
  const bodyOf = (m: MissingThing, reason: string): AbsenceBody => ({
    dayId,
    takeId: m.takeId,
    code: m.code,
    what: m.what.slice(0, 400),
    reason: reason.trim(),
    by: session.name,
    at: new Date().toISOString(),
  });
  const pick = (code: string): MissingThing[] => (code === 'all' ? [...of] : of.filter((m) => m.code === code));
  const form = useKeptForm(`absence ${of[0].take} ${of[0].until}`, { code: of[0].code, reason: '' }, (v) => bodyProblems<AbsenceBody>('absence', bodyOf(of[0], v.reason)));
  const keep = form.handleSubmit(async (v) => {
    await writeMany(
      pick(v.code).map((m) => ({ kind: 'absence' as const, id: newId(), change: bodyOf(m, v.reason) })),
      'Answered; it leaves with the day',
    );
    form.done();
    onDone();
  });
  return (
    <View testID="reason">
      <Words>{of[0].take}</Words>
      {of.length > 1 ? (
        <ChoiceField form={form} name="code" label="What" options={[...of.map((m) => ({ value: m.code, title: m.what })), { value: 'all', title: 'all of these' }]} />
      ) : (
        <Words dim>{of[0].what}</Words>
      )}
      <TextField form={form} name="reason" label="Because" hint="Leaves in the handover, so that nobody has to ask" multiline testID="reason-text" />
      <FormNotes form={form} />
      <Action kind="main" title="Keep the reason" onPress={() => void keep()} testID="keep-reason" />
    </View>
  );
}

/** What was answered stays in sight, and can be taken back. */
function Answered({ missing, onChanged }: { missing: readonly MissingThing[]; onChanged: () => void }) {
  const clock = useClock();
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
            detail={`${m.take} · ${m.answer!.by}, ${clock.stamp(m.answer!.at)}`}
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
