import { erf } from './erf';
import { bend, unbend, unfolded, type Lens } from './lens';
import { normals, uniform } from './noise';

export interface ChequerScene {
  widthPx: number;
  heightPx: number;
  lens: Lens;
  /** size of a cell over the distance of the chart, so that cellSlope · fxPx is the cell in px in the middle */
  cellSlope: number;
  /** turns of the chart in radians: about the view axis, then tilt about the picture's x and y */
  rollRad?: number;
  tiltXRad?: number;
  tiltYRad?: number;
  /** chart coordinates in cells at the middle of the view */
  offsetCells?: readonly [number, number];
  /** half size of the board in cells; none: endless */
  boardHalfCells?: readonly [number, number];
  /** what stands beyond the board's white margin: a room of boxes and shelves by this seed; none: white without end */
  room?: { marginCells: number; seed: number };
  /** thin lines at whole numbers instead of a chequer: their width in cells, dark on light unless `light` */
  ruled?: { widthCells: number; light?: boolean };
  blurPx?: number; // default 1, the pixel's own area included
  /** sigma of the noise in grey levels of 255 */
  noise?: number;
  seed?: number;
  dark?: number; // default 40
  bright?: number; // default 210
  /** light left in the corners, 0…1; default 1 */
  vignette?: number;
  /** grey rectangles in px: [x, y, width, height] */
  hidden?: readonly (readonly [number, number, number, number])[];
}

export interface RenderedPlate {
  widthPx: number;
  heightPx: number;
  gray: Uint8Array;
  /** every inner corner inside the frame and not hidden, px */
  corners: { row: number; col: number; x: number; y: number }[];
}

/** Square wave of period 2 with edges at whole numbers, smoothed by a Gaussian of sigma s (in cells). */
function wave(u: number, s: number): number {
  const k = Math.round(u);
  const q = Math.SQRT2 * s;
  let value = erf((u - k) / q);
  // the next edges matter when the blur is large against the cell
  if (s > 0.12) value -= erf((u - k - 1) / q) + erf((u - k + 1) / q);
  return k % 2 === 0 ? value : -value;
}

/** How much of a line at the nearest whole number covers a place, smoothed by a Gaussian of sigma s (in cells), 0…1. */
function lineCover(u: number, widthCells: number, s: number): number {
  const d = u - Math.round(u);
  const q = Math.SQRT2 * s;
  return (erf((d + widthCells / 2) / q) - erf((d - widthCells / 2) / q)) / 2;
}

/** Boxes on shelves behind the board: edges in both directions, which cross at right angles here and there. */
function roomGrey(seed: number): (x: number, y: number) => number {
  const random = uniform(seed);
  const boxes = Array.from({ length: 40 }, () => ({ x: 1800 * random() - 100, y: 1000 * random() - 100, w: 30 + 200 * random(), h: 20 + 160 * random(), grey: 20 + 210 * random() }));
  return (x, y) => boxes.reduce((grey, b) => (x >= b.x && x < b.x + b.w && y >= b.y && y < b.y + b.h ? b.grey : grey), 90);
}

/**
 * Renders a chequered chart by inverse mapping with analytic anti-aliasing: each pixel is carried exactly through the lens onto the
 * chart; the blur is a Gaussian in chart coordinates through the local derivative.
 */
export function renderChequer(scene: ChequerScene): RenderedPlate {
  const { widthPx: w, heightPx: h, lens } = scene;
  const { dark = 40, bright = 210, blurPx = 1, noise = 0, vignette = 1 } = scene;
  const [ou, ov] = scene.offsetCells ?? [0, 0];
  // board axes in camera space
  const [cr, sr] = [Math.cos(scene.rollRad ?? 0), Math.sin(scene.rollRad ?? 0)];
  const [ca, sa] = [Math.cos(scene.tiltXRad ?? 0), Math.sin(scene.tiltXRad ?? 0)];
  const [cb, sb] = [Math.cos(scene.tiltYRad ?? 0), Math.sin(scene.tiltYRad ?? 0)];
  const turn = (x: number, y: number): [number, number, number] => {
    const rx = cr * x - sr * y;
    const ry = sr * x + cr * y;
    const y1 = ca * ry,
      z1 = sa * ry;
    return [cb * rx + sb * z1, y1, -sb * rx + cb * z1];
  };
  const a = turn(scene.cellSlope, 0);
  const b = turn(0, scene.cellSlope);
  const nx = a[1] * b[2] - a[2] * b[1],
    ny = a[2] * b[0] - a[0] * b[2],
    nz = a[0] * b[1] - a[1] * b[0];
  const aa = a[0] ** 2 + a[1] ** 2 + a[2] ** 2;
  const bb = b[0] ** 2 + b[1] ** 2 + b[2] ** 2;
  const toBoard = (x: number, y: number): [number, number] => {
    const s = nz / (nx * x + ny * y + nz); // ray (x, y, 1)·s meets the plane through (0, 0, 1)
    const dx = s * x,
      dy = s * y,
      dz = s - 1;
    return [(dx * a[0] + dy * a[1] + dz * a[2]) / aa + ou, (dx * b[0] + dy * b[1] + dz * b[2]) / bb + ov];
  };
  const room = scene.room && scene.boardHalfCells ? roomGrey(scene.room.seed) : null;
  const beyond = (bu: number, bv: number): boolean => Math.abs(bu) > scene.boardHalfCells![0] + scene.room!.marginCells || Math.abs(bv) > scene.boardHalfCells![1] + scene.room!.marginCells;
  const gauss = normals(scene.seed ?? 1);
  const { boardHalfCells: board, ruled, hidden } = scene;
  const gray = new Uint8Array(w * h);
  const u = new Float64Array(w),
    v = new Float64Array(w),
    pu = new Float64Array(w),
    pv = new Float64Array(w);
  const halfDiagonal = Math.hypot(w, h) / 2;
  for (let py = 0; py < h; py += 1) {
    let guess: [number, number] | undefined;
    // exact at every fourth pixel; straight between them errs below 0.001 px for any lens that can be used
    for (let start = 0; start < w - 1; start += 4) {
      const end = Math.min(start + 4, w - 1);
      for (const px of start === 0 ? [0, end] : [end]) {
        guess = unbend(lens, (px + 0.5 - lens.cx) / lens.fxPx, (py + 0.5 - lens.cy) / lens.fyPx, guess);
        const board = toBoard(guess[0], guess[1]);
        u[px] = board[0];
        v[px] = board[1];
      }
      for (let px = start + 1; px < end; px += 1) {
        const q = (px - start) / (end - start);
        u[px] = u[start] + q * (u[end] - u[start]);
        v[px] = v[start] + q * (v[end] - v[start]);
      }
    }
    for (let px = 0; px < w; px += 1) {
      const l = px > 0 ? px - 1 : 0;
      const r = px < w - 1 ? px + 1 : w - 1;
      const ux = (u[r] - u[l]) / (r - l);
      const vx = (v[r] - v[l]) / (r - l);
      const uy = py > 0 ? u[px] - pu[px] : 0;
      const vy = py > 0 ? v[px] - pv[px] : vx;
      const su = blurPx * Math.max(1e-9, Math.sqrt(ux * ux + uy * uy));
      const sv = blurPx * Math.max(1e-9, Math.sqrt((py > 0 ? vx * vx : 0) + vy * vy));
      const inside = !board || (Math.abs(u[px]) < board[0] && Math.abs(v[px]) < board[1]);
      let chequer = 1;
      if (ruled && inside) {
        const covered = 1 - (1 - lineCover(u[px], ruled.widthCells, su)) * (1 - lineCover(v[px], ruled.widthCells, sv));
        chequer = ruled.light ? 2 * covered - 1 : 1 - 2 * covered;
      } else if (inside) chequer = wave(u[px], su) * wave(v[px], sv);
      let value = (dark + bright) / 2 + ((bright - dark) / 2) * chequer;
      if (room && beyond(u[px], v[px])) value = room(px, py);
      if (vignette < 1) {
        const dx = px - w / 2;
        const dy = py - h / 2;
        value *= 1 - ((1 - vignette) * (dx * dx + dy * dy)) / (halfDiagonal * halfDiagonal);
      }
      if (hidden) for (const [hx, hy, hw, hh] of hidden) if (px >= hx && px < hx + hw && py >= hy && py < hy + hh) value = 120;
      if (noise > 0) value += noise * gauss();
      gray[py * w + px] = value <= 0 ? 0 : value >= 255 ? 255 : Math.round(value);
    }
    pu.set(u);
    pv.set(v);
  }
  return { widthPx: w, heightPx: h, gray, corners: trueCorners() };

  function trueCorners() {
    const out: RenderedPlate['corners'] = [];
    const limit = Math.ceil((2.2 * Math.hypot(w / lens.fxPx, h / lens.fyPx)) / scene.cellSlope) + 2;
    for (let row = -limit; row <= limit; row += 1) {
      for (let col = -limit; col <= limit; col += 1) {
        if (scene.boardHalfCells && (Math.abs(col) > scene.boardHalfCells[0] - 0.5 || Math.abs(row) > scene.boardHalfCells[1] - 0.5)) continue;
        const cu = col - ou,
          cv = row - ov;
        const z = 1 + cu * a[2] + cv * b[2];
        if (z <= 0.05) continue;
        const x = (cu * a[0] + cv * b[0]) / z,
          y = (cu * a[1] + cv * b[1]) / z;
        const [dx, dy] = bend(lens, x, y);
        const px = lens.cx + lens.fxPx * dx,
          py = lens.cy + lens.fyPx * dy;
        if (px < 0 || py < 0 || px > w || py > h || !unfolded(lens, x, y)) continue;
        if (scene.hidden?.some(([hx, hy, hw, hh]) => px > hx - 1 && px < hx + hw + 1 && py > hy - 1 && py < hy + hh + 1)) continue;
        out.push({ row, col, x: px, y: py });
      }
    }
    return out;
  }
}
