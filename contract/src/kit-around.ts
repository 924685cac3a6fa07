import type { KitAround } from '@mesure/core';
import type { AdapterBody, LensBody, StoredRecord } from './records';
import type { MountedPackage } from './recorded-setup';

/** What else of a production's kit may have been on a camera instead of what is written down. */
export function kitAround(m: MountedPackage, { lenses, adapters }: { lenses: readonly Pick<StoredRecord<'lens'>, 'body'>[]; adapters: readonly Pick<StoredRecord<'adapter'>, 'body'>[] }): KitAround {
  const other = (l: LensBody): boolean => l.name !== m.lens.name || l.serial !== m.lens.serial;
  return {
    modes: m.body.modes.filter((q) => q.id !== m.mode.id).map(({ id, name, widthPx, heightPx, sensorWidthMm }) => ({ id, name, widthPx, heightPx, sensorWidthMm })),
    // where a zoom stood was read off it: it says nothing of another lens
    lenses: once(
      lenses.map((l) => l.body).filter((l) => other(l) && l.minFocalMm === l.maxFocalMm),
      (l) => l.minFocalMm,
    ).map((l) => ({ name: l.name, mm: l.minFocalMm })),
    adapters: once(
      adapters.map((a: { body: AdapterBody }) => a.body.factor),
      (f) => f,
    ),
  };
}

const once = <T>(of: readonly T[], key: (one: T) => number): T[] => of.filter((a, i) => of.findIndex((b) => key(b) === key(a)) === i);
