import { CLIP_WAYS, clipScene, renderClip } from '@mesure/synthetic';
import { solveTracks, type SolveSetup } from '../solve';
import { asPoints, trackClip, type ClipTrack } from './track-clip';

const W = 960;
const FRAMES = 40;
const SENSOR_MM = 24;
const setupAt = (mm: number): SolveSetup => ({
  image: { width: W, height: 540 },
  sensor: { widthMm: SENSOR_MM, heightMm: 13.5 },
  focal: { mode: 'free', mm },
  distortion: { mode: 'none' },
});
/** Recorded so far from what it was. */
const STARTS = [0.65, 1, 1.3];
/** Of the focal lengths of all clips, in their own sigmas. */
const off: number[] = [];

// rendered frames, really followed; the truth is the scene's
test.each(Object.keys(CLIP_WAYS))('%s', (name) => {
  const clip = renderClip(clipScene(name, W, FRAMES));
  const { tracks, frames } = trackClip(clip);
  const isFlat = (f: number, x: number, y: number) => [-14, 0, 14].every((dx) => [-14, 0, 14].every((dy) => clip.panelAt(f, x + dx, y + dy) === clip.panelAt(f, x, y)));
  const kindOf = (t: ClipTrack) => {
    const m = t.frames.length >> 1;
    const kind = clip.kindAt(t.frames[m], t.xPx[m], t.yPx[m]);
    return kind === 'still' && !isFlat(t.frames[m], t.xPx[m], t.yPx[m]) ? 'at an edge' : kind;
  };
  const kinds = tracks.map(kindOf);
  const used = (kind: string) => tracks.filter((t, i) => kinds[i] === kind && t.weight.some((w) => w > 0)).length;
  const all = (kind: string) => kinds.filter((k) => k === kind).length;
  const errors = tracks.flatMap((t, n) => {
    if (kinds[n] !== 'still') return [];
    const m = t.frames.length >> 1;
    return t.frames.flatMap((f, i) => {
      const q = t.weight[i] > 0 ? clip.truth(t.frames[m], t.xPx[m], t.yPx[m], f) : null;
      return q ? [Math.hypot(q.xPx - t.xPx[i], q.yPx - t.yPx[i])] : [];
    });
  });
  errors.sort((p, q) => p - q);
  const trueMm = (clip.focalPx * SENSOR_MM) / W;
  const solves = STARTS.map((by) => solveTracks(asPoints(tracks), setupAt(by * trueMm)));
  const solve = solves[1];
  console.log(
    `${name}: ${tracks.length} tracks; still used ${used('still')} of ${all('still')}, at an edge ${used('at an edge')} of ${all('at an edge')}, box ${used('box')} of ${all('box')}, burn-in ${used('burn-in')} of ${all('burn-in')}; ` +
      `error ${errors[errors.length >> 1]?.toFixed(2)} px (90 %: ${errors[Math.floor(0.9 * errors.length)]?.toFixed(2)}); fewest in a frame ${Math.min(...frames.map((f) => f.tracks))}; ` +
      `${solves.map((s) => `${s.status} ${s.motion ?? ''} f ${s.focalMm?.toFixed(3)} ± ${s.sigmaFocalMm?.toFixed(3)}, ${s.rmsPx?.toFixed(2)} px`).join('; ')} (${trueMm.toFixed(2)})`,
  );
  expect(used('box')).toBe(0);
  expect(used('burn-in')).toBe(0);
  expect(used('still')).toBeGreaterThan(0.9 * all('still'));
  expect(errors[errors.length >> 1]).toBeLessThan(0.5);
  if (name === 'pan') for (const s of solves) expect(s.motion).toBe('pan');
  // one focal length for a shot that zooms is not asked of this solve
  if (name === 'zoom') return;
  // one answer from every start, within its own sigma: where thirty centimetres hardly tell it, a track more or less that is left out moves it by so much.
  // A shot that is parted says so, and only of the part that it begins with
  const parted = solves.some((s) => s.status === 'partial' && s.motion !== 'pan');
  for (const s of solves) {
    if (!parted) expect(Math.abs(s.focalMm! - solve.focalMm!)).toBeLessThan(solve.sigmaFocalMm!);
    expect(Math.abs(s.focalMm! - trueMm)).toBeLessThan((parted ? 4 : 3) * s.sigmaFocalMm!);
  }
  off.push((solve.focalMm! - trueMm) / solve.sigmaFocalMm!);
});

test('over all clips the focal length is off by what its sigma says', () => {
  console.log(off.map((z) => z.toFixed(2)).join(' '));
  expect(off.filter((z) => Math.abs(z) < 2).length).toBeGreaterThanOrEqual(0.95 * off.length - 1e-9);
});
