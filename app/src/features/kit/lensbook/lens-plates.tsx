import { focusWords } from './book-field';
import type { Analysis, EdgesBody, StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useAnalysesState, useClock, useFind, useMayWrite, usePicturesState, type Clock, type PictureOnTheWay } from '../../../data';
import { knownWords, staleWords, waitingWords } from '../../../ui/stale-words';
import { Action, Row, Section } from '../../../ui/controls';
import { capital, focal, percent } from '../../../ui/format';
import { pickFiles } from '../../../ui/pick-file';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { givenWords } from './given-doubts';
import { GivenSheet } from './given-sheet';
import { NewPlates } from './new-plates';
import { OnTheWay } from '../../pictures/on-the-way';
import { PLATE_FILES } from './picture-words';

function usePlateState(): (a: Analysis | undefined) => string {
  const clock = useClock();
  const knownFrom = useAnalysesState((s) => s.knownFrom);
  return (a) => (a ? plateState(a, clock) : knownFrom === null ? 'not measured yet' : 'no result known');
}

function plateState(a: Analysis, clock: Clock): string {
  if (a.status === 'queued') return waitingWords(a);
  if (a.status === 'running') return `${a.stage}, ${percent(a.progress)}`;
  if (a.status === 'failed') return a.error ?? 'failed';
  if (a.status === 'stopped') return 'stopped';
  const old = staleWords(a, clock);
  return a.outcome?.kind === 'grid' ? `${old ? `↺ ${old} · ` : ''}${a.outcome.report.sentence}` : '';
}

/** The grid plates of a package's lens, those on their way, and the way to add some. */
export function LensPlates({ record }: { record: StoredRecord<'package'> }) {
  const router = useRouter();
  const lens = useFind()('lens', record.body.lensId);
  const plates = useAll('plate')
    .filter((q) => q.body.lensId === record.body.lensId)
    .sort((a, b) => (a.body.shotAt < b.body.shotAt ? 1 : -1));
  const bySubject = useAnalysesState((s) => s.bySubject);
  const stateOf = usePlateState();
  const clock = useClock();
  const known = knownWords(
    useAnalysesState((s) => s.knownFrom),
    clock,
  );
  const measured = plates.filter((q) => bySubject[q.id]?.status === 'done').length;
  const onTheWay = usePicturesState((s) => s.pictures).filter((q) => (q.body as { lensId?: string }).lensId === record.body.lensId);
  const waiting = onTheWay.filter((q) => q.kind === 'plate');
  const mayWrite = useMayWrite();
  const [files, setFiles] = useState<File[]>([]);
  const [bringing, setBringing] = useState(false);
  return (
    <Section title={`Grid plates of ${lens?.body.name ?? 'the lens'}`}>
      {plates.length + waiting.length === 0 ? (
        <Empty title="No grid plate yet" text="Shoot a chequered or ruled chart square-on that fills the whole frame; the server finds the corners and fits the distortion." />
      ) : null}
      {waiting.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {/* said once, in a place that is always there: no row grows or shrinks when the server answers */}
      {plates.length > 0 ? (
        <Words look="small" dim numberOfLines={1} testID="plates-line">
          {known ? `○ ${capital(known)}` : `${plates.length} ${plates.length === 1 ? 'plate' : 'plates'}, ${measured} measured`}
        </Words>
      ) : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {plates.map((q) => (
          <Row
            key={q.id}
            testID={`plate-${q.body.picture.name}`}
            title={`${focal(q.body.focalMm)} mm${q.body.focusM ? ` at ${focusWords(q.body.focusM)}` : ''} · ${q.body.picture.name}`}
            detail={[q.body.given ? givenWords(q.body.given) : null, stateOf(bySubject[q.id])].filter(Boolean).join(' · ')}
            onPress={() => router.push(`/kit/plate/${q.id}`)}
          />
        ))}
      </View>
      {mayWrite ? (
        <View style={{ marginTop: SPACE.m, flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
          <Action title="Add grid plates" icon="add-a-photo" testID="add-plate" onPress={() => void pickFiles(PLATE_FILES).then(setFiles)} />
          <Action title="Distortion made elsewhere" icon="move-to-inbox" testID="add-given" onPress={() => setBringing(true)} />
        </View>
      ) : null}
      <View style={{ marginTop: SPACE.s, flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        <Action title="Open the lens book" icon="menu-book" testID="open-book" onPress={() => router.push(`/kit/book/${record.id}`)} />
        <Action title="Make a chart" icon="grid-on" testID="make-chart" onPress={() => router.push(`/kit/chart/${record.id}`)} />
      </View>
      <EdgePictures record={record} onTheWay={onTheWay.filter((q) => q.kind === 'edges')} />
      {files.length > 0 ? <NewPlates files={files} record={record} last={plates.find((q) => !q.body.given)?.body} onClose={() => setFiles([])} /> : null}
      {bringing ? <GivenSheet pack={record} last={plates[0]?.body} onClose={() => setBringing(false)} /> : null}
    </Section>
  );
}

/** Where no grid was shot: pictures with edges that are straight in reality. */
function EdgePictures({ record, onTheWay }: { record: StoredRecord<'package'>; onTheWay: PictureOnTheWay[] }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const add = usePicturesState((s) => s.add);
  const pictures = useAll('edges').filter((q) => q.body.lensId === record.body.lensId);
  async function choose() {
    for (const file of await pickFiles(PLATE_FILES, false)) {
      const body: Omit<EdgesBody, 'picture' | 'widthPx' | 'heightPx'> = {
        lensId: record.body.lensId,
        packageId: record.id,
        focalMm: record.body.focalMm,
        focusM: null,
        model: 'radial',
        marks: [],
        lineUp: null,
        shotAt: new Date(file.lastModified || Date.now()).toISOString(),
      };
      await add({ id: newId(), kind: 'edges', name: file.name, atS: null, body, addedAt: new Date().toISOString() }, await file.arrayBuffer());
    }
  }
  return (
    <View style={{ marginTop: SPACE.l }}>
      <Words look="label" dim>
        Without a grid: edges that are straight in reality, or a circle for the squeeze
      </Words>
      {onTheWay.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {pictures.map((q) => {
          const edges = new Set(q.body.marks.map((m) => m.edge)).size;
          return (
            <Row
              key={q.id}
              testID={`edges-${q.body.picture.name}`}
              title={`${focal(q.body.focalMm)} mm · ${q.body.picture.name}`}
              detail={`${edges} edge${edges === 1 ? '' : 's'} marked${q.body.lineUp ? `, ${q.body.lineUp.shape} lined up` : ''}`}
              onPress={() => router.push(`/kit/edges/${q.id}`)}
            />
          );
        })}
      </View>
      {mayWrite ? (
        <View style={{ marginTop: SPACE.s }}>
          <Action title="Mark edges in a picture" icon="timeline" testID="add-edges" onPress={() => void choose()} />
        </View>
      ) : null}
    </View>
  );
}
