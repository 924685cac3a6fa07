import { boatStills, boatWalk } from './boat-walk';
import { mapToTry } from './lens-elsewhere';
import { CRANE_VIEW, lineUpPicture, PASSAGE_VIEW } from './line-up-picture';
import { blurredPlate, freshPlate, noChart, orrinel25Plate, orrinel32Plate, smallChartPlate } from './plates';
import { reccePicture } from './recce-picture';
import { roomPicture } from './room-picture';
import { jettyPanorama, PANORAMA_SECONDS, passageStills, passageWalk, slatePicture } from './stills-walk';
import { ZOOM_PLATES, zoomPlate } from './zoom';

/** Everything of the demo that is rendered, by name, so that threads can do it beside each other. */
const PICTURES = {
  stills: () => passageStills(passageWalk('wall').stations),
  stillsToTry: () => passageStills(passageWalk('wall').stations, true),
  boat: () => boatStills(boatWalk().stations),
  recce: reccePicture,
  room: roomPicture,
  lineUp: () => lineUpPicture(PASSAGE_VIEW),
  lineUpCrane: () => lineUpPicture(CRANE_VIEW),
  plate32: orrinel32Plate,
  plate25: orrinel25Plate,
  fresh: freshPlate,
  blurred: blurredPlate,
  smallChart: smallChartPlate,
  noChart,
  map: mapToTry,
  slate: () => slatePicture('42B', 2),
  zoom: () => Promise.all(ZOOM_PLATES.map((_, i) => zoomPlate(i))),
  panorama: () => Promise.all(PANORAMA_SECONDS.map(jettyPanorama)),
};
/** What a thread gives back: a buffer has become plain bytes. */
type Given<T> = T extends Uint8Array ? Uint8Array : T extends object ? { [K in keyof T]: Given<T[K]> } : T;
export type Pictures = { [K in keyof typeof PICTURES]: Given<Awaited<ReturnType<(typeof PICTURES)[K]>>> };

export default function picture(name: keyof Pictures): Promise<unknown> {
  return PICTURES[name]();
}
