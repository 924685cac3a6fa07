import { CLIP_WAYS, clipScene, renderClip } from '@mesure/synthetic';
import { solveTracks, type SolveSetup } from '../solve';
import { asPoints, trackClip, type ClipTrack } from './track-clip';

const W = 960;
const FRAMES = 40;
const setup: SolveSetup = { image: { width: W, height: 540 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm: 28 }, distortion: { mode: 'none' } };

// rendered frames, really followed; the truth is the scene's
test.each(Object.keys(CLIP_WAYS))('%s', (name) => {
  const clip = renderClip(clipScene(name, W, FRAMES, 4));
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
  const solve = solveTracks(asPoints(tracks), setup);
  console.log(
    `${name}: ${tracks.length} tracks; still used ${used('still')} of ${all('still')}, at an edge ${used('at an edge')} of ${all('at an edge')}, box ${used('box')} of ${all('box')}, burn-in ${used('burn-in')} of ${all('burn-in')}; ` +
      `error ${errors[errors.length >> 1]?.toFixed(2)} px (90 %: ${errors[Math.floor(0.9 * errors.length)]?.toFixed(2)}); fewest in a frame ${Math.min(...frames.map((f) => f.tracks))}; ` +
      `solve ${solve.status} ${solve.motion ?? ''} f ${solve.focalMm?.toFixed(3)} ± ${solve.sigmaFocalMm?.toFixed(3)} (21.6), ${solve.rmsPx?.toFixed(2)} px`,
  );
  expect(used('box')).toBe(0);
  expect(used('burn-in')).toBe(0);
  expect(used('still')).toBeGreaterThan(0.9 * all('still'));
  expect(errors[errors.length >> 1]).toBeLessThan(0.5);
  if (name === 'pan') expect(solve.motion).toBe('pan');
  // one focal length for a shot that zooms is not asked of this solve
  if (name !== 'zoom') expect(Math.abs(solve.focalMm! - 21.6)).toBeLessThan(3 * solve.sigmaFocalMm!);
});
