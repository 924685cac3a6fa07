import { HIDDEN, KINDS, takeField, type RecordKind, type FieldClash, type RecordState, type TakeBody, type TakeWords, withoutFiles } from '@mesure/contract';
import { useState } from 'react';
import { ScrollView, View } from 'react-native';
import { useClock, useRecordsState, type Side, type Waiting } from '../../data';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { useTakeWords } from '../floor/use-floor';
import { PhoneRoomLine } from './phone-room';

/** What waits on this device, and what needs the person: both sides of a field that two people changed, decided with one tap. */
export function OutboxList() {
  const outbox = useRecordsState((s) => s.outbox);
  const send = useRecordsState((s) => s.send);
  const last = useRecordsState((s) => s.undoStack[s.undoStack.length - 1]);
  const undo = useRecordsState((s) => s.undo);
  const onlyHere = useRecordsState((s) => s.onlyHere);
  const giveBack = useRecordsState((s) => s.giveBack);
  const letGo = useRecordsState((s) => s.letGo);
  const needs = outbox.filter((w) => w.state !== 'waiting');
  const waits = outbox.filter((w) => w.state === 'waiting');
  return (
    <ScrollView>
      {onlyHere.length > 0 ? (
        <View style={{ gap: SPACE.s, marginBottom: SPACE.m }} testID="only-here">
          <Words look="heading">{`◆ ${onlyHere.length} only on this device`}</Words>
          <Words look="small">The server was put back to an earlier state and no longer has these. They are safe here until you decide.</Words>
          {onlyHere.slice(0, 8).map((r) => (
            <Words key={r.id} look="small">{`${KINDS[r.kind].noun} ${nameOf(r)}, by ${r.updatedBy}`}</Words>
          ))}
          {onlyHere.length > 8 ? <Words look="small" dim>{`and ${onlyHere.length - 8} more`}</Words> : null}
          <Action kind="main" icon="upload" title="Give them back to the server" onPress={() => void giveBack()} testID="give-back" />
          <Action kind="quiet" title="Let them go" onPress={() => void letGo()} testID="let-go" />
        </View>
      ) : null}
      {outbox.length === 0 ? <Words dim>Everything is sent. Nothing waits on this device.</Words> : null}
      {needs.map((w) => (
        <NeedsYou key={w.seq} item={w} />
      ))}
      {waits.map((w) => (
        <View key={w.seq} style={{ paddingVertical: SPACE.s }}>
          <Words>{`${waitingName(w)}${w.write.deleted ? ', hidden' : ''}: waits for the network`}</Words>
        </View>
      ))}
      {outbox.length > 0 ? <Action title="Send now" icon="send" onPress={() => void send()} /> : null}
      <View style={{ marginTop: SPACE.m }}>
        <PhoneRoomLine />
      </View>
      {last ? (
        <View style={{ marginTop: SPACE.m }}>
          <Action icon="undo" title={`Undo: ${last.label}`} onPress={() => void undo()} testID="undo-last" />
        </View>
      ) : null}
    </ScrollView>
  );
}

/** Which one it is, as its kind tells it. */
const nameOf = ({ kind, body }: { kind: RecordKind; body: RecordState['body'] }): string => (KINDS[kind].tell as (b: unknown) => string)(body);
/** A waiting change in the words of the day. */
const waitingName = (w: Waiting): string => (w.kind === 'take' ? nameOf({ kind: w.kind, body: w.write.body }) : `${KINDS[w.kind].noun} ${nameOf({ kind: w.kind, body: w.write.body })}`);

function NeedsYou({ item }: { item: Waiting }) {
  const p = usePalette();
  const decide = useRecordsState((s) => s.decide);
  const words = useTakeWords();
  const [sides, setSides] = useState<Record<string, Side>>({});
  const clashes = item.clashes ?? [];
  const choose = (field: string, side: Side) => {
    const next = { ...sides, [field]: side };
    setSides(next);
    // the last open field decides: with one field that is one tap
    if (clashes.every((c) => next[c.field])) void decide(item.seq!, next);
  };
  return (
    <View style={{ paddingVertical: SPACE.s, gap: SPACE.s, borderBottomWidth: 1, borderColor: p.line }} testID={`needs-${item.recordId}`}>
      <Words look="heading">{`◆ ${waitingName(item)}`}</Words>
      {clashes.length === 0 ? (
        <>
          <Words look="small">{item.message}</Words>
          <View style={{ flexDirection: 'row', gap: SPACE.s, flexWrap: 'wrap' }}>
            {item.state === 'conflict' ? <Action title="Keep mine" onPress={() => void decide(item.seq!, 'mine')} /> : null}
            {item.files && withoutFiles(item.write.body, new Set(item.files.map((f) => f.sha256))) ? (
              <Action
                title={`Send it without ${item.files.length === 1 ? item.files[0].name : `these ${item.files.length} files`}`}
                onPress={() => void decide(item.seq!, 'without its files')}
                testID={`without-files-${item.recordId}`}
              />
            ) : null}
            <Action title={item.state === 'conflict' ? 'Take theirs' : 'Drop this change'} onPress={() => void decide(item.seq!, 'theirs')} />
          </View>
        </>
      ) : (
        clashes.map((c) => <Clash key={c.field} item={item} clash={c} chosen={sides[c.field] ?? null} words={words} onChoose={(side) => choose(c.field, side)} />)
      )}
    </View>
  );
}

function Clash({ item, clash, chosen, words, onChoose }: { item: Waiting; clash: FieldClash; chosen: Side | null; words: TakeWords; onChoose: (side: Side) => void }) {
  const clock = useClock();
  const title =
    clash.field === HIDDEN ? 'Hidden' : item.kind === 'take' ? (takeField(clash.field)?.title ?? clash.field) : ((KINDS[item.kind].fields as Record<string, string>)[clash.field] ?? clash.field);
  const mine = shown(item, item.write, clash.field, words);
  const theirs = shown(item, item.current!, clash.field, words);
  return (
    <View style={{ gap: SPACE.xs }}>
      <Words look="small">{`${title}: both of you changed it.`}</Words>
      <Action title={`Mine: ${mine}${chosen === 'mine' ? '  ✓' : ''}`} onPress={() => onChoose('mine')} testID={`mine-${clash.field}`} />
      <Action title={`${clash.who}, ${clock.time(clash.when)}: ${theirs}${chosen === 'theirs' ? '  ✓' : ''}`} onPress={() => onChoose('theirs')} testID={`theirs-${clash.field}`} />
    </View>
  );
}

function shown(item: Waiting, state: RecordState, field: string, words: TakeWords): string {
  if (field === HIDDEN) return state.deleted ? 'hide it' : 'keep it';
  if (item.kind === 'take') {
    const known = takeField(field);
    if (known) return known.text(state.body as TakeBody, words) || 'nothing';
  }
  const value = (state.body as unknown as Record<string, unknown>)[field];
  if (value === undefined || value === null || value === '') return 'nothing';
  return typeof value === 'object' ? (Array.isArray(value) ? `${value.length} entries` : 'another one') : String(value);
}
