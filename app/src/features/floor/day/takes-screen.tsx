import { takeField, takeLacks, TAKE_FIELDS, type PlanBody, type StoredRecord, type TakeBody, type TakeWords } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { useAll, useClock, useRecordsState } from '../../../data';
import { Action, Choice, Field, Row } from '../../../ui/controls';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { useFloor, useTakeWords } from '../use-floor';
import { takeWords } from './setup-board';

const FILTERS = ['all', 'something missing', 'no height', 'no focus', 'circled', 'hidden'] as const;
type Filter = (typeof FILTERS)[number];
/** A page of them; the rest on request. */
const AT_ONCE = 60;

/** Every text of a take, in small letters: what a search looks through. */
export const searchText = (t: TakeBody, setupName: string, words: TakeWords): string =>
  [setupName, `${t.slate} take ${t.take}`, ...TAKE_FIELDS.map((f) => f.text(t, words)), ...(t.witnesses ?? []).map((w) => w.clip)].join(' ').toLowerCase();

/** All takes of the production: found by any word in them, filtered by what they lack. */
export function TakesScreen() {
  return (
    <RecordsGate what="the takes">
      <Takes />
    </RecordsGate>
  );
}

function Takes() {
  const clock = useClock();
  const router = useRouter();
  const words = useTakeWords();
  const floor = useFloor();
  const records = useRecordsState((s) => s.records);
  const setups = useAll('setup');
  const plans = useAll('plan');
  const [text, setText] = useState('');
  const [filter, setFilter] = useState<Filter>('all');
  const [limit, setLimit] = useState(AT_ONCE);
  const takes = useMemo(() => Object.values(records).filter((r): r is StoredRecord<'take'> => r.kind === 'take'), [records]);
  const planOf = (setupId: string): PlanBody | null => plans.find((q) => q.body.setupId === setupId)?.body ?? null;
  const nameOf = (setupId: string): string => setups.find((s) => s.id === setupId)?.body.name ?? '';
  const wanted = text.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const passes = (t: StoredRecord<'take'>): boolean => {
    if (t.deleted !== (filter === 'hidden')) return false;
    if (filter === 'circled' && !t.body.circled) return false;
    if (filter === 'no height' && t.body.height) return false;
    if (filter === 'no focus' && t.body.focusM !== null) return false;
    if (filter === 'something missing' && takeLacks(t.body, planOf(t.body.setupId), floor).length === 0) return false;
    if (wanted.length === 0) return true;
    const all = searchText(t.body, nameOf(t.body.setupId), words);
    return wanted.every((w) => all.includes(w));
  };
  const found = takes.filter(passes).sort((a, b) => (a.body.loggedAt < b.body.loggedAt ? 1 : -1));
  return (
    <Page>
      <Words look="title" level={1}>
        Find takes
      </Words>
      <Field label="Any word: scene, clip, lens, note" value={text} onChangeText={setText} testID="search-takes" />
      <Choice label="Only" value={filter} options={FILTERS.map((f) => ({ value: f, title: f }))} onChange={setFilter} />
      <Words dim testID="found-count">{`${found.length} of ${takes.filter((t) => !t.deleted).length} takes`}</Words>
      {found.length === 0 ? <Empty title="No take fits" text="Take a word out, or choose another filter." /> : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {found.slice(0, limit).map((t) => (
          <Row
            key={t.id}
            testID={`found-${t.body.slate}-${t.body.take}`}
            title={`${t.body.slate} take ${t.body.take}${t.body.circled ? '  ◎ circled' : ''}${t.deleted ? ', hidden' : ''}`}
            detail={`${nameOf(t.body.setupId)} · ${t.body.clip ?? ''} · ${takeWords(
              t.body,
              words,
              takeLacks(t.body, planOf(t.body.setupId), floor).map((l) => l.what),
              [],
            )}${whereFound(t.body, wanted, words)}`}
            right={
              <Words look="small" dim>
                {clock.time(t.body.loggedAt)}
              </Words>
            }
            onPress={() => router.push(`/floor/take/${t.id}` as Href)}
          />
        ))}
      </View>
      {found.length > limit ? <Action title={`Show ${Math.min(AT_ONCE, found.length - limit)} more`} onPress={() => setLimit(limit + AT_ONCE)} /> : null}
    </Page>
  );
}

/** The note in which the word stands, when it is not among what the row shows anyway. */
function whereFound(t: TakeBody, wanted: readonly string[], words: TakeWords): string {
  const hit = (['notes', 'moveNote', 'movers', 'filter'] as const).find((k) => wanted.some((w) => takeField(k)!.text(t, words).toLowerCase().includes(w)));
  return hit ? ` · ${takeField(hit)!.title.toLowerCase()}: ${takeField(hit)!.text(t, words)}` : '';
}
