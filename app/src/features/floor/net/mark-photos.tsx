import type { PhotoBody, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useMayWrite, usePicturesState } from '../../../data';
import { Action, Row, Section } from '../../../ui/controls';
import { pickFile } from '../../../ui/pick-file';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { OnTheWay } from '../../pictures/on-the-way';
import { notesOf } from '../../pictures/picture-on-device';

/** Photos of a set on which its marks are pointed out. */
export function MarkPhotos({ set, setupId }: { set: StoredRecord<'set'>; setupId: string }) {
  const router = useRouter();
  const mayWrite = useMayWrite();
  const add = usePicturesState((s) => s.add);
  const photos = useAll('photo')
    .filter((q) => q.body.setId === set.id)
    .sort((a, b) => (a.body.shotAt < b.body.shotAt ? -1 : 1));
  const waiting = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'photo' && (q.body as PhotoBody).setId === set.id);
  const [problem, setProblem] = useState<string | null>(null);
  const choose = async () => {
    const file = await pickFile('image/jpeg,image/png,image/tiff');
    if (!file) return;
    setProblem(null);
    try {
      const notes = await notesOf(file);
      const body: Omit<PhotoBody, 'picture' | 'widthPx' | 'heightPx'> = { setId: set.id, marks: [], shotAt: notes?.shotAt ?? new Date(file.lastModified || Date.now()).toISOString() };
      await add({ id: newId(), kind: 'photo', name: file.name, atS: null, body, addedAt: new Date().toISOString() }, await file.arrayBuffer());
    } catch (e) {
      setProblem(`The photo was not kept on this device (${e instanceof Error ? e.message : String(e)}). Nothing was added.`);
    }
  };
  return (
    <Section title="Marks in photos">
      {photos.length + waiting.length === 0 ? (
        <Words look="small" dim>
          Point out marks in a photo of the set: new ones get their names there, and everybody finds them again.
        </Words>
      ) : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {photos.map((q) => (
          <Row
            key={q.id}
            testID={`photo-${q.body.picture.name}`}
            title={q.body.picture.name}
            detail={q.body.marks.length === 0 ? 'no mark pointed out yet' : q.body.marks.map((m) => m.mark).join(', ')}
            onPress={() => router.push(`/floor/photo/${q.id}?setup=${setupId}` as Href)}
          />
        ))}
      </View>
      {waiting.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {problem ? <Words role="alert">{`▲ ${problem}`}</Words> : null}
      {mayWrite ? (
        <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="add-a-photo" title="Add a photo of the set" onPress={() => void choose()} testID="add-photo" />
        </View>
      ) : null}
    </Section>
  );
}
