import { changedFields, HIDDEN, takeField, touched, type RecordChange, type StoredRecord, type TakeBody, type TakeWords } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { historyUntil, useClock, useData, useMayWrite, useRecordsState } from '../../../data';
import { Action, Sheet } from '../../../ui/controls';
import { Failing, Loading } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

/** Everything that happened to one take: who, when, before, after; each value can be put back. */
export function TakeHistory({ take, words, onClose }: { take: StoredRecord<'take'>; words: TakeWords; onClose: () => void }) {
  const clock = useClock();
  const p = usePalette();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const waiting = useRecordsState((s) => s.outbox.filter((w) => w.recordId === take.id).length);
  const [state, setState] = useState<'loading' | 'failed' | RecordChange<'take'>[]>('loading');
  const [asked, setAsked] = useState(0);
  /** how many are wanted: a page more with each tap */
  const [wanted, setWanted] = useState(1);
  const [earlier, setEarlier] = useState(false);
  useEffect(() => {
    let here = true;
    historyUntil(session.production.id, 'take', take.id, (changes) => changes.length >= wanted)
      .then((found) => {
        if (!here) return;
        setState(found.changes);
        setEarlier(found.earlier);
      })
      .catch(() => here && setState('failed'));
    return () => {
      here = false;
    };
  }, [session.production.id, take.id, take.version, asked, wanted]);
  const shown = (body: TakeBody, key: string): string => (key === HIDDEN ? '' : takeField(key)?.text(body, words) || '–');
  const title = (key: string): string => (key === HIDDEN ? 'Hidden' : (takeField(key)?.title ?? key));
  return (
    <Sheet title={`History of ${take.body.slate} take ${take.body.take}`} open onClose={onClose}>
      {waiting > 0 ? <Words look="small" dim>{`${waiting} ${waiting === 1 ? 'change waits' : 'changes wait'} here and will stand in the history when sent.`}</Words> : null}
      {state === 'loading' ? <Loading what="the history" /> : null}
      {state === 'failed' ? (
        <Failing
          title="The history is not here"
          text="It is on the server, which cannot be reached. The take itself is on this device."
          action={{ title: 'Try again', onPress: () => setAsked(asked + 1) }}
        />
      ) : null}
      {Array.isArray(state)
        ? [...state].reverse().map((c) => {
            const keys = c.before ? changedFields(c.before, c.after).filter((k) => k === HIDDEN || takeField(k)) : [];
            return (
              <View key={c.version} style={{ paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }} testID={`history-${c.version}`}>
                <Words look="small" dim>{`${clock.stamp(c.when)} · ${c.who}`}</Words>
                {c.before === null ? <Words look="small">Logged</Words> : null}
                {c.before && keys.length === 0 ? <Words look="small">No field changed</Words> : null}
                {keys.map((k) =>
                  k === HIDDEN ? (
                    <Words key={k} look="small">
                      {c.after.deleted ? 'Hidden' : 'Brought back'}
                    </Words>
                  ) : (
                    <View key={k} style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', gap: SPACE.s }}>
                      <Words look="small" style={{ flex: 1 }}>{`${title(k)}: ${shown(c.before!.body, k)} → ${shown(c.after.body, k)}`}</Words>
                      {mayWrite ? (
                        <Action
                          kind="quiet"
                          title="Put back"
                          label={`Put ${title(k)} back to ${shown(c.before!.body, k)}`}
                          testID={`put-back-${c.version}-${k}`}
                          onPress={() => void write('take', take.id, (now) => touched(now, { [k]: c.before!.body[k as keyof TakeBody] ?? null } as Partial<TakeBody>), `${title(k)} put back`)}
                        />
                      ) : null}
                    </View>
                  ),
                )}
              </View>
            );
          })
        : null}
      {earlier && Array.isArray(state) ? <Action kind="quiet" title="Earlier changes" onPress={() => setWanted(state.length + 1)} testID="earlier-changes" /> : null}
    </Sheet>
  );
}
