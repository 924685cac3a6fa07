import { stationsFor, type StillBody, type StillsPlan } from '@mesure/contract';
import { newId } from '../../../data';
import type { PicturesState } from '../../../data/pictures-store';
import { inWorker } from '../../../workers';
import { openPicture } from '../../pictures/picture-on-device';
import type { ShownStill } from './use-walk';

/** What stills may be: pictures and single frames; a stills walk is not a clip. */
export const STILL_FILES = 'image/jpeg,image/png,image/tiff,.exr';

interface Given {
  walk: StillsPlan;
  setupId: string;
  stills: readonly ShownStill[];
  /** the station that the first picture was taken from */
  from: number;
  files: readonly File[];
  add: PicturesState['add'];
  onDone: (count: number) => void;
}

/**
 * Puts pictures to stations in the order in which they were shot. Each is looked at in a worker and kept on this device before the next is
 * opened: a phone has room for one picture at full size.
 * @returns how many found no station
 */
export async function addStills({ walk, setupId, stills, from, files, add, onDone }: Given): Promise<number> {
  const inOrder = [...files].sort((a, b) => a.lastModified - b.lastModified || (a.name < b.name ? -1 : 1));
  const stations = stationsFor(walk, stills, from, inOrder.length);
  for (const [i, station] of stations.entries()) {
    const file = inOrder[i];
    const opened = await openPicture(file);
    const look = opened.image ? await inWorker({ kind: 'still', image: opened.image }).catch(() => null) : null;
    const body: Omit<StillBody, 'picture' | 'widthPx' | 'heightPx'> = {
      setupId,
      station,
      notes: opened.notes,
      look,
      shotAt: opened.notes?.shotAt ?? new Date(file.lastModified || Date.now()).toISOString(),
      givenAt: new Date().toISOString(),
    };
    await add({ id: newId(), kind: 'still', name: file.name, atS: null, body, addedAt: new Date().toISOString() }, await file.arrayBuffer());
    onDone(i + 1);
  }
  return inOrder.length - stations.length;
}
