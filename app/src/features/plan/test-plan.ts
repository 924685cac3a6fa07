import { newPlan, usualPiece, type PlanBody, type RecordBodies } from '@mesure/contract';
import type { PlannedMark } from '@mesure/core';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, record, settle } from '../test-day';

// A planned setup for component tests: a floor and a wall with five marks, and a short dolly before them.
export const PLAN = '00000000-0000-4000-8000-000000000040';
export const WALL = { ...usualPiece('wall', 'wall', 'Back wall'), detail: 'some' as const };
const FLOOR = usualPiece('floor', 'floor', 'Floor');
const markAt = (id: string, at: readonly [number, number, number], normal: readonly [number, number, number], pieceId: string): PlannedMark => ({
  id,
  kind: 'cross',
  diameterM: 0.02,
  at,
  normal,
  pieceId,
  ground: 'plain',
  placed: false,
});
export const SHEET = [
  markAt('K1', [-0.8, 0.001, -2.4], [0, 1, 0], 'floor'),
  markAt('K2', [0.9, 0.001, -2.2], [0, 1, 0], 'floor'),
  markAt('K3', [0.1, 0.001, -3.8], [0, 1, 0], 'floor'),
  markAt('W1', [-1.2, 1.6, -4.948], [0, 0, 1], 'wall'),
  markAt('W2', [1.3, 1.9, -4.948], [0, 0, 1], 'wall'),
];
export const setBody = (change: Partial<RecordBodies['set']> = {}): RecordBodies['set'] => ({ name: 'Galley', marks: ['K1', 'K2', 'K3'], pieces: [FLOOR, WALL], sheet: SHEET, ...change });
export const planBody = (change: Partial<PlanBody> = {}): PlanBody => {
  const plan = newPlan(ID.setup, ID.pack, 32, setBody());
  // looking down far enough to see the marks of the floor
  return { ...plan, move: { ...plan.move, stations: plan.move.stations.map((s) => ({ ...s, tiltRad: -0.35 })) }, ...change };
};

export function server(plan: PlanBody | null, set = setBody()): FakeServer {
  const day = dayRecords().filter((r) => r.kind !== 'set');
  return new FakeServer([...day, record('set', ID.set, set), ...(plan ? [record('plan', PLAN, plan)] : [])]);
}
export const kept = (s: FakeServer) => s.records.get(PLAN)!.body as PlanBody;
export const keptSet = (s: FakeServer) => s.records.get(ID.set)!.body as RecordBodies['set'];
export const show = (part: string) => fireEvent.press(screen.getByRole('radio', { name: part }));
export const drag = async (id: string, dx: number, dy: number) => {
  const target = {};
  fireEvent(screen.getByTestId(`handle-${id}`), 'pointerDown', { clientX: 100, clientY: 100, currentTarget: target });
  fireEvent(screen.getByTestId(`handle-${id}`), 'pointerMove', { clientX: 100 + dx, clientY: 100 + dy, currentTarget: target });
  fireEvent(screen.getByTestId(`handle-${id}`), 'pointerUp', { clientX: 100 + dx, clientY: 100 + dy, currentTarget: target });
  await settle();
};
