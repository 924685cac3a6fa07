import { seededNormal, solveNet, solveTracks, type NetFact, type NetInput, type SolveSetup } from '@mesure/core';
import { roomShot } from '@mesure/synthetic';
import { surveyedAnchors } from '.';

const SHOT = { widthPx: 1920, heightPx: 1012, focalMm: 32, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 30, noisePx: 0.2 };
const { shot, floorMarks, points } = roomShot(SHOT);
const tracked = new Set(shot.tracks.map((t) => t.track));
const placeOf = new Map(points.map((p) => [p.id, p.at]));
const marks = [
  ...floorMarks.slice(0, 4),
  ...points
    .filter((p) => p.at[1] > 0.6 && tracked.has(p.id))
    .slice(0, 4)
    .map((p) => p.id),
];

/** The net of eight marks as a tape would give it: every distance with 2 mm of error, heights over the floor. */
function net(change: { heights?: boolean; sigmaM?: number } = {}): NetInput {
  const normal = seededNormal(5);
  const sigmaM = change.sigmaM ?? 0.002;
  const far = (a: string, b: string) => Math.hypot(...[0, 1, 2].map((k) => placeOf.get(a)![k] - placeOf.get(b)![k]));
  const ties = marks.flatMap((a, i) => marks.slice(i + 1).map((b): NetFact => ({ kind: 'tie', a, b, m: far(a, b) + sigmaM * normal(), sigmaM })));
  const heights = change.heights === false ? [] : marks.map((id): NetFact => ({ kind: 'height', id, m: placeOf.get(id)![1] + sigmaM * normal(), sigmaM }));
  return { facts: [...ties, ...heights], near: new Map(marks.map((m) => [m, [...placeOf.get(m)!] as [number, number, number]])) };
}
const setup: SolveSetup = {
  image: { width: SHOT.widthPx, height: SHOT.heightPx },
  sensor: { widthMm: SHOT.sensorWidthMm, heightMm: SHOT.sensorHeightMm },
  fps: 24,
  focal: { mode: 'free', mm: 32 },
  motion: 'free',
  anchors: {
    level: floorMarks.slice(0, 3),
    origin: marks[0],
    heading: [marks[0], marks[1]],
    lengths: [
      { a: marks[0], b: marks[5], m: 2, sigmaM: 0.002 },
      { a: marks[0], b: 'elsewhere', m: 2, sigmaM: 0.002 },
    ],
    cameraHeights: [{ frame: 1, m: 1.4, sigmaM: 0.005 }],
  },
};
const adjusted = (input: NetInput) => ({ input, result: solveNet(input) });

test('the places of the net hold the solve: height, size and places come out, each within its sigma', () => {
  const anchored = surveyedAnchors(setup, adjusted(net()), tracked);
  expect(anchored.anchors!.points).toHaveLength(8);
  // what the places came from does not count twice; what they did not come from stays
  expect(anchored.anchors).toMatchObject({ level: [], lengths: [{ b: 'elsewhere' }], cameraHeights: [{ m: 1.4 }] });
  expect(anchored.anchors).not.toHaveProperty('origin');
  const free = { ...anchored, anchors: { ...anchored.anchors, cameraHeights: [] } };
  const solve = solveTracks(shot.tracks, free, {});
  expect(solve.status).toBe('solved');
  expect(solve.anchoring.scale).not.toBe('none');
  // the camera stood at 1.4 m all along
  for (const f of solve.frames) expect(Math.abs(f.position[1] - 1.4)).toBeLessThan(0.01);
  // and stood where the plan has it
  solve.frames.forEach((f, i) => [0, 1, 2].forEach((k) => expect(Math.abs(f.position[k] - shot.cameras[i].position[k])).toBeLessThan(0.015)));
  const travelled = Math.hypot(...[0, 1, 2].map((k) => solve.frames.at(-1)!.position[k] - solve.frames[0].position[k]));
  const truth = Math.hypot(...[0, 1, 2].map((k) => shot.cameras.at(-1)!.position[k] - shot.cameras[0].position[k]));
  expect(Math.abs(travelled - truth)).toBeLessThan(0.01);
});

test('a net that does not know the floor, is not trusted, or is not seen by enough tracks changes nothing', () => {
  expect(surveyedAnchors(setup, null, tracked)).toBe(setup);
  expect(surveyedAnchors(setup, adjusted(net({ heights: false })), tracked)).toBe(setup);
  const input = net();
  const result = solveNet(input);
  expect(surveyedAnchors(setup, { input, result: { ...result, status: 'contradictory' } }, tracked)).toBe(setup);
  // what little checks is a place all the same
  for (const status of ['partial', 'unchecked'] as const) expect(surveyedAnchors(setup, { input, result: { ...result, status } }, tracked)).toEqual(surveyedAnchors(setup, { input, result }, tracked));
  expect(surveyedAnchors(setup, { input, result }, new Set(marks.slice(0, 2)))).toBe(setup);
  expect(surveyedAnchors(setup, { input, result: { ...result, mirror: { ...result.mirror, status: 'open' } } }, tracked)).toBe(setup);
  // a mark that may stand on the other side of its neighbours is none; the others are
  const twin = { ids: [marks[7]], ask: { id: marks[7], a: marks[0], c: marks[1] }, now: 'left' as const, words: '' };
  const others = surveyedAnchors(setup, { input, result: { ...result, twins: [twin] } }, tracked).anchors!.points!;
  expect(others.map((p) => p.track)).toEqual(result.points.map((p) => p.id).filter((id) => id !== marks[7]));
  const inLine = { ...result, points: result.points.map((p, i) => ({ ...p, at: [i, 0, 2 * i] as [number, number, number] })) };
  expect(surveyedAnchors(setup, { input, result: inLine }, tracked)).toBe(setup);
});
