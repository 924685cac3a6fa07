import { mountPackage, opticsOf, type MountedPackage, type PackageBody, type RecordBodies, type RecordKind, type StoredRecord } from '@mesure/contract';
import { computeOptics, CoreError, type Optics } from '@mesure/core';
import { fixed, focal } from '../../ui/format';

type Find = <K extends RecordKind>(kind: K, id: string) => StoredRecord<K> | undefined;

export type PackageView = { status: 'complete'; mounted: MountedPackage; optics: Optics } | { status: 'incomplete'; why: string; field?: string };

/** A package with its optics, or the one thing that keeps it from having any. */
export function viewPackage(body: PackageBody, find: Find): PackageView {
  const mounted = mountPackage(body, find as <K extends keyof RecordBodies>(kind: K, id: string) => StoredRecord<K> | undefined);
  if ('missing' in mounted) return { status: 'incomplete', why: `The ${mounted.missing} is missing.` };
  try {
    return { status: 'complete', mounted, optics: computeOptics(opticsOf(mounted, body.focalMm)) };
  } catch (e) {
    return { status: 'incomplete', why: e instanceof CoreError ? e.message : String(e), field: e instanceof CoreError ? e.field : undefined };
  }
}

/** "Tarvik 6S · 4K 17:9 · Orrinel 32 · ×0.71" */
export function packageParts(m: MountedPackage): string {
  return [m.body.name, m.mode.name, m.lens.name, m.adapter ? m.adapter.name : 'no adapter'].join(' · ');
}
/** "22.7 mm effective, 57.2° wide, crop 1.52" */
export const opticsWords = (o: Optics): string => `${fixed(o.effectiveFocalMm, 1)} mm effective, ${fixed(o.fovHorizontalDeg, 1)}° wide, crop ${fixed(o.cropFactor, 2)}`;
export const lensWords = (l: RecordBodies['lens']): string => (l.kind === 'prime' ? `${focal(l.minFocalMm)} mm` : `${focal(l.minFocalMm)}–${focal(l.maxFocalMm)} mm`);

/** The first letter that no camera of these has. */
export function nextCamera(packages: readonly StoredRecord<'package'>[]): string {
  const taken = new Set(packages.map((q) => q.body.camera));
  return [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'].find((letter) => !taken.has(letter)) ?? `${packages.length + 1}`;
}
