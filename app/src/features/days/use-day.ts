import { dateIn, dayOfNow, daysInOrder, eveningDateIn, takesOf, type ProductionBody, type StoredRecord } from '@mesure/contract';
import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';
import { useAll, useData } from '../../data';
import { deviceZone } from '../../data/clock';

const KEY = 'mesure-day';
interface Chosen {
  dayId: string;
  /** the evening on which it was chosen: on another one, what is today's opens by itself again; never at midnight, in the middle of a night's work */
  on: string;
}
type ByProduction = Record<string, Chosen>;

function kept(): ByProduction {
  try {
    return JSON.parse(globalThis.localStorage?.getItem(KEY) ?? '{}') as ByProduction;
  } catch {
    return {};
  }
}
const dayStore = createStore<{ chosen: ByProduction }>()(() => ({ chosen: kept() }));
/** For tests, and after a sign-out: as on a device that chose nothing. */
export const forgetDays = (): void => dayStore.setState({ chosen: {} });

const USUAL: Omit<ProductionBody, 'name'> = { fps: 24, lengthUnit: 'm', timeZone: 'UTC', slating: 'scene' };

/** What holds for the production; the usual where nobody has said. */
export function useProduction(): ProductionBody {
  const { session } = useData();
  const record = useAll('production')[0];
  return record?.body ?? { ...USUAL, timeZone: deviceZone(), name: session.production.name };
}

export const useToday = (): string => dateIn(useProduction().timeZone, new Date());
export const useDays = (): StoredRecord<'day'>[] => daysInOrder(useAll('day'));

const useEvening = (): string => eveningDateIn(useProduction().timeZone, new Date());

/** The day on which every place is: the chosen one, else today's or the night's that goes on, else the one next to it. */
export function useDay(): StoredRecord<'day'> | null {
  const { session } = useData();
  const { timeZone } = useProduction();
  const evening = useEvening();
  const days = useDays();
  const chosen = useStore(dayStore, (s) => s.chosen[session.production.id]);
  return (chosen?.on === evening ? days.find((d) => d.id === chosen.dayId) : undefined) ?? dayOfNow(days, timeZone, new Date());
}

export function useChooseDay(): (dayId: string) => void {
  const { session } = useData();
  const evening = useEvening();
  return (dayId) => {
    const chosen = { ...dayStore.getState().chosen, [session.production.id]: { dayId, on: evening } };
    dayStore.setState({ chosen });
    try {
      globalThis.localStorage?.setItem(KEY, JSON.stringify(chosen));
    } catch {
      // a browser that keeps nothing still stays on the day until it is reloaded
    }
  };
}

/** Setups of the chosen day in their order. */
export function useDaySetups(): StoredRecord<'setup'>[] {
  const day = useDay();
  return useAll('setup')
    .filter((s) => s.body.dayId === day?.id)
    .sort((a, b) => a.body.order - b.body.order);
}

/** Takes of the chosen day, setup by setup in the order of the day. */
export function useDayTakes(): StoredRecord<'take'>[] {
  const takes = useAll('take');
  return useDaySetups().flatMap((s) => takesOf(s.id, takes));
}

/** "Mon 23 Nov" */
export const dateWords = (date: string): string =>
  new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short', timeZone: 'UTC' }).format(new Date(`${date}T12:00:00Z`)).replace(',', '');
