import { exposureOf, type FileRef, type LightPicture } from '@mesure/contract';
import { useState } from 'react';
import { Image, Pressable, View } from 'react-native';
import { api, newId, useData, useMayWrite, usePicturesState, useRecordsState } from '../../data';
import type { PictureOwner } from '../../data/local-copy';
import { Action, Sheet } from '../../ui/controls';
import { pickFiles } from '../../ui/pick-file';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { OnTheWay } from './on-the-way';
import { notesOf } from './picture-on-device';

const FILES = 'image/jpeg,image/png,image/tiff,.exr';
const THUMB_PX = 72;

/** Pictures that stand in a record beside other things: of a take, of a light reference. */
export function AttachedPictures({ owner, pictures, title, testID }: { owner: Pick<PictureOwner, 'kind' | 'id'>; pictures: readonly FileRef[]; title: string; testID: string }) {
  const p = usePalette();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const add = usePicturesState((s) => s.add);
  const waiting = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'added' && (q.body as PictureOwner).id === owner.id);
  const [open, setOpen] = useState<FileRef | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const choose = async () => {
    const files = await pickFiles(FILES);
    setProblem(null);
    try {
      for (const file of files) {
        const beside: Omit<LightPicture, keyof FileRef> | null = owner.kind === 'light' ? { exposure: exposureOf(await notesOf(file)) } : null;
        await add({ id: newId(), kind: 'added', name: file.name, atS: null, body: { ...owner, beside }, addedAt: new Date().toISOString() }, await file.arrayBuffer());
      }
    } catch (e) {
      setProblem(`A picture was not kept on this device (${e instanceof Error ? e.message : String(e)}). Those before it are safe.`);
    }
  };
  return (
    <View testID={testID}>
      {pictures.length > 0 ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginVertical: SPACE.xs }}>
          {pictures.map((q) => (
            <Pressable key={q.sha256} role="button" aria-label={`Open ${q.name}`} onPress={() => setOpen(q)} testID={`picture-${q.name}`}>
              <Image
                source={{ uri: api.previewUrl(session.production.id, q.sha256, 640) }}
                accessibilityLabel={q.name}
                resizeMode="cover"
                style={{ width: THUMB_PX, height: THUMB_PX, backgroundColor: p.sunk, borderWidth: 1, borderColor: p.line }}
              />
            </Pressable>
          ))}
        </View>
      ) : null}
      {waiting.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {problem ? <Words look="small" role="alert" color={p.against}>{`▲ ${problem}`}</Words> : null}
      {mayWrite ? (
        <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="add-a-photo" title={title} onPress={() => void choose()} testID={`${testID}-add`} />
        </View>
      ) : null}
      {open ? <OpenPicture owner={owner} picture={open} onClose={() => setOpen(null)} /> : null}
    </View>
  );
}

function OpenPicture({ owner, picture, onClose }: { owner: Pick<PictureOwner, 'kind' | 'id'>; picture: FileRef; onClose: () => void }) {
  const p = usePalette();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const without = <P extends FileRef, B extends { pictures?: P[] }>(b: B): B => ({ ...b, pictures: (b.pictures ?? []).filter((q) => q.sha256 !== picture.sha256) });
  const remove = () => {
    if (owner.kind === 'take') void write('take', owner.id, (b) => without(b), 'Picture removed');
    else void write('light', owner.id, (b) => without(b), 'Picture removed');
    onClose();
  };
  return (
    <Sheet title={picture.name} open onClose={onClose}>
      <Image
        source={{ uri: api.previewUrl(session.production.id, picture.sha256, 1280) }}
        accessibilityLabel={picture.name}
        resizeMode="contain"
        style={{ width: '100%', aspectRatio: 1.5, backgroundColor: p.sunk }}
      />
      {mayWrite ? (
        <View style={{ marginTop: SPACE.m }}>
          <Action icon="delete-outline" title="Remove this picture" onPress={remove} testID="remove-picture" />
        </View>
      ) : null}
    </Sheet>
  );
}
