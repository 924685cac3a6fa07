import type { FileRef, RecordBodies } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import type { AnalysesStore } from './analyses-store';
import type { Api } from './api';
import { ApiError } from './errors';
import type { LocalCopy, PictureOwner, WaitingPicture } from './local-copy';
import type { RecordsStore } from './records-store';

/** What the screens see of a waiting picture. */
export interface PictureOnTheWay extends WaitingPicture {
  sentBytes: number;
  state: 'waiting' | 'sending' | 'refused';
}

export interface PicturesState {
  pictures: PictureOnTheWay[];
  open(): Promise<void>;
  /** on disk when it returns; then it goes, after those before it */
  add(picture: Omit<WaitingPicture, 'refused' | 'sizeBytes'>, bytes: ArrayBuffer): Promise<void>;
  /** one that was refused, once more */
  again(id: string): Promise<void>;
  drop(id: string): Promise<void>;
  send(): Promise<void>;
}

interface PicturesParts {
  api: Pick<Api, 'upload'>;
  local: LocalCopy;
  records: RecordsStore;
  analyses: AnalysesStore;
  productionId: string;
  exclusive?: (work: () => Promise<void>) => Promise<void>;
}

/**
 * Pictures on their way to the server. Each waits on this device until it has arrived whole; then its record is written and, for a grid
 * plate, the measuring begins. Cut off anywhere, it goes on from there: pieces that are there are not sent again, and the record's
 * identity was given when the picture was added, so that it is made once.
 */
export function createPicturesStore({ api, local, records, analyses, productionId, exclusive = (work) => work() }: PicturesParts) {
  let sending: Promise<void> | null = null;
  return createStore<PicturesState>()((set, get) => {
    const show = (p: WaitingPicture): PictureOnTheWay => ({ ...p, sentBytes: 0, state: p.refused ? 'refused' : 'waiting' });
    const change = (id: string, now: Partial<PictureOnTheWay>) => set((s) => ({ pictures: s.pictures.map((p) => (p.id === id ? { ...p, ...now } : p)) }));
    const forget = async (id: string) => {
      await local.dropPicture(id);
      set((s) => ({ pictures: s.pictures.filter((p) => p.id !== id) }));
    };

    async function sendAll(): Promise<void> {
      for (;;) {
        const next = get().pictures.find((p) => p.state === 'waiting');
        if (!next) return;
        // another tab may have sent it meanwhile
        const bytes = await local.pictureBytes(next.id);
        if (!bytes) {
          set((s) => ({ pictures: s.pictures.filter((p) => p.id !== next.id) }));
          continue;
        }
        change(next.id, { state: 'sending' });
        try {
          const { sha256, name, widthPx, heightPx } = await api.upload(productionId, new Blob([bytes]), {
            name: next.name,
            use: (next.body as Partial<RecordBodies['plate']>).given ? 'lens' : 'plate',
            key: next.id,
            atS: next.atS,
            onProgress: (sentBytes) => change(next.id, { sentBytes }),
          });
          const picture = { sha256, name };
          // cut off after the record was made: it is there, and may have been changed since
          if (records.getState().records[next.id]) {
            await forget(next.id);
            continue;
          }
          if (next.kind === 'added') await giveTo(next.body as PictureOwner, picture);
          else if (next.kind === 'plate')
            await records
              .getState()
              .write('plate', next.id, { ...(next.body as RecordBodies['plate']), picture }, (next.body as RecordBodies['plate']).given ? 'Distortion brought in' : 'Grid plate added');
          else await records.getState().write(next.kind, next.id, { ...(next.body as RecordBodies[SizedKind]), picture, widthPx: widthPx!, heightPx: heightPx! }, ADDED[next.kind]);
          await forget(next.id);
          await records.getState().send();
          if (next.kind === 'plate') await analyses.getState().start('grid', next.id);
        } catch (error) {
          if (!(error instanceof ApiError) || error.problem.status >= 500 || error.problem.code === 'NOT_SIGNED_IN' || error.problem.code === 'BAD_CSRF') {
            change(next.id, { state: 'waiting' });
            return;
          }
          await local.markPicture({ ...stored(next), refused: error.problem.detail });
          change(next.id, { state: 'refused', refused: error.problem.detail, sentBytes: 0 });
        }
      }
    }

    /** Adds a picture to its record, once: sent twice it is the same file. */
    async function giveTo({ kind, id, beside }: PictureOwner, picture: FileRef): Promise<void> {
      const owner = records.getState().records[id];
      if (!owner)
        throw new ApiError({
          type: 'about:blank',
          title: 'Gone',
          status: 404,
          code: 'NOT_FOUND',
          instance: `/records/${id}`,
          detail: `The ${kind} that it belongs to is not on this device any more.`,
        });
      const pictures = (owner.body as RecordBodies[typeof kind]).pictures ?? [];
      if (pictures.some((p) => p.sha256 === picture.sha256)) return;
      await records.getState().write(kind, id, (b: RecordBodies[typeof kind]) => ({ ...b, pictures: [...(b.pictures ?? []), { ...picture, ...beside }] }) as typeof b, 'Picture added');
    }

    return {
      pictures: [],
      async open() {
        const kept = await local.readPictures().catch(() => []);
        set({ pictures: kept.sort((a, b) => (a.addedAt < b.addedAt ? -1 : 1)).map(show) });
        await get().send();
      },
      async add(picture, bytes) {
        const kept: WaitingPicture = { ...picture, sizeBytes: bytes.byteLength, refused: null };
        await local.keepPicture(kept, bytes);
        set((s) => ({ pictures: [...s.pictures, show(kept)] }));
        void get().send();
      },
      async again(id) {
        const one = get().pictures.find((p) => p.id === id);
        if (!one) return;
        await local.markPicture({ ...stored(one), refused: null });
        change(id, { state: 'waiting', refused: null });
        await get().send();
      },
      drop: forget,
      send() {
        sending ??= exclusive(sendAll).finally(() => {
          sending = null;
        });
        return sending;
      },
    };
  });
}
type SizedKind = 'edges' | 'recce' | 'still' | 'photo' | 'lineup';
/** As the undo line says it. */
const ADDED: Record<SizedKind, string> = {
  edges: 'Picture for edge lines added',
  recce: 'Photo of the set added',
  still: 'Still added',
  photo: 'Photo for marks added',
  lineup: 'Picture for a line-up added',
};
/** What is kept on disk of it. */
const stored = ({ sentBytes: _sent, state: _state, ...picture }: PictureOnTheWay): WaitingPicture => picture;

export type PicturesStore = ReturnType<typeof createPicturesStore>;
