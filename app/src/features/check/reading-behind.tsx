import { changedFields, type RecordChange, type StoredRecord, type TakeBody } from '@mesure/contract';
import type { ReconcileItem } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { historyUntil, useAll, useClock, useData, useFind } from '../../data';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { useTakeWords } from '../floor/use-floor';

/** The entry that a verdict is about. */
interface Reading {
  typed: string;
  /** who entered it and when; null: nobody knows here */
  by: { who: string; when: string } | null;
  href: Href;
}

const ofTake = (take: StoredRecord<'take'>, field: keyof TakeBody): Href => `/floor/take/${take.id}?to=${field}` as Href;

/** Which field of the take holds what an item compares; null for what is recorded elsewhere. */
function fieldOf(item: ReconcileItem): keyof TakeBody | null {
  if (item.quantity === 'cameraHeight') return item.about === 'last frame' ? 'heightEnd' : 'height';
  if (item.quantity === 'focalLength') return 'focalMm';
  const ofTake = { distance: 'distance', tilt: 'tilt', roll: 'roll' } as const;
  return ofTake[item.quantity as keyof typeof ofTake] ?? null;
}

/** The typed form of what was recorded, by whom and when, and the way to it. */
export function ReadingBehind({ item, take }: { item: ReconcileItem; take: StoredRecord<'take'> }) {
  const clock = useClock();
  const router = useRouter();
  const reading = useReading(item, take);
  if (!reading) return null;
  return (
    <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', flexWrap: 'wrap' }} testID={`reading-${item.quantity}-${item.about}`}>
      <Words look="small">{`Entered as ${reading.typed}${reading.by ? ` by ${reading.by.who}, ${clock.time(reading.by.when)}` : ''}`}</Words>
      <Action
        kind="quiet"
        icon="arrow-forward"
        title="Go to the reading"
        label={`Go to the reading ${reading.typed}`}
        onPress={() => router.push(reading.href)}
        testID={`to-reading-${item.quantity}`}
      />
    </View>
  );
}

function useReading(item: ReconcileItem, take: StoredRecord<'take'>): Reading | null {
  const words = useTakeWords();
  const find = useFind();
  const setId = find('setup', take.body.setupId)?.body.setId;
  const ties = useAll('tie');
  const field = fieldOf(item);
  const by = useAuthor(take, field);
  if (item.quantity === 'length') {
    // two readings of one pair are told apart by what they say
    const tie = ties.find((t) => t.body.setId === setId && `${t.body.from}–${t.body.to}` === item.about && Math.abs(t.body.length.valueM - item.recorded) < 1e-9);
    return tie ? { typed: tie.body.length.typed, by: { who: tie.updatedBy, when: tie.updatedAt }, href: `/floor/net/${take.body.setupId}` as Href } : null;
  }
  if (!field) return null;
  if (field === 'focalMm') return { typed: `${take.body.focalMm} mm${words.packages.find((q) => q.id === take.body.packageId) ? ' on its package' : ''}`, by, href: ofTake(take, field) };
  const value = take.body[field] as { typed?: string } | null | undefined;
  return value?.typed ? { typed: value.typed, by, href: ofTake(take, field) } : null;
}

/** Who changed a field of a take last, from its history on the server; nobody without a network. */
function useAuthor(take: StoredRecord<'take'>, field: keyof TakeBody | null): Reading['by'] {
  const { session } = useData();
  const [by, setBy] = useState<Reading['by']>(null);
  useEffect(() => {
    let here = true;
    if (!field) return undefined;
    const ofField = (c: RecordChange<'take'>) => c.before === null || changedFields(c.before, c.after).includes(field);
    historyUntil(session.production.id, 'take', take.id, (changes) => changes.some(ofField))
      .then(({ changes }) => {
        const last = changes.filter(ofField).at(-1);
        if (here) setBy(last ? { who: last.who, when: last.when } : null);
      })
      .catch(() => here && setBy(null));
    return () => {
      here = false;
    };
  }, [session.production.id, take.id, take.version, field]);
  return by;
}
