import type { FootageBody, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useAll, useData, useMay, useRecordsState } from '../../../data';
import { Action, Progress } from '../../../ui/controls';
import { percent } from '../../../ui/format';
import { pickFiles } from '../../../ui/pick-file';
import { asOneFile, CLIP_FILES } from './picture-sequence';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

/** Chooses the clip of a take and sends it in pieces; another clip takes the place of the one before, and keeps nothing that was drawn in it. */
export function GiveClip({ take, main = false, stay = false }: { take: StoredRecord<'take'>; main?: boolean; /** on the clip's own screen, which shows it by itself */ stay?: boolean }) {
  const p = usePalette();
  const router = useRouter();
  const may = useMay('give');
  const { session } = useData();
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const before = useAll('footage').find((f) => f.body.takeId === take.id);
  const [share, setShare] = useState<number | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  if (!may) return null;
  async function give() {
    const files = await pickFiles(CLIP_FILES);
    if (files.length === 0) return;
    setFailure(null);
    setShare(0);
    try {
      const file = await asOneFile(files);
      const { sha256, name, clip } = await api.upload(session.production.id, file, {
        name: file.name,
        use: 'clip',
        key: `${take.id}-footage-${file.name}-${file.size}`,
        onProgress: (sent) => setShare(sent / file.size),
      });
      if (!clip?.widthPx || !clip.heightPx || !clip.frames) throw new Error(`${file.name} has no picture.`);
      const body: FootageBody = {
        takeId: take.id,
        file: { sha256, name },
        widthPx: clip.widthPx,
        heightPx: clip.heightPx,
        frames: clip.frames,
        fps: clip.fps,
        timecode: clip.timecode,
        firstFrame: clip.firstNumber ?? before?.body.firstFrame ?? 1,
        most: before?.body.most ?? null,
        masks: [],
        marks: [],
      };
      if (before) await write('footage', before.id, (now) => now, 'The clip before', true);
      await write('footage', newId(), body, `Clip given to ${take.body.slate} take ${take.body.take}`);
      await send();
      if (!stay) router.push(`/check/clip/${take.id}` as Href);
    } catch (e) {
      setFailure(`${e instanceof Error ? e.message : String(e)} Nothing else was changed; what was sent is kept for a while, choose the same file again to go on.`);
    } finally {
      setShare(null);
    }
  }
  return (
    <View style={{ gap: SPACE.xs }}>
      <Action kind={main ? 'main' : 'quiet'} icon="movie" title={before ? 'Another clip' : 'Give this take its clip'} busy={share !== null} onPress={() => void give()} testID="give-clip" />
      {share !== null ? <Progress fraction={share} label={`Sending the clip, ${percent(share)}`} /> : null}
      {failure ? (
        <Words role="alert" color={p.against}>
          {`▲ ${failure}`}
        </Words>
      ) : null}
    </View>
  );
}
