import type { RecordingMode } from '@mesure/contract';
import type { Cause } from '@mesure/core';
import { newId, useAll, useFind, useRecordsState } from '../../data';

type Correction = NonNullable<Cause['correction']>;

/** Puts the record of a package right as a cause says, with history and undo; null where the package is gone. */
export function useCorrection(packageId: string): { camera: string; correct(c: Correction): Promise<void> } | null {
  const write = useRecordsState((s) => s.write);
  const adapters = useAll('adapter');
  const pack = useFind()('package', packageId);
  if (!pack) return null;
  return {
    camera: pack.body.camera,
    async correct(c) {
      if (c.field === 'mode') await write('package', pack.id, (now) => ({ ...now, modeId: c.value }), `${pack.body.camera}-cam: ${c.name}`);
      else if (c.field === 'readoutMs') {
        const ofMode = (m: RecordingMode): RecordingMode => (m.id === pack.body.modeId ? { ...m, readoutMs: c.value, readoutSource: c.value === null ? 'unknown' : 'measured' } : m);
        await write('body', pack.body.bodyId, (now) => ({ ...now, modes: now.modes.map(ofMode) }), 'Readout time corrected');
      } else if (c.field === 'squeeze') await write('lens', pack.body.lensId, (now) => ({ ...now, squeeze: c.value }), 'Squeeze corrected');
      else {
        let adapterId: string | null = null;
        if (c.value !== 1) {
          adapterId = adapters.find((a) => Math.abs(a.body.factor - c.value) < 0.005)?.id ?? newId();
          if (!adapters.some((a) => a.id === adapterId)) await write('adapter', adapterId, { name: `${c.value < 1 ? 'Reducer' : 'Extender'} ×${c.value}`, factor: c.value }, 'Adapter added');
        }
        await write('package', pack.id, (now) => ({ ...now, adapterId }), `${pack.body.camera}-cam corrected`);
      }
    },
  };
}
