import { type PlateFinding } from '@mesure/core';
import { mountPackage, type Lookup, type MountedPackage } from './recorded-setup';
import type { PlateBody, StoredRecord } from './records';

/** One thing that, entered otherwise, makes a plate agree with what was recorded. */
export interface PlateCause {
  words: string;
  /** by how many standard deviations it misses what the plate shows, the marking's own tolerance among them */
  misses: number;
  /** what corrects the plate itself; null where the package is what would be wrong */
  change: Partial<PlateBody> | null;
}

interface Kit {
  packages: readonly StoredRecord<'package'>[];
  adapters: readonly StoredRecord<'adapter'>[];
  find: Lookup;
}

/** A lens is what its marking says to about this share; more than one plate would tell it apart. */
const MARKING_SHARE = 0.01;
const EXPLAINS = 3;
const MOST = 4;

const short = (n: number): string => String(Number(n.toFixed(2)));

/**
 * What the entries of a production offer as the cause of a focal length that a plate does not show: another package that carries the lens,
 * another lens, an adapter that was forgotten or is not there, another recording mode, another marking of a zoom. Each is judged by what
 * the picture shows in px, since a mode changes the area and not the lens. Best first; empty where nothing that is known explains it.
 */
export function plateCauses(finding: PlateFinding, plate: PlateBody, mounted: MountedPackage, { packages, adapters, find }: Kit): PlateCause[] {
  if (finding.of !== 'focal length') return [];
  const { mode, lens } = mounted;
  const factor = mounted.adapter?.factor ?? 1;
  const pxPerMm = (m: { widthPx: number; sensorWidthMm: number }) => m.widthPx / m.sensorWidthMm;
  const seenPx = finding.found * pxPerMm(mode);
  const sigmaPx = finding.sigma * pxPerMm(mode);
  const found: PlateCause[] = [];
  const offer = (words: string, px: number, change: PlateCause['change']) => {
    const misses = Math.abs(px - seenPx) / Math.hypot(sigmaPx, MARKING_SHARE * px);
    if (misses < EXPLAINS) found.push({ words, misses, change });
  };
  for (const p of packages) {
    if (p.id === plate.packageId) continue;
    const other = mountPackage(p.body, find);
    if ('missing' in other || other.mode.widthPx !== mode.widthPx || other.mode.heightPx !== mode.heightPx || other.lens.squeeze !== lens.squeeze) continue;
    const sameLens = p.body.lensId === plate.lensId;
    const focalMm = sameLens ? plate.focalMm : p.body.focalMm;
    const with_ = `${other.lens.name}${other.adapter ? ` with ${other.adapter.name}` : ''}, ${other.mode.name}`;
    offer(`It was shot on ${p.body.camera}-cam: ${with_}`, focalMm * (other.adapter?.factor ?? 1) * pxPerMm(other.mode), { packageId: p.id, lensId: p.body.lensId, focalMm });
  }
  if (lens.kind === 'zoom') {
    const focalMm = Number((finding.found / factor).toFixed(1));
    if (focalMm >= lens.minFocalMm && focalMm <= lens.maxFocalMm) offer(`The zoom stood at ${short(focalMm)} mm`, focalMm * factor * pxPerMm(mode), { focalMm });
  }
  if (mounted.adapter) offer(`${mounted.adapter.name} was not on the camera`, plate.focalMm * pxPerMm(mode), null);
  for (const a of adapters)
    if (Math.abs(a.body.factor - factor) > 1e-9)
      offer(
        `${a.body.name}${a.body.name.includes(String(a.body.factor)) ? '' : ` (× ${short(a.body.factor)})`} was on the camera, and is not in the package`,
        plate.focalMm * a.body.factor * pxPerMm(mode),
        null,
      );
  for (const m of mounted.body.modes)
    if (m.id !== mode.id && m.widthPx === mode.widthPx && m.heightPx === mode.heightPx) offer(`The camera was in ${m.name}`, plate.focalMm * factor * pxPerMm(m), null);
  return found.sort((a, b) => a.misses - b.misses).slice(0, MOST);
}
