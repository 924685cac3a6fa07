// Features of HD frames followed, against a general computer-vision library's pyramidal flow on the same frames, forwards and backwards.
//   npm run bench track
// The other library is Debian's python3-opencv, where it is installed. The frames are one textured plane, shifted, turned and enlarged by a known map.
import { followClip, type FrameSource } from '@mesure/core';
import { normals, uniform } from '@mesure/synthetic';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';

const W = 1920;
const H = 1080;
const FRAMES = 60;
const FEATURES = 300;
const PYTHON = '/usr/bin/python3';
const OTHER = `
import sys, json, time
import cv2, numpy as np
q = json.load(sys.stdin)
cv2.setNumThreads(1)
raw = np.fromfile(q['file'], np.uint8).reshape(q['count'], q['height'], q['width'])
p = cv2.goodFeaturesToTrack(raw[0], q['features'], 0.01, 30)
start = p.copy(); alive = np.ones(len(p), bool)
took = []
for a, b in zip(raw[:-1], raw[1:]):
    began = time.time()
    n, s, _ = cv2.calcOpticalFlowPyrLK(a, b, p, None, winSize=(15, 15), maxLevel=5)
    r, t, _ = cv2.calcOpticalFlowPyrLK(b, a, n, None, winSize=(15, 15), maxLevel=5)
    took.append(1000 * (time.time() - began))
    alive &= (s[:, 0] == 1) & (t[:, 0] == 1) & (np.hypot(*(r - p)[:, 0].T) < 0.7)
    p = n
print(json.dumps({'ms': sorted(took)[len(took) // 2], 'tracks': [[float(u[0][0] + 0.5), float(u[0][1] + 0.5), float(v[0][0] + 0.5), float(v[0][1] + 0.5)] for u, v, k in zip(start, p, alive) if k]}))
`;

/** Where a place of the plane, px from its middle, is seen in frame f. */
function seen(f: number, x: number, y: number): [number, number] {
  const [turn, size] = [0.0012 * f, 1 + 0.0015 * f];
  const [c, s] = [size * Math.cos(turn), size * Math.sin(turn)];
  return [W / 2 + c * x - s * y + 3.37 * f, H / 2 + s * x + c * y - 1.21 * f];
}
/** The other way. */
function planeOf(f: number, px: number, py: number): [number, number] {
  const [turn, size] = [0.0012 * f, 1 + 0.0015 * f];
  const [dx, dy] = [px - W / 2 - 3.37 * f, py - H / 2 + 1.21 * f];
  const [c, s] = [Math.cos(turn) / size, Math.sin(turn) / size];
  return [c * dx + s * dy, -s * dx + c * dy];
}

/** Stains and boards of all sizes, drawn once, and read bilinearly for each frame; 1.5 grey levels of noise. */
function frames(): FrameSource & { raw: Buffer } {
  const [TW, TH] = [2600, 1600];
  const u = uniform(4);
  const texture = new Float32Array(TW * TH).fill(120);
  for (let n = 0; n < 9000; n += 1) {
    const [x, y, w, h, g] = [u() * TW, u() * TH, 4 + 60 * u() ** 3, 4 + 60 * u() ** 3, 30 + 190 * u()];
    for (let j = Math.floor(y); j < Math.min(TH, y + h); j += 1) texture.fill(g, j * TW + Math.floor(x), j * TW + Math.min(TW, Math.floor(x + w)));
  }
  // as a lens draws it: no edge is sharper than a pixel
  for (let pass = 0; pass < 2; pass += 1)
    for (const step of [1, TW]) for (let i = step; i < texture.length - step; i += 1) texture[i] = 0.25 * texture[i - step] + 0.5 * texture[i] + 0.25 * texture[i + step];
  const n = normals(9);
  const raw = Buffer.alloc(FRAMES * W * H);
  for (let f = 0; f < FRAMES; f += 1)
    for (let y = 0; y < H; y += 1)
      for (let x = 0; x < W; x += 1) {
        const [px, py] = planeOf(f, x + 0.5, y + 0.5);
        const [fx, fy] = [px + TW / 2 - 0.5, py + TH / 2 - 0.5];
        const [x0, y0] = [Math.floor(fx), Math.floor(fy)];
        const [ax, ay] = [fx - x0, fy - y0];
        const i = y0 * TW + x0;
        const v = (1 - ay) * ((1 - ax) * texture[i] + ax * texture[i + 1]) + ay * ((1 - ax) * texture[i + TW] + ax * texture[i + TW + 1]);
        raw[f * W * H + y * W + x] = Math.min(255, Math.max(0, Math.round(v + 1.5 * n())));
      }
  return { count: FRAMES, widthPx: W, heightPx: H, raw, at: (f) => ({ widthPx: W, heightPx: H, data: new Uint8Array(raw.buffer, raw.byteOffset + f * W * H, W * H) }) };
}

export function benchTrack(): void {
  console.log(`\nFeatures followed: ${FRAMES} frames of ${W} × ${H}, ${FEATURES} features, one thread`);
  const source = frames();
  const quantile = (list: number[], q: number) => [...list].sort((a, b) => a - b)[Math.floor(q * (list.length - 1))];
  const off = (x0: number, y0: number, x1: number, y1: number, f0: number, f1: number) => {
    const q = seen(f1, ...planeOf(f0, x0, y0));
    return Math.hypot(q[0] - x1, q[1] - y1);
  };
  const began = performance.now();
  const tracks = followClip(source, { most: FEATURES });
  const ms = (performance.now() - began) / FRAMES;
  const whole = tracks.filter((t) => t.frames.length === FRAMES);
  const errors = whole.map((t) => off(t.xPx[0], t.yPx[0], t.xPx[FRAMES - 1], t.yPx[FRAMES - 1], 0, FRAMES - 1));
  console.log(
    `  ours, forwards and back over the clip, with the fit to the first look: ${ms.toFixed(0)} ms a frame (${(ms / 2).toFixed(0)} ms a pass); ${whole.length} over the whole clip, off by ${quantile(errors, 0.5).toFixed(3)} px in the middle, ${quantile(errors, 0.9).toFixed(3)} at 90 %`,
  );
  const dir = mkdtempSync(path.join(tmpdir(), 'follow-'));
  try {
    const file = path.join(dir, 'frames');
    writeFileSync(file, source.raw);
    const r = spawnSync(PYTHON, ['-c', OTHER], { input: JSON.stringify({ file, count: FRAMES, width: W, height: H, features: FEATURES }), encoding: 'utf8', maxBuffer: 1 << 26 });
    if (r.status !== 0) {
      console.log('  python3-opencv is not installed: nothing to compare with');
      return;
    }
    const other = JSON.parse(r.stdout) as { ms: number; tracks: [number, number, number, number][] };
    const drift = other.tracks.map(([x0, y0, x1, y1]) => off(x0, y0, x1, y1, 0, FRAMES - 1));
    console.log(
      `  the library, each frame to the next and back: ${other.ms.toFixed(0)} ms a frame; ${drift.length} over the whole clip, off by ${quantile(drift, 0.5).toFixed(3)} px in the middle, ${quantile(drift, 0.9).toFixed(3)} at 90 %`,
    );
    console.log(`  ratio of one pass of ours: ${(ms / 2 / other.ms).toFixed(2)}`);
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}
