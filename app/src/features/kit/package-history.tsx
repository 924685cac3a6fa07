import type { PackageBody, RecordChange, StoredRecord } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { historyUntil, useClock, useData, useFind } from '../../data';
import { Action, Field, Row, Section } from '../../ui/controls';
import { focal } from '../../ui/format';
import { Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { packageParts, viewPackage } from './package-words';

/** What was on the camera, and when it was changed. The server keeps each change. */
export function PackageHistory({ record }: { record: StoredRecord<'package'> }) {
  const find = useFind();
  const clock = useClock();
  const { session } = useData();
  const [state, setState] = useState<'closed' | 'loading' | 'failed' | RecordChange<'package'>[]>('closed');
  const [timeText, setTimeText] = useState('');
  async function load() {
    setState('loading');
    try {
      const { changes } = await historyUntil(session.production.id, 'package', record.id, () => false);
      setState(changes);
    } catch {
      setState('failed');
    }
  }
  const words = (body: PackageBody): string => {
    const view = viewPackage(body, find);
    return view.status === 'complete' ? `${packageParts(view.mounted)}, at ${focal(body.focalMm)} mm` : `at ${focal(body.focalMm)} mm; ${view.why}`;
  };
  const changes = Array.isArray(state) ? state : [];
  const last = changes.at(-1)?.when;
  const asked = clock.instant(timeText, last ? clock.date(last) : null);
  const then = asked ? [...changes].reverse().find((c) => Date.parse(c.when) < Date.parse(asked) + 60_000) : undefined;
  return (
    <Section title="What was on when">
      {state === 'closed' ? <Action title="Look at the changes" icon="history" onPress={() => void load()} testID="open-history" /> : null}
      {state === 'loading' ? <Loading what="the changes" /> : null}
      {state === 'failed' ? (
        <Failing
          title="The changes are not here"
          text="They are on the server, which cannot be reached. What is mounted now stands above."
          action={{ title: 'Try again', onPress: () => void load() }}
        />
      ) : null}
      {Array.isArray(state) ? (
        <>
          <Field
            label="What was on at"
            value={timeText}
            onChangeText={setTimeText}
            error={timeText.trim() !== '' && !asked ? 'Enter a time such as 14:10, or 2026-11-23 14:10' : null}
            hint="14:10 is on the day of the last change"
            testID="history-time"
          />
          {asked ? (
            <Words testID="history-answer">
              {then && !then.after.deleted
                ? `${clock.time(asked)}: ${words(then.after.body)} (since ${clock.stamp(then.when)}, by ${then.who}).`
                : `${clock.time(asked)}: ${then ? 'it was taken apart' : 'not mounted yet'}.`}
            </Words>
          ) : null}
          <View style={{ marginHorizontal: -SPACE.m }}>
            {[...changes].reverse().map((c) => (
              <Row
                key={c.version}
                testID={`change-${c.version}`}
                title={`${clock.stamp(c.when)}, ${c.who}`}
                detail={c.after.deleted ? 'taken apart' : `${difference(c, find)}${words(c.after.body)}`}
              />
            ))}
          </View>
        </>
      ) : null}
    </Section>
  );
}

/** What this change was about, in a few words. */
function difference(c: RecordChange<'package'>, find: ReturnType<typeof useFind>): string {
  if (!c.before) return 'mounted: ';
  const a = c.before.body;
  const b = c.after.body;
  const parts = [
    a.lensId !== b.lensId ? `lens ${find('lens', a.lensId)?.body.name ?? '?'} taken off` : null,
    a.adapterId !== b.adapterId || (a.secondAdapterId ?? null) !== (b.secondAdapterId ?? null) ? 'adapter changed' : null,
    a.bodyId !== b.bodyId ? 'body changed' : a.modeId !== b.modeId ? 'mode changed' : null,
    a.focalMm !== b.focalMm && a.lensId === b.lensId ? `was ${focal(a.focalMm)} mm` : null,
  ].filter(Boolean);
  return parts.length > 0 ? `${parts.join(', ')}: ` : '';
}
