import { simulateAngle, simulateClock, simulateDistance, simulatePoint, type LengthUnit, type SimulatedReading } from '@mesure/core';
import { createStore } from 'zustand/vanilla';
import { useStore } from 'zustand';

/** What an instrument that gives one number is asked, and what it is near: a stand-in has no world of its own to measure. */
export interface NumberDevice {
  id: string;
  name: string;
  quantity: 'distance' | 'angle' | 'timecode';
  /** as it is written to the record */
  instrument: string;
  simulated: boolean;
  read(near: number): Promise<SimulatedReading>;
}
export interface PointDevice {
  id: string;
  name: string;
  quantity: 'point';
  instrument: string;
  simulated: boolean;
  read(near: readonly [number, number, number]): Promise<{ at: [number, number, number] | null; failure: string | null }>;
}
export type Device = NumberDevice | PointDevice;

/** A shot takes its time, as a real one does. */
const pause = (ms: number) => new Promise((r) => setTimeout(r, ms));
let shots = 0;
const next = (): number => {
  shots += 1;
  return shots;
};

const laser = (id: string, name: string, seed: number, unit: LengthUnit): NumberDevice => ({
  id,
  name,
  quantity: 'distance',
  instrument: 'laser, simulated',
  simulated: true,
  async read(near) {
    await pause(250);
    return simulateDistance(near, seed, next(), unit);
  },
});

/** The stand-ins that ship with the application. A real instrument would be one more entry of the same shape. */
export const DEVICES: readonly Device[] = [
  laser('laser-metres', 'Laser, showing metres', 41, 'm'),
  laser('laser-inches', 'Laser, showing feet and inches', 42, 'ft-in'),
  {
    id: 'inclinometer',
    name: 'Inclinometer',
    quantity: 'angle',
    instrument: 'inclinometer, simulated',
    simulated: true,
    async read(near) {
      await pause(250);
      return simulateAngle(near, 43, next());
    },
  },
  {
    id: 'timecode-clock',
    name: 'Timecode clock',
    quantity: 'timecode',
    instrument: 'timecode clock, simulated',
    simulated: true,
    // near: the frame rate that it counts in
    async read(fps) {
      const now = new Date();
      const secondsOfDay = (now.getTime() - new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime()) / 1000;
      return simulateClock(secondsOfDay, fps, 45, next());
    },
  },
  {
    id: 'total-station',
    name: 'Total station',
    quantity: 'point',
    instrument: 'total station, simulated',
    simulated: true,
    async read(near) {
      await pause(400);
      return simulatePoint(near, 44, next());
    },
  },
];

interface DevicesState {
  /** by quantity; null: nothing is connected */
  chosen: Record<Device['quantity'], string | null>;
  choose(quantity: Device['quantity'], id: string | null): void;
}
const KEY = 'mesure-devices';
const NONE: DevicesState['chosen'] = { distance: null, angle: null, timecode: null, point: null };

function remembered(): DevicesState['chosen'] {
  try {
    return { ...NONE, ...(JSON.parse(globalThis.localStorage?.getItem(KEY) ?? '{}') as Partial<DevicesState['chosen']>) };
  } catch {
    return NONE;
  }
}
export const devicesStore = createStore<DevicesState>()((set, get) => ({
  chosen: remembered(),
  choose(quantity, id) {
    const chosen = { ...get().chosen, [quantity]: id };
    try {
      globalThis.localStorage?.setItem(KEY, JSON.stringify(chosen));
    } catch {
      // chosen until the page is left
    }
    set({ chosen });
  },
}));
export const useChosen = (quantity: Device['quantity']): Device | null => {
  const id = useStore(devicesStore, (s) => s.chosen[quantity]);
  return DEVICES.find((d) => d.id === id && d.quantity === quantity) ?? null;
};
export const useDevices = <T>(pick: (s: DevicesState) => T): T => useStore(devicesStore, pick);
