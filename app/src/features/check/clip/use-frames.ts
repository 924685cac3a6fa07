import type { FootageBody, TracksOutcome } from '@mesure/contract';
import { drawnTracks, jpegsOf, type DrawnTrack } from '@mesure/formats/clip-look';
import { useEffect, useState } from 'react';
import { api } from '../../../data';

/** Pictures of a clip by their place in it: from the strip where it was made, else one by one from the server. */
export function useFrames(productionId: string, footage: FootageBody, outcome: TracksOutcome | null): (index: number) => string {
  const strip = outcome?.files.find((f) => f.what === 'strip') ?? null;
  const [urls, setUrls] = useState<{ of: string; list: string[] } | null>(null);
  useEffect(() => {
    if (!strip) return undefined;
    let gone = false;
    let made: string[] = [];
    void fetch(api.fileUrl(productionId, strip.sha256))
      .then(async (r) => (r.ok ? new Uint8Array(await r.arrayBuffer()) : null))
      .then((bytes) => {
        if (gone || !bytes) return;
        made = jpegsOf(bytes).map((jpeg) => URL.createObjectURL(new Blob([jpeg as BlobPart], { type: 'image/jpeg' })));
        setUrls({ of: strip.sha256, list: made });
      })
      .catch(() => undefined);
    return () => {
      gone = true;
      made.forEach((url) => URL.revokeObjectURL(url));
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the strip is its hash
  }, [productionId, strip?.sha256]);
  const every = outcome?.everyNth ?? 1;
  return (index) => (urls && urls.of === strip?.sha256 ? urls.list[Math.min(urls.list.length - 1, Math.floor(index / every))] : api.frameUrl(productionId, footage.file.sha256, index));
}

/** The tracks that were followed, for drawing; null while they are not here. */
export function useFollowed(productionId: string, outcome: TracksOutcome | null): DrawnTrack[] | null {
  const file = outcome?.files.find((f) => f.what === 'tracks') ?? null;
  const [tracks, setTracks] = useState<{ of: string; list: DrawnTrack[] } | null>(null);
  useEffect(() => {
    if (!file) return undefined;
    let gone = false;
    void fetch(api.fileUrl(productionId, file.sha256))
      .then((r) => (r.ok ? r.text() : null))
      .then((text) => {
        if (!gone && text !== null) setTracks({ of: file.sha256, list: drawnTracks(text) });
      })
      .catch(() => undefined);
    return () => {
      gone = true;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the file is its hash
  }, [productionId, file?.sha256]);
  return tracks && tracks.of === file?.sha256 ? tracks.list : null;
}
