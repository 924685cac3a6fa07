import { wordsOf } from '../warnings';
import type { KnownPoint, NetFact } from '../facts';
import { solveNet } from './solve-net';

const sigmaM: [number, number, number] = [0.002, 0.002, 0.002];
const K = (id: string, ...at: [number, number, number]): KnownPoint => ({ id, at, sigmaM });
const KNOWN = [K('K1', -1.2, 0, -2.2), K('K2', 1.3, 0.1, -2.3), K('K3', 0.2, 0.9, -3.6), K('K4', -1.5, 1.6, -4.6)];
const at = new Map(KNOWN.map((k) => [k.id, k.at]));
const tie = (a: string, b: string, to?: readonly number[]): NetFact => ({ kind: 'tie', a, b, m: Math.hypot(...at.get(a)!.map((v, k) => v - (to ?? at.get(b)!)[k])), sigmaM: 0.003 });

test('a set that was measured by an instrument alone has its places as they were measured, and it is said that nothing checks them', () => {
  const r = solveNet({ facts: [], known: KNOWN });
  expect(r.status).toBe('solved');
  expect(r.points.map((p) => [p.id, p.at, p.sigmaM])).toEqual(KNOWN.map((k) => [k.id, [...k.at], [...k.sigmaM]]));
  expect(r.mirror.status).toBe('settled');
  expect(wordsOf(r.warnings).join()).toMatch(/Nothing checks/);
});

test('with nothing at all there is still no net', () => {
  expect(() => solveNet({ facts: [], known: [] })).toThrow(/needs ties/);
});

test('a taped point in the frame of the instrument does not lose the places that no tape touched', () => {
  const P = [0.5, 0.4, -2.9];
  const r = solveNet({ facts: [tie('K1', 'P', P), tie('K2', 'P', P), tie('K3', 'P', P)], known: KNOWN, near: new Map([['P', P as [number, number, number]]]) });
  expect(r.points.map((p) => p.id).sort()).toEqual(['K1', 'K2', 'K3', 'K4', 'P']);
  expect(r.points.find((p) => p.id === 'K4')!.at).toEqual([...at.get('K4')!]);
  const p = r.points.find((q) => q.id === 'P')!.at;
  P.forEach((v, k) => expect(p[k]).toBeCloseTo(v, 2));
});

test('one height alone leaves the places as they were measured', () => {
  const r = solveNet({ facts: [{ kind: 'height', id: 'K1', m: 0, sigmaM: 0.003 }], known: KNOWN });
  expect(r.points.map((p) => p.id).sort()).toEqual(['K1', 'K2', 'K3', 'K4']);
});

describe('a tape net and places of an instrument that nothing joins', () => {
  const Q: Record<string, [number, number, number]> = { Q1: [0, 0, 0], Q2: [2, 0, 0], Q3: [0.5, 0, -2], Q4: [0.8, 1.4, -0.6] };
  const own = Object.keys(Q).flatMap((a, i, all) => all.slice(i + 1).map((b): NetFact => ({ kind: 'tie', a, b, m: Math.hypot(...Q[a].map((v, k) => v - Q[b][k])), sigmaM: 0.003 })));
  const solved = (known: KnownPoint[]) => solveNet({ facts: own, known, near: new Map(Object.entries(Q)) });

  test('the larger of the two is the net, and what would join the other to it is said', () => {
    const taped = solved(KNOWN.slice(0, 3));
    expect(taped.points.map((p) => p.id).sort()).toEqual(['Q1', 'Q2', 'Q3', 'Q4']);
    expect(taped.open.map((p) => p.id).sort()).toEqual(['K1', 'K2', 'K3']);
    expect(wordsOf(taped.warnings).join()).toMatch(/K1, K2, K3: too little joins these marks, which were measured by an instrument, to the tape net/);
    const measured = solved([...KNOWN, K('K5', 1, 1, -4)]);
    expect(measured.points.map((p) => p.id)).toEqual(['K1', 'K2', 'K3', 'K4', 'K5']);
    expect(measured.points[3].at).toEqual([...at.get('K4')!]);
    expect(measured.open.map((p) => p.id).sort()).toEqual(['Q1', 'Q2', 'Q3', 'Q4']);
    expect(measured.mirror.status).toBe('settled');
    expect(wordsOf(measured.warnings).join()).toMatch(/Q1, Q2, Q3, Q4: too little joins these marks, which were taped/);
  });

  test('one mark that both know is not enough to lay one over the other', () => {
    const r = solved([...KNOWN, K('Q1', 3, 0, -1), K('K6', 0, 2, -4)]);
    expect(r.points.map((p) => p.id).sort()).toEqual(['K1', 'K2', 'K3', 'K4', 'K6', 'Q1']);
    expect(r.open.map((p) => p.id).sort()).toEqual(['Q2', 'Q3', 'Q4']);
  });
});
