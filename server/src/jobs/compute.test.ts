import { roomShot } from '@mesure/synthetic';
import { MessageChannel } from 'node:worker_threads';
import compute from './compute';
import type { ComputeInput } from './compute-types';

const SHOT = { widthPx: 1920, heightPx: 1012, focalMm: 32, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 24, noisePx: 0.2 };

test('a solve with a tape net goes through the job’s own row, which is JSON, and is held by its places', async () => {
  const { csv, points, floorMarks, shot } = roomShot(SHOT);
  const tracked = new Set(shot.tracks.map((t) => t.track));
  const marks = [
    ...floorMarks.slice(0, 4),
    ...points
      .filter((p) => p.at[1] > 0.6 && tracked.has(p.id))
      .slice(0, 3)
      .map((p) => p.id),
  ];
  const at = (id: string) => [...points.find((p) => p.id === id)!.at] as [number, number, number];
  const input: ComputeInput = {
    kind: 'solve',
    file: { sha256: 'a'.repeat(64), name: 'room.csv' },
    trim: false,
    setup: {
      image: { width: SHOT.widthPx, height: SHOT.heightPx },
      sensor: { widthMm: SHOT.sensorWidthMm, heightMm: SHOT.sensorHeightMm },
      fps: 24,
      focal: { mode: 'free', mm: 32 },
      motion: 'free',
      anchors: { level: floorMarks.slice(0, 3), lengths: [], cameraHeights: [{ frame: 1, m: 1.4, sigmaM: 0.005 }] },
    },
    net: {
      facts: [
        ...marks.flatMap((a, i) => marks.slice(i + 1).map((b) => ({ kind: 'tie' as const, a, b, m: Math.hypot(...[0, 1, 2].map((k) => at(a)[k] - at(b)[k])), sigmaM: 0.002 }))),
        ...marks.map((id) => ({ kind: 'height' as const, id, m: at(id)[1], sigmaM: 0.002 })),
      ],
      near: marks.map((id) => [id, at(id)]),
    },
  };
  const { port1, port2 } = new MessageChannel();
  const answer = await compute({ input: JSON.parse(JSON.stringify(input)) as ComputeInput, given: { bytes: Buffer.from(csv) }, port: port2 });
  port1.close();
  expect(answer).toMatchObject({ ok: true, outcome: { kind: 'solve', solve: { status: 'solved', anchoring: { datum: expect.arrayContaining([`${marks.length} surveyed points`]) } } } });
});
