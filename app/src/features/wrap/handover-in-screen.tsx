import { KINDS, RECORD_KINDS, type ComesAs, type DayLine, type HandoverInAnswer, type RecordKind } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useClock, useData, useMayWrite, useRecordsState } from '../../data';
import { Action, Progress, Row, Section, Tick } from '../../ui/controls';
import { pickFile } from '../../ui/pick-file';
import { Empty, Failing } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { dateWords, useChooseDay } from '../days/use-day';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';

const SIGNS: Record<ComesAs, string> = { new: '+', same: '=', different: '◆', hidden: '○', cannot: '▲' };
const WORDS: Record<ComesAs, string> = { new: 'new', same: 'here already', different: 'says something else here', hidden: 'hidden here, and stays so', cannot: 'cannot come in' };

/** A day that was handed over elsewhere comes in: seen before it is done, record by record, with who said it and when. */
export function HandoverInScreen() {
  return (
    <RecordsGate what="the day">
      <HandoverIn />
    </RecordsGate>
  );
}

function HandoverIn() {
  const { session } = useData();
  const mayWrite = useMayWrite();
  const refresh = useRecordsState((s) => s.refresh);
  const choose = useChooseDay();
  const router = useRouter();
  const here = session.production.id;
  const [file, setFile] = useState<{ sha256: string; name: string } | null>(null);
  const [told, setTold] = useState<HandoverInAnswer | null>(null);
  const [replace, setReplace] = useState(false);
  const [busy, setBusy] = useState<{ what: string; share: number } | null>(null);
  const [error, setError] = useState<string | null>(null);
  const count = (what: ComesAs) => (told?.lines ?? []).filter((l) => l.what === what).length;
  const coming = count('new') + (replace ? count('different') : 0);
  const done = told !== null && told.brought !== null;

  async function attempt(what: string, safe: string, work: () => Promise<void>) {
    setBusy({ what, share: 0 });
    setError(null);
    try {
      await work();
    } catch (e) {
      setError(`${e instanceof Error ? e.message : String(e)} ${safe}`);
    } finally {
      setBusy(null);
    }
  }
  const pick = async () => {
    const picked = await pickFile('.zip,application/zip');
    if (!picked) return;
    await attempt(`Sending ${picked.name}`, 'Nothing was changed.', async () => {
      setTold(null);
      setReplace(false);
      const onProgress = (sent: number) => setBusy({ what: `Sending ${picked.name}`, share: sent / Math.max(1, picked.size) });
      const { sha256 } = await api.upload(here, picked, { name: picked.name, use: 'handover', key: newId(), onProgress });
      setTold(await api.lookAtHandover(here, sha256));
      setFile({ sha256, name: picked.name });
    });
  };
  const bring = () =>
    attempt('Bringing it in', 'What came in so far stays; bring it in again, and it goes on.', async () => {
      const answer = await api.bringHandover(here, file!.sha256, replace);
      await refresh();
      choose(answer.day.id);
      setTold(answer);
    });
  return (
    <Page
      action={
        told && done ? (
          <>
            <Words role="status">{`✓ ${told.brought} record${told.brought === 1 ? '' : 's'} came in`}</Words>
            <Action kind="main" title={`Go to ${told.day.name}`} onPress={() => router.push('/floor' as Href)} testID="go-to-day" />
          </>
        ) : told && mayWrite ? (
          <Action
            kind="main"
            title={coming + told.solves === 0 ? 'Everything is here already' : coming === 0 ? 'Bring in the test solves' : `Bring in ${coming} record${coming === 1 ? '' : 's'}`}
            disabled={coming + told.solves === 0}
            busy={busy !== null}
            onPress={() => void bring()}
            testID="bring-handover"
          />
        ) : undefined
      }
    >
      <Words look="title" level={1}>
        Handover in
      </Words>
      <Words dim>A day that another Mesure handed over, as its zip: setups, takes, readings, pictures, tracks, kit and lens book. Nothing that is here is changed unless you say so.</Words>
      {error ? <Failing title="That handover did not come in" text={error} /> : null}
      {busy ? <Progress fraction={busy.share} label={busy.what} /> : null}
      {mayWrite ? (
        <View style={{ marginTop: SPACE.m, alignItems: 'flex-start' }}>
          <Action icon="folder-open" title={told ? 'Another file' : 'Choose the zip'} busy={busy !== null} onPress={() => void pick()} testID="pick-handover" />
        </View>
      ) : (
        <Empty title="You read here" text="Who records in this production can bring a handover in." />
      )}
      {told ? (
        <View testID="handover-told">
          <Section title={`${told.day.name} of ${told.production || 'a production without a name'}`}>
            <Words>{dateWords(told.day.date)}</Words>
            <Words>{(['new', 'different', 'same', 'hidden', 'cannot'] as const).flatMap((w) => (count(w) === 0 ? [] : [`${count(w)} ${WORDS[w]}`])).join(', ')}</Words>
            <Words look="small" dim>
              {`${filesWords(told.files)}${done || told.solves === 0 ? '' : ` ${told.solves} test solve${told.solves === 1 ? '' : 's'} of takes that have none here.`}`}
            </Words>
            {done ? (
              <Words testID="solves-came">
                {told.solves === 0 ? 'No test solve came along.' : `${told.solves} test solve${told.solves === 1 ? '' : 's'} came along, as they were when they were handed over.`}
              </Words>
            ) : count('different') > 0 ? (
              <Tick
                title={`Take what the handover says where it differs, ${count('different')}`}
                detail="Who said what before stays in the history."
                on={replace}
                onPress={() => setReplace(!replace)}
                testID="replace-different"
              />
            ) : null}
          </Section>
          {RECORD_KINDS.map((kind) => (
            <LinesOfKind key={kind} kind={kind} lines={told.lines.filter((l) => l.kind === kind)} />
          ))}
        </View>
      ) : null}
    </Page>
  );
}

function filesWords({ coming, comingBytes, missing }: HandoverInAnswer['files']): string {
  const size = comingBytes < 1e6 ? `${Math.ceil(comingBytes / 1e3)} kB` : `${(comingBytes / 1e6).toFixed(1)} MB`;
  const come = coming === 0 ? 'No file is new here.' : `${coming} file${coming === 1 ? '' : 's'} of pictures and tracks come along, ${size}.`;
  return missing === 0 ? come : `${come} ${missing} that its records name ${missing === 1 ? 'is' : 'are'} neither in it nor here.`;
}

/** What wants to be looked at comes first; what is here already comes last. */
const ORDER: readonly ComesAs[] = ['cannot', 'different', 'hidden', 'new', 'same'];
function LinesOfKind({ kind, lines }: { kind: RecordKind; lines: readonly DayLine[] }) {
  const clock = useClock();
  if (lines.length === 0) return null;
  const { noun } = KINDS[kind];
  const of = (what: ComesAs) => lines.filter((l) => l.what === what).length;
  return (
    <Section title={`${noun[0].toUpperCase()}${noun.slice(1)}`} fold={`in-${kind}`} short={ORDER.flatMap((w) => (of(w) === 0 ? [] : [`${of(w)} ${WORDS[w]}`])).join(', ')}>
      <View style={{ marginHorizontal: -SPACE.m }}>
        {[...lines]
          .sort((a, b) => ORDER.indexOf(a.what) - ORDER.indexOf(b.what))
          .map((l) => (
            <Row key={l.id} title={`${SIGNS[l.what]} ${l.name}`} detail={[`${WORDS[l.what]}${l.note ? `: ${l.note}` : ''}`, `${l.by}, ${clock.stamp(l.at)}`].join(' · ')} />
          ))}
      </View>
    </Section>
  );
}
