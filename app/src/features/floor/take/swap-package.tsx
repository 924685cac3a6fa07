import type { PackageBody, StoredRecord } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useFind, useMayWrite, useRecordsState } from '../../../data';
import { Action, Choice, Sheet } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { lensWords, opticsWords, packageParts, viewPackage } from '../../kit/package-words';

/**
 * Changes what is mounted, from a take: open, choose, mount. The package is copied and the copy changed, so that the takes before it keep
 * what was on the camera then.
 */
export function SwapPackage({ pack, onMounted }: { pack: StoredRecord<'package'>; onMounted: (packageId: string, focalMm: number) => void }) {
  const find = useFind();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const packages = useAll('package');
  const lenses = useAll('lens');
  const adapters = useAll('adapter');
  const [draft, setDraft] = useState<PackageBody | null>(null);
  if (!mayWrite) return null;
  const camera = nextName(
    pack.body.camera,
    packages.map((p) => p.body.camera),
  );
  const view = draft ? viewPackage(draft, find) : null;
  const changed = draft !== null && (draft.lensId !== pack.body.lensId || draft.adapterId !== pack.body.adapterId || draft.modeId !== pack.body.modeId);
  const body = find('body', pack.body.bodyId)?.body;
  async function mount() {
    if (!draft) return;
    const id = newId();
    await write('package', id, { ...draft, camera }, `${camera}-cam mounted`);
    onMounted(id, draft.focalMm);
    setDraft(null);
  }
  return (
    <View style={{ flexDirection: 'row', marginVertical: SPACE.s }}>
      <Action title="Change what is mounted" icon="swap-horiz" onPress={() => setDraft(pack.body)} testID="swap-package" />
      {draft ? (
        <Sheet title={`${pack.body.camera}-cam becomes ${camera}-cam`} open onClose={() => setDraft(null)}>
          <Words dim>{view?.status === 'complete' ? `${packageParts(view.mounted)} → ${opticsWords(view.optics)}` : (view?.why ?? '')}</Words>
          <Choice
            label="Lens"
            value={draft.lensId}
            options={lenses.map((l) => ({ value: l.id, title: l.body.name, detail: lensWords(l.body) }))}
            onChange={(lensId) => {
              const lens = find('lens', lensId)!.body;
              setDraft({ ...draft, lensId, focalMm: Math.min(lens.maxFocalMm, Math.max(lens.minFocalMm, draft.focalMm)) });
            }}
          />
          <Choice<string | null>
            label="Adapter"
            value={draft.adapterId}
            options={[{ value: null, title: 'none' }, ...adapters.map((a) => ({ value: a.id, title: a.body.name, detail: `focal length × ${a.body.factor}` }))]}
            onChange={(adapterId) => setDraft({ ...draft, adapterId, secondAdapterId: null })}
          />
          <Choice label="Recording mode" value={draft.modeId} options={(body?.modes ?? []).map((m) => ({ value: m.id, title: m.name }))} onChange={(modeId) => setDraft({ ...draft, modeId })} />
          <Action kind="main" title={`Mount as ${camera}-cam`} disabled={!changed || view?.status !== 'complete'} onPress={() => void mount()} testID="mount-swapped" />
          <Words look="small" dim style={{ marginTop: SPACE.xs }}>
            Takes before this one keep what was mounted then.
          </Words>
        </Sheet>
      ) : null}
    </View>
  );
}

/** A, then A2, A3 …: the same camera with something else on it. */
export function nextName(camera: string, taken: readonly string[]): string {
  const letter = camera.replace(/\d+$/, '') || camera;
  for (let n = 2; ; n += 1) if (!taken.includes(`${letter}${n}`)) return `${letter}${n}`;
}
