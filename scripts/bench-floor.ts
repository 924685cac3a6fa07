// What the floor computes: sound of two cameras against each other, and the pictures of a stills walk.
import { checkWalk, compareStills, lookAtStill, soundOffset, stillFeatures, type GrayImage } from '@mesure/core';
import { normals, renderStill, roomPanels, sharedShare, type StillCamera } from '@mesure/synthetic';

type Timed = (times: number, work: () => void) => number;

/** The same claps in two recordings, the second later and in more noise. */
export function benchSync(timed: Timed): void {
  console.log('\nSync by sound, 48 kHz against 48 kHz (median of 3)');
  console.log('  seconds        ms   ms per second   error ms');
  const RATE = 48_000;
  const LATER_S = 1.2345;
  for (const seconds of [20, 60, 180, 600]) {
    const g = normals(7);
    const n = seconds * RATE;
    const [a, b] = [new Float32Array(n), new Float32Array(n)];
    const later = Math.round(LATER_S * RATE);
    for (let i = 0; i < n; i += 1) {
      a[i] += 0.004 * g();
      b[i] += 0.006 * g();
    }
    for (let at = 0.7 * RATE; at < n - 3 * RATE; at += RATE * (0.9 + 0.4 * Math.abs(g())))
      for (let i = 0; i < 3000; i += 1) {
        const v = 0.3 * g() * Math.exp(-i / 500);
        a[Math.round(at) + i] += v;
        b[Math.round(at) + later + i] += v;
      }
    const recording = (samples: Float32Array) => ({ rateHz: RATE, samples });
    let error = 0;
    const ms = timed(3, () => {
      error = soundOffset(recording(a), recording(b)).offsetS - later / RATE;
    });
    console.log(`  ${String(seconds).padStart(7)} ${ms.toFixed(0).padStart(9)} ${(ms / seconds).toFixed(2).padStart(15)} ${(1000 * Math.abs(error)).toFixed(3).padStart(10)}`);
  }
}

/** Pictures of a room with known geometry: how long a look and a comparison take, and how near the overlap is. */
export function benchStills(timed: Timed): void {
  console.log('\nPictures of a stills walk (median of 3)');
  console.log('  size          look ms   ns/pixel   compare ms   true overlap   found');
  const panels = roomPanels(12, 8, 3, 9);
  for (const [widthPx, heightPx] of [
    [1500, 1000],
    [3000, 2000],
    [6000, 4000],
  ]) {
    const camera = (x: number): StillCamera => ({ at: [x, 1.5, -1.5], headingRad: 0, tiltRad: 0, widthPx: 1500, heightPx: 1000, focalPx: 1125 });
    const [one, two] = [camera(-2), camera(0.3)];
    const picture = (c: StillCamera, seed: number): GrayImage => enlarged(renderStill(panels, c, { blurPx: [0.5, 0.5], noise: 2, seed }), widthPx, heightPx);
    const [a, b] = [picture(one, 1), picture(two, 2)];
    const lookMs = timed(3, () => lookAtStill(a));
    const [fa, fb] = [stillFeatures(a), stillFeatures(b)];
    let found: number | null = null;
    const compareMs = timed(3, () => {
      found = compareStills(fa, fb, heightPx / widthPx).overlap;
    });
    const truth = (sharedShare(panels, one, two) + sharedShare(panels, two, one)) / 2;
    console.log(
      `  ${`${widthPx}×${heightPx}`.padEnd(12)} ${lookMs.toFixed(0).padStart(8)} ${((1e6 * lookMs) / (widthPx * heightPx)).toFixed(0).padStart(10)} ${compareMs.toFixed(0).padStart(12)} ${truth.toFixed(3).padStart(14)} ${(found ?? Number.NaN).toFixed(3).padStart(7)}`,
    );
    if (widthPx === 1500) {
      const look = lookAtStill(a);
      const walk = Array.from({ length: 36 }, (_, station) => ({ station, look, notes: null }));
      const ms = timed(3, () =>
        checkWalk(
          walk,
          walk.slice(1).map(({ station }): [number, number] => [station - 1, station]),
          0.25,
        ),
      );
      console.log(`  a walk of 36 pictures, all pairs of neighbours: ${ms.toFixed(0)} ms`);
    }
  }
}

/** The same picture with more pixels: each becomes a square of them. */
function enlarged({ widthPx: w, heightPx: h, gray }: { widthPx: number; heightPx: number; gray: Uint8Array }, widthPx: number, heightPx: number): GrayImage {
  const data = new Float32Array(widthPx * heightPx);
  for (let y = 0; y < heightPx; y += 1) for (let x = 0; x < widthPx; x += 1) data[y * widthPx + x] = gray[Math.floor((y * h) / heightPx) * w + Math.floor((x * w) / widthPx)];
  return { widthPx, heightPx, data };
}
