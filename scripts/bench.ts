// Times and accuracies of the core on generated data. Ratios and growth matter; absolute times are this machine's.
//   npm run bench [grid|solve]
import { analysePlate, solveTracks, type SolveSetup } from '@mesure/core';
import { renderChequer, simulateShot, uniform } from '@mesure/synthetic';

const part = process.argv[2];
const median = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1];
const timed = (times: number, work: () => void): number => {
  const all: number[] = [];
  for (let i = 0; i < times; i += 1) {
    const began = performance.now();
    work();
    all.push(performance.now() - began);
  }
  return median(all);
};

function grid(): void {
  console.log('\nGrid plates: detection, sub-pixel corners, fit (median of 3)');
  console.log('  size         cell  corners   found %   rms px   time ms   ns/pixel');
  for (const [w, h, cellPx, k1] of [
    [1024, 540, 40, -0.1],
    [2048, 1080, 40, -0.1],
    [4096, 2160, 40, -0.1],
    [4096, 2160, 80, -0.25],
    [4096, 2160, 80, 0.15],
    [4096, 2160, 14, -0.05],
  ]) {
    const f = w * 1.2;
    const plate = renderChequer({
      widthPx: w,
      heightPx: h,
      lens: { fxPx: f, fyPx: f, cx: w / 2, cy: h / 2, k1, k2: 0, k3: 0, p1: 0, p2: 0 },
      cellSlope: cellPx / f,
      blurPx: 1,
      noise: 2,
      offsetCells: [0.3, 0.2],
    });
    const data = new Float32Array(plate.gray);
    const run = () => analysePlate({ widthPx: w, heightPx: h, data }, { widthPx: w, heightPx: h, fxPx: f, fyPx: f });
    const found = run();
    const ms = timed(3, run);
    const buckets = new Map<string, { x: number; y: number }[]>();
    for (const c of plate.corners) {
      const k = `${c.x >> 3},${c.y >> 3}`;
      buckets.set(k, [...(buckets.get(k) ?? []), c]);
    }
    let squares = 0;
    for (const n of found.nodes) {
      let best = 64;
      for (let i = -1; i <= 1; i += 1)
        for (let j = -1; j <= 1; j += 1) for (const c of buckets.get(`${(n.x >> 3) + i},${(n.y >> 3) + j}`) ?? []) best = Math.min(best, (c.x - n.x) ** 2 + (c.y - n.y) ** 2);
      squares += best;
    }
    const visible = plate.corners.filter((c) => c.x > 5 && c.y > 5 && c.x < w - 5 && c.y < h - 5).length;
    console.log(
      `  ${`${w}×${h}`.padEnd(11)} ${String(cellPx).padStart(4)} ${String(visible).padStart(8)} ${((100 * found.nodes.length) / visible).toFixed(2).padStart(9)} ${Math.sqrt(
        squares / found.nodes.length,
      )
        .toFixed(4)
        .padStart(8)} ${ms.toFixed(0).padStart(9)} ${((ms * 1e6) / (w * h)).toFixed(0).padStart(10)}`,
    );
  }
}

function solve(): void {
  console.log('\nTest solves: simulated dolly, noise 0.5 px, focal length free');
  console.log('  frames  tracks  observations   rms/expected   focal error/sigma   time s   µs/observation');
  for (const [frames, tracks, life] of [
    [60, 100, 0],
    [120, 100, 0],
    [240, 100, 0],
    [120, 200, 0],
    [500, 500, 120],
    [500, 500, 0],
  ]) {
    const u = uniform(3);
    const points = Array.from({ length: tracks }, (_, i) => ({
      id: `m${i}`,
      at: (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number],
    }));
    const shot = simulateShot({
      widthPx: 4096,
      heightPx: 2160,
      focalMm: 18,
      sensorWidthMm: 24,
      sensorHeightMm: 12.66,
      frames,
      noisePx: 0.5,
      points,
      lifeFrames: life || undefined,
      path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t],
      aim: (t) => [0.2 * t, 0.8, -3.5],
    });
    const setup: SolveSetup = { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 18 }, distortion: { mode: 'none' } };
    const began = performance.now();
    const r = solveTracks(shot.tracks, setup);
    const seconds = (performance.now() - began) / 1000;
    const n = r.points.reduce((s, p) => s + p.observations, 0);
    const expected = Math.SQRT2 * 0.5 * Math.sqrt(1 - (6 * r.frames.length + 3 * r.points.length - 6) / (2 * n));
    console.log(
      `  ${String(frames).padStart(6)} ${String(tracks).padStart(7)} ${String(n).padStart(13)} ${(r.rmsPx! / expected).toFixed(4).padStart(14)} ${((r.focalMm! - 18) / r.sigmaFocalMm!).toFixed(2).padStart(19)} ${seconds.toFixed(2).padStart(8)} ${((seconds * 1e6) / n).toFixed(0).padStart(16)}   ${r.status}`,
    );
  }
}

if (!part || part === 'grid') grid();
if (!part || part === 'solve') solve();
