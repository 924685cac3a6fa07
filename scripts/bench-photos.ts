// Real photographs of a chequerboard against a general computer-vision library on the same pictures and on the same corners.
//   npm run bench photos DIR COLUMNSxROWS      inner corners of the board, such as 9x6; pictures of one camera at one setting
// The other library is Debian's python3-opencv; without it only our side is measured.
import { detectChart, fitLens, selectModel, toObservations, type PlateLattice } from '@mesure/core';
import { readGray } from '@mesure/formats/picture';
import { spawnSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';

const PYTHON = '/usr/bin/python3';
/** Reads the question as JSON, answers as JSON: its own search with its own corners, and its calibration on ours. */
const OTHER = `
import sys, json, time
import cv2, numpy as np
q = json.load(sys.stdin)
size = (q['width'], q['height'])
stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 200, 1e-12)
flags = cv2.CALIB_FIX_K3 | cv2.CALIB_ZERO_TANGENT_DIST | cv2.CALIB_FIX_ASPECT_RATIO | cv2.CALIB_USE_INTRINSIC_GUESS
guess = np.array([[1.2 * size[0], 0, size[0] / 2], [0, 1.2 * size[0], size[1] / 2], [0, 0, 1]])
def calibrate(obj, img):
    began = time.time()
    rms, k, d, _, _ = cv2.calibrateCamera(obj, img, size, guess.copy(), None, flags=flags, criteria=stop)
    return {'rms': rms, 'focal': k[0, 0], 'ms': 1000 * (time.time() - began)}
obj = [np.array([[c[1], c[0], 0] for c in p], np.float32) for p in q['plates']]
img = [np.array([[c[2] - 0.5, c[3] - 0.5] for c in p], np.float32) for p in q['plates']]
same = calibrate(obj, img)
cols, rows = q['cols'], q['rows']
own_obj, own_img, took = [], [], []
for name in q['files']:
    grey = cv2.imread(name, 0)
    began = time.time()
    ok, corners = cv2.findChessboardCorners(grey, (cols, rows))
    if ok: corners = cv2.cornerSubPix(grey, corners, (11, 11), (-1, -1), (3, 100, 0.001))
    took.append(1000 * (time.time() - began))
    if ok:
        own_img.append(corners)
        own_obj.append(np.array([[i, j, 0] for j in range(rows) for i in range(cols)], np.float32))
own = calibrate(own_obj, own_img) if len(own_obj) > 2 else None
print(json.dumps({'same': same, 'own': own, 'found': len(own_obj), 'searchMs': sorted(took)[len(took) // 2]}))
`;

export async function benchPhotos(dir: string | undefined, board: string | undefined): Promise<void> {
  const size = /^(\d+)x(\d+)$/.exec(board ?? '');
  if (!dir || !size) throw new Error('npm run bench photos DIR COLUMNSxROWS');
  const files = readdirSync(dir)
    .filter((f) => /\.(jpe?g|png|tiff?)$/i.test(f))
    .sort()
    .map((f) => path.join(dir, f));
  const lattices: PlateLattice[] = [];
  const times: number[] = [];
  let frame = { widthPx: 0, heightPx: 0, fxPx: 0, fyPx: 0 };
  for (const file of files) {
    const image = await readGray(readFileSync(file), file);
    frame = { widthPx: image.widthPx, heightPx: image.heightPx, fxPx: 1.2 * image.widthPx, fyPx: 1.2 * image.widthPx };
    const began = performance.now();
    lattices.push(detectChart(image, frame));
    times.push(performance.now() - began);
  }
  const wanted = Number(size[1]) * Number(size[2]);
  const found = lattices.filter((l) => l.status === 'found');
  console.log(`\n${files.length} photographs, a board of ${board} inner corners`);
  console.log(`  ours: ${found.length} found, ${found.map((l) => l.nodes.length).join(' ')} of ${wanted} corners, ${times.sort((a, b) => a - b)[times.length >> 1].toFixed(0)} ms a picture (median)`);
  if (found.length < 3) return;
  const observations = found.flatMap((l, i) => toObservations(l.nodes, i));
  const began = performance.now();
  const chosen = selectModel(observations, frame, 'radial').fit;
  console.log(
    `  ours: ${observations.length} corners, terms ${chosen.terms.join(', ')}: RMS ${chosen.rmsPx.toFixed(4)} px over ${chosen.usedCount}, focal ${(chosen.focalRatio * frame.fxPx).toFixed(2)} px, ${(performance.now() - began).toFixed(0)} ms`,
  );
  // the same unknowns on both sides, over the corners that our fit kept
  const kept = observations.filter((_, i) => chosen.used[i] === 1);
  const ours = fitLens(kept, frame, { terms: ['k2', 'center', 'focalRatio'] });
  const all = kept.filter((_, i) => ours.used[i] === 1);
  const plates = found.map((_, q) => all.filter((o) => o.plate === q).map((o) => [o.row, o.col, o.x, o.y])).filter((p) => p.length > 11);
  const answer = spawnSync(PYTHON, ['-c', OTHER], {
    input: JSON.stringify({ width: frame.widthPx, height: frame.heightPx, cols: Number(size[1]), rows: Number(size[2]), plates, files }),
    encoding: 'utf8',
    maxBuffer: 1 << 26,
  });
  if (answer.status !== 0) {
    console.log(`  no comparison: ${answer.stderr.trim().split('\n').pop() ?? 'python3 is missing'} (apt-get install python3-opencv)`);
    return;
  }
  const other = JSON.parse(answer.stdout) as { same: { rms: number; focal: number; ms: number }; own: { rms: number; focal: number } | null; found: number; searchMs: number };
  console.log(
    `  same corners, same unknowns: ours ${ours.rmsPx.toFixed(4)} px, the other ${other.same.rms.toFixed(4)} px, ratio ${(ours.rmsPx / other.same.rms).toFixed(4)}; focal ${(ours.focalRatio * frame.fxPx).toFixed(2)} and ${other.same.focal.toFixed(2)} px`,
  );
  if (other.own) console.log(`  the other's own search: ${other.found} found, RMS ${other.own.rms.toFixed(4)} px, ${other.searchMs.toFixed(0)} ms a picture (median)`);
}
