import type { LineupBody, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useMay, usePicturesState } from '../../../data';
import { Action, Row, Section } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { pickFile } from '../../../ui/pick-file';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { OnTheWay } from '../../pictures/on-the-way';
import { notesOf } from '../../pictures/picture-on-device';
import { useLineUps, type LineUpState } from './use-line-up';

export const lineUpsOf = (all: readonly StoredRecord<'lineup'>[], takeId: string): StoredRecord<'lineup'>[] =>
  all.filter((q) => q.body.takeId === takeId).sort((a, b) => (a.body.shotAt < b.body.shotAt ? -1 : a.body.shotAt > b.body.shotAt ? 1 : a.id < b.id ? -1 : 1));

/** Single pictures of a take that tell where its camera stood, by marks whose places are known; they need no tracks. */
export function LineUpSection({ take, set }: { take: StoredRecord<'take'>; set: StoredRecord<'set'> }) {
  const router = useRouter();
  const may = useMay('give');
  const add = usePicturesState((s) => s.add);
  const pictures = lineUpsOf(useAll('lineup'), take.id);
  const waiting = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'lineup' && (q.body as LineupBody).takeId === take.id);
  const lineUps = useLineUps(take, set, pictures);
  const [problem, setProblem] = useState<string | null>(null);
  const choose = async () => {
    const file = await pickFile('image/jpeg,image/png,image/tiff,.exr');
    if (!file) return;
    setProblem(null);
    try {
      const notes = await notesOf(file).catch(() => null);
      const body: Omit<LineupBody, 'picture' | 'widthPx' | 'heightPx'> = {
        takeId: take.id,
        marks: [],
        focal: 'free',
        stood: 'height',
        shotAt: notes?.shotAt ?? new Date(file.lastModified || Date.now()).toISOString(),
      };
      await add({ id: newId(), kind: 'lineup', name: file.name, atS: null, body, addedAt: new Date().toISOString() }, await file.arrayBuffer());
    } catch (e) {
      setProblem(`The picture was not kept on this device (${e instanceof Error ? e.message : String(e)}). Nothing was added.`);
    }
  };
  if (!may && pictures.length === 0) return null;
  return (
    <Section title="One picture lined up">
      {pictures.length + waiting.length === 0 ? (
        <Words look="small" dim>
          A single frame as it was recorded tells where the camera stood and how long its lens was: point out four marks or more whose places the tape net knows.
        </Words>
      ) : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {pictures.map((q) => (
          <Row key={q.id} testID={`lineup-${q.body.picture.name}`} title={q.body.picture.name} detail={inShort(lineUps.of(q.id))} onPress={() => router.push(`/check/line-up/${q.id}` as Href)} />
        ))}
      </View>
      {waiting.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {problem ? <Words role="alert">{`▲ ${problem}`}</Words> : null}
      {may ? (
        <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="add-a-photo" title="Line a picture up" onPress={() => void choose()} testID="add-lineup" />
        </View>
      ) : null}
    </Section>
  );
}

function inShort(state: LineUpState): string {
  if (state.at === 'pending') return 'being lined up';
  if (state.at === 'problem' || state.at === 'failed') return state.words;
  const { lineUp, report } = state.answer;
  if (lineUp.status === 'failed') return lineUp.reason ?? '';
  const found = `${fixed(lineUp.position![1], 2)} m high, ${fixed(lineUp.focalMm, 2)} mm`;
  return report ? `${found} · ${report.sentence}` : found;
}
