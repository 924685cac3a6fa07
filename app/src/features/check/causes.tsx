import type { Motion, SolveTicks, StoredRecord } from '@mesure/contract';
import type { Cause, ReconcileItem } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useData } from '../../data';
import { Action } from '../../ui/controls';
import { percent } from '../../ui/format';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { useCorrection } from './use-correction';

/** The likely causes with their evidence, and the entry that would put the record right. */
export function Causes({ take, item, onSolveAgain }: { take: StoredRecord<'take'>; item: ReconcileItem; onSolveAgain: (besides?: SolveTicks, as?: Motion) => Promise<void> }) {
  const { causes } = item;
  const router = useRouter();
  const p = usePalette();
  const { session } = useData();
  const takes = useAll('take').filter((t) => t.body.packageId === take.body.packageId);
  const correction = useCorrection(take.body.packageId);
  const [busy, setBusy] = useState(false);
  if (causes.length === 0 || !correction) return null;
  async function correct(c: NonNullable<Cause['correction']>) {
    setBusy(true);
    try {
      await correction!.correct(c);
      await onSolveAgain(c.field === 'readoutMs' ? { readoutOut: c.value !== null } : {});
    } finally {
      setBusy(false);
    }
  }
  return (
    <View style={{ borderLeftWidth: 4, borderColor: p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.m, gap: SPACE.s }} testID="causes">
      {causes.map((c, i) => (
        <View key={c.cause + c.title} style={{ gap: SPACE.xs }}>
          <Words>{i === 0 ? `${percent(c.likelihood)} likely` : `or: ${c.title} (${percent(c.likelihood)})`}</Words>
          <Words look="small" dim>
            {c.evidence}
          </Words>
        </View>
      ))}
      {causes[0].correction && session.role !== 'solver' ? (
        <>
          <Action kind="main" title={correctionTitle(causes[0].correction, correction.camera)} icon="build" busy={busy} onPress={() => void correct(causes[0].correction!)} testID="correct" />
          <Words look="small" dim>
            {takes.length > 1 ? `It holds for all ${takes.length} takes of this package. It can be undone.` : 'It can be undone.'}
          </Words>
        </>
      ) : causes[0].cause === 'camera-moved' ? (
        <Action kind="main" title="Solve it as a camera that may move" icon="play-arrow" onPress={() => void onSolveAgain({}, 'free')} testID="solve-as-move" />
      ) : (
        <View style={{ alignItems: 'flex-start' }}>
          <Action {...wayTo(item, take, causes[0])} onPress={() => router.push(wayTo(item, take, causes[0]).href)} testID="cause-way" />
        </View>
      )}
    </View>
  );
}

/** Where what a cause says is put right, where one tap does not do it. */
function wayTo(item: ReconcileItem, take: StoredRecord<'take'>, cause: Cause): { title: string; icon: 'straighten' | 'build' | 'photo-camera'; href: Href } {
  const field = { cameraHeight: item.about === 'last frame' ? 'heightEnd' : 'height', distance: 'distance', tilt: 'tilt', roll: 'roll' } as const;
  if (item.quantity in field) return { title: 'Look at the reading', icon: 'straighten', href: `/floor/take/${take.id}?to=${field[item.quantity as keyof typeof field]}` as Href };
  if (item.quantity === 'length') return { title: 'Look at the tape net', icon: 'straighten', href: `/floor/net/${take.body.setupId}` as Href };
  if (cause.cause === 'other-readout' || cause.cause === 'readout-not-used') return { title: 'Look at the camera', icon: 'build', href: '/kit' as Href };
  if (cause.cause === 'distortion-not-used') return { title: 'Shoot or mark the lens', icon: 'photo-camera', href: '/kit' as Href };
  if (cause.cause === 'zoom-not-noted') return { title: 'Note the zoom', icon: 'straighten', href: `/floor/take/${take.id}?to=focalEndMm` as Href };
  // which lens was on, and how long it is, is said at the take and at the package
  return cause.cause === 'swapped-digits'
    ? { title: 'Look at the focal length', icon: 'straighten', href: `/floor/take/${take.id}?to=focalMm` as Href }
    : { title: 'Look at the package', icon: 'build', href: '/kit' as Href };
}

export function correctionTitle(c: NonNullable<Cause['correction']>, camera: string, again = 'solve again'): string {
  if (c.field === 'mode') return `Set ${camera}-cam to ${c.name} and ${again}`;
  if (c.field === 'readoutMs') return c.value === null ? `Note no readout time for ${camera}-cam and ${again}` : `Note a readout of ${c.value} ms for ${camera}-cam and ${again}`;
  if (c.field === 'squeeze') return `Set the squeeze to ${c.value} and ${again}`;
  return c.value === 1 ? `Take the adapter off ${camera}-cam and ${again}` : `Mount ×${c.value} on ${camera}-cam and ${again}`;
}
