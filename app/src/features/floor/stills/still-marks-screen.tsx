import type { PointedMark, StillBody, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { G, Image as SvgImage } from 'react-native-svg';
import { api, useAll, useData, useFind, useMayWrite, useRecord, useRecordsState } from '../../../data';
import { Action, Section } from '../../../ui/controls';
import { Drawing } from '../../../ui/drawing';
import { Pin } from '../../../ui/pin';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { PointedMarkRow } from '../../pictures/pointed-mark-row';
import { WhichMark } from '../../pictures/which-mark';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';

/** One still of a walk in which marks of the set are pointed out: two that are taped say what a metre is. */
export function StillMarksScreen({ stillId }: { stillId: string }) {
  const router = useRouter();
  const still = useRecord('still', stillId);
  const find = useFind();
  const setup = still ? find('setup', still.body.setupId) : undefined;
  const set = setup ? find('set', setup.body.setId) : undefined;
  return (
    <RecordsGate what="the picture">
      {still && !still.deleted && setup && set ? (
        <Pointing key={still.id} still={still} setup={setup} set={set} />
      ) : (
        <Page>
          <Empty title="No such picture" text="It was undone or removed, or its setup is hidden." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor' as Href) }} />
        </Page>
      )}
    </RecordsGate>
  );
}

function Pointing({ still, setup, set }: { still: StoredRecord<'still'>; setup: StoredRecord<'setup'>; set: StoredRecord<'set'> }) {
  const router = useRouter();
  const { session } = useData();
  const may = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const others = useAll('still').filter((s) => s.body.setupId === setup.id && s.id !== still.id);
  const [place, setPlace] = useState<{ x: number; y: number } | null>(null);
  const { body } = still;
  const marks = body.marks ?? [];
  const url = api.previewUrl(session.production.id, body.picture.sha256, 4096);
  const change = (now: (marks: PointedMark[]) => PointedMark[], label: string) => void write('still', still.id, (b: StillBody) => ({ ...b, marks: now(b.marks ?? []) }), label);
  const alsoIn = (mark: string): number => others.filter((o) => o.body.marks?.some((q) => q.mark === mark)).length;
  return (
    <Page action={<Action title="Back to the walk" icon="arrow-back" onPress={() => router.push(`/floor/stills/${setup.id}` as Href)} />}>
      <Words look="title" level={1}>
        Marks in a still
      </Words>
      <Words dim numberOfLines={1}>
        {body.picture.name}
      </Words>
      <Words look="small" dim>
        {may ? 'Press, aim under the loupe, let go. Two marks with a tape between them, each in two pictures, say what a metre is.' : 'Marks of the set in this picture.'}
      </Words>
      <Drawing
        box={{ x: 0, y: 0, width: body.widthPx, height: body.heightPx }}
        maxHeight={620}
        describe={`Picture with ${marks.length} marks pointed out${marks.length > 0 ? `: ${marks.map((m) => m.mark).join(', ')}` : ''}.${may ? ' Press, aim under the loupe, let go: another mark.' : ''}`}
        aim={may ? { pictureUrl: url, pictureWidth: body.widthPx, pictureHeight: body.heightPx, onPlace: (x, y) => setPlace({ x, y }) } : undefined}
      >
        {(px) => (
          <G>
            <SvgImage href={url as never} x={0} y={0} width={body.widthPx} height={body.heightPx} preserveAspectRatio="none" />
            {marks.map((m) => (
              <Pin key={m.mark} name={m.mark} at={m} px={px} />
            ))}
          </G>
        )}
      </Drawing>
      <Section title={`${marks.length} mark${marks.length === 1 ? '' : 's'} pointed out`}>
        {marks.map((m) => (
          <PointedMarkRow
            key={m.mark}
            mark={m.mark}
            words={alsoIn(m.mark) === 0 ? 'in no other picture yet: it counts from the second on' : `in ${alsoIn(m.mark)} other picture${alsoIn(m.mark) === 1 ? '' : 's'} too`}
            onTakeOff={may ? () => change((all) => all.filter((q) => q.mark !== m.mark), `${m.mark} taken off the still`) : null}
            testID={`still-mark-${m.mark}`}
          />
        ))}
      </Section>
      {place ? (
        <WhichMark
          set={set}
          placed={null}
          pointed={marks}
          place={place}
          onKeep={(at) => change((all) => [...all.filter((q) => q.mark !== at.mark), at], `${at.mark} pointed out in the still`)}
          onClose={() => setPlace(null)}
        />
      ) : null}
    </Page>
  );
}
