// Rendered boards and corners against a general computer-vision library on the same pictures and the same corners.
//   npm run bench library
// The other library is Debian's python3-opencv; it needs the whole board in the frame and the number of corners beforehand, ours neither.
import { detectChart, fitLens, selectModel, type GridObservation } from '@mesure/core';
import { renderChequer } from '@mesure/synthetic';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';

/** Runs before the first that counts. */
const WARM = 8;
const PYTHON = '/usr/bin/python3';
const OTHER = `
import sys, json, time
import cv2, numpy as np
q = json.load(sys.stdin)
def timed(work):
    took = []
    for _ in range(5):
        began = time.time(); value = work(); took.append(1000 * (time.time() - began))
    return value, sorted(took)[2]
boards = []
for b in q['boards']:
    grey = cv2.imread(b['file'], 0)
    size = (b['cols'], b['rows'])
    def classic():
        ok, c = cv2.findChessboardCorners(grey, size)
        return cv2.cornerSubPix(grey, c, (11, 11), (-1, -1), (3, 100, 0.001)) if ok else None
    c, ms = timed(classic)
    s, sectorMs = timed(lambda: cv2.findChessboardCornersSB(grey, size)[0])
    boards.append({'classicMs': ms, 'classic': c is not None, 'sectorMs': sectorMs, 'sector': bool(s)})
w, h, f = q['width'], q['height'], q['focal']
obj = [np.array([[c[1], c[0], 0] for c in p], np.float32) for p in q['plates']]
img = [np.array([[c[2] - 0.5, c[3] - 0.5] for c in p], np.float32) for p in q['plates']]
flags = cv2.CALIB_FIX_K3 | cv2.CALIB_ZERO_TANGENT_DIST | cv2.CALIB_FIX_ASPECT_RATIO | cv2.CALIB_USE_INTRINSIC_GUESS
r, ms = timed(lambda: cv2.calibrateCamera(obj, img, (w, h), np.array([[f, 0, w / 2], [0, f, h / 2], [0, 0, 1]]), None, flags=flags))
print(json.dumps({'boards': boards, 'joint': {'ms': ms, 'rms': r[0], 'focal': r[1][0, 0]}}))
`;

export function benchLibrary(timed: (times: number, work: () => void) => number, joint: { corners: GridObservation[]; widthPx: number; heightPx: number; focalPx: number }): void {
  const dir = mkdtempSync(path.join(tmpdir(), 'boards-'));
  const [w, h] = [4096, 2160];
  const f = 1.2 * w;
  const boards = [
    [40, 48, 25],
    [80, 24, 12],
    [160, 12, 6],
    // larger than the frame, as a lens is measured
    [80, 0, 0],
  ].map(([cellPx, halfCols, halfRows]) => {
    const plate = renderChequer({
      widthPx: w,
      heightPx: h,
      lens: { fxPx: f, fyPx: f, cx: w / 2, cy: h / 2, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 },
      cellSlope: cellPx / f,
      blurPx: 1,
      noise: 2,
      boardHalfCells: halfCols > 0 ? [halfCols, halfRows] : undefined,
      tiltXRad: 0.05,
    });
    const file = path.join(dir, `${cellPx}-${halfCols}.pgm`);
    writeFileSync(file, Buffer.concat([Buffer.from(`P5 ${w} ${h} 255\n`), Buffer.from(plate.gray)]));
    const image = { widthPx: w, heightPx: h, data: plate.gray };
    const frame = { widthPx: w, heightPx: h, fxPx: f, fyPx: f };
    // both run warm: a phone that measures its second plate
    let found = 0;
    for (let i = 0; i < WARM; i += 1) found = detectChart(image, frame).nodes.length;
    const overfills = halfCols === 0;
    // the other is told how many corners it must find: of a chart without an end, those that lie in the frame
    const [cols, rows] = overfills ? [Math.floor(w / cellPx) - 2, Math.floor(h / cellPx) - 2] : [2 * halfCols - 1, 2 * halfRows - 1];
    return { cellPx, file, cols, rows, found, all: overfills ? plate.corners.length : cols * rows, overfills, ms: timed(5, () => detectChart(image, frame)) };
  });
  const frame = { widthPx: joint.widthPx, heightPx: joint.heightPx, fxPx: 0.95 * joint.focalPx, fyPx: 0.95 * joint.focalPx };
  const same = fitLens(joint.corners, frame, { terms: ['k2', 'center', 'focalRatio'] });
  const fitMs = timed(5, () => fitLens(joint.corners, frame, { terms: ['k2', 'center', 'focalRatio'] }));
  const chosenMs = timed(5, () => selectModel(joint.corners, frame, 'radial'));
  const plates: number[][][] = [];
  for (const c of joint.corners) (plates[c.plate] ??= []).push([c.row, c.col, c.x, c.y]);
  const answer = spawnSync(PYTHON, ['-c', OTHER], { input: JSON.stringify({ boards, plates, width: joint.widthPx, height: joint.heightPx, focal: frame.fxPx }), encoding: 'utf8', maxBuffer: 1 << 26 });
  rmSync(dir, { recursive: true });
  if (answer.status !== 0) {
    console.log(`  no comparison: ${answer.stderr.trim().split('\n').pop() ?? 'python3 is missing'} (apt-get install python3-opencv)`);
    return;
  }
  const other = JSON.parse(answer.stdout) as { boards: { classicMs: number; classic: boolean; sectorMs: number; sector: boolean }[]; joint: { ms: number; rms: number; focal: number } };
  console.log('\nBoards on 4096×2160, search and sub-pixel corners (median of 5, warm), ours and a general library');
  console.log('  cell  corners    ours ms   its classic search ms   its search by sectors ms');
  boards.forEach((b, i) => {
    const o = other.boards[i];
    console.log(
      `  ${String(b.cellPx).padStart(4)}${b.overfills ? '*' : ' '}${`${b.found}/${b.all}`.padStart(9)} ${b.ms.toFixed(0).padStart(9)} ${`${o.classicMs.toFixed(0)}${o.classic ? '' : ' (none)'}`.padStart(23)} ${`${o.sectorMs.toFixed(0)}${o.sector ? '' : ' (none)'}`.padStart(26)}`,
    );
  });
  console.log('  * larger than the frame: every corner in the frame is to be found; the other library is asked for as many as surely lie in it');
  console.log(
    `Joint fit of ${plates.length} plates, ${joint.corners.length} corners, the same unknowns: ours ${fitMs.toFixed(0)} ms (robust, RMS ${same.rmsPx.toFixed(4)} px over ${same.usedCount}), with the choice of terms ${chosenMs.toFixed(0)} ms; the other ${other.joint.ms.toFixed(0)} ms (RMS ${other.joint.rms.toFixed(4)} px)`,
  );
}
