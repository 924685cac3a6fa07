import { KINDS, RECORD_KINDS, type RecordBodies, type RecordKind, type StoredRecord } from '@mesure/contract';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { useClock, useData, useRecordsState } from '../../data';
import { may } from '@mesure/contract';
import { Action, Choice, Row, Section } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';

/** So many at once; the rest on request. */
const AT_ONCE = 60;

/** Everything that somebody hid or removed, by the day on which it went, with who did it; each comes back from here. */
export function HiddenScreen() {
  return (
    <RecordsGate what="what is hidden">
      <Hidden />
    </RecordsGate>
  );
}

function Hidden() {
  const clock = useClock();
  const { session } = useData();
  const records = useRecordsState((s) => s.records);
  const write = useRecordsState((s) => s.write);
  const [kind, setKind] = useState<RecordKind | 'all'>('all');
  const [limit, setLimit] = useState(AT_ONCE);
  const hidden = useMemo(
    () =>
      Object.values(records)
        .filter((r) => r.deleted)
        .sort((a, b) => b.updatedAt.localeCompare(a.updatedAt)),
    [records],
  );
  const kinds = RECORD_KINDS.filter((k) => hidden.some((r) => r.kind === k));
  const shown = hidden.filter((r) => kind === 'all' || r.kind === kind).slice(0, limit);
  const dates = [...new Set(shown.map((r) => clock.date(r.updatedAt)))];
  const back = (r: StoredRecord) => void write(r.kind, r.id, (now) => now, `${tell(r)} is back`, false);
  return (
    <Page>
      <Words look="title" level={1}>
        What is hidden
      </Words>
      <Words dim>Nothing is ever erased: what was hidden or removed stands here, and comes back with one tap.</Words>
      {kinds.length > 1 ? (
        <View style={{ marginTop: SPACE.m }}>
          <Choice<RecordKind | 'all'>
            label="Of what kind"
            value={kind}
            options={[{ value: 'all', title: `all, ${hidden.length}` }, ...kinds.map((k) => ({ value: k, title: KINDS[k].noun }))]}
            onChange={setKind}
          />
        </View>
      ) : null}
      {hidden.length === 0 ? <Empty title="Nothing is hidden" text="What you hide or remove anywhere can be found here afterwards." /> : null}
      {dates.map((date) => (
        <Section key={date} title={date}>
          <View style={{ marginHorizontal: -SPACE.m }}>
            {shown
              .filter((r) => clock.date(r.updatedAt) === date)
              .map((r) => (
                <Row
                  key={r.id}
                  testID={`hidden-${r.kind}-${tell(r)}`}
                  title={`${KINDS[r.kind].noun} ${tell(r)}`}
                  detail={`by ${r.updatedBy}, ${clock.time(r.updatedAt)}`}
                  right={may(session.role, KINDS[r.kind].hides) ? <Action kind="quiet" title="Bring back" label={`Bring back ${tell(r)}`} onPress={() => back(r)} /> : undefined}
                />
              ))}
          </View>
        </Section>
      ))}
      {shown.length === limit ? <Action kind="quiet" icon="expand-more" title="Earlier ones" onPress={() => setLimit(limit + AT_ONCE)} /> : null}
    </Page>
  );
}

const tell = <K extends RecordKind>(r: StoredRecord<K>): string => (KINDS[r.kind].tell as (b: RecordBodies[K]) => string)(r.body);
