import { simulateShot, uniform } from '@mesure/synthetic';
import { solveTracks } from '.';
type Point = readonly [number, number, number];
const u = uniform(3);
const points = Array.from({ length: 90 }, (_, i) => ({ id: `m${i}`, at: [-2.5 + 5 * u(), i % 2 ? 2.4 * u() : 0, -5 + 3.4 * u()] as Point }));
const ease = (t: number) => t * t * (3 - 2 * t);
const cases: Record<string, { focal: (t: number) => number; path: (t: number) => Point; aim: (t: number) => Point; life?: number }> = {
  'dolly zoom in': { focal: (t) => 24 + 16 * ease(t), path: (t) => [-0.7 + 1.4 * t, 1.4, 1.2], aim: () => [0, 0.8, -3] },
  'dolly zoom part': { focal: (t) => 24 + 16 * ease(Math.min(1, Math.max(0, (t - 0.3) / 0.3))), path: (t) => [-0.7 + 1.4 * t, 1.4, 1.2], aim: () => [0, 0.8, -3], life: 40 },
  'counter zoom': { focal: (t) => 40 - 16 * t, path: (t) => [0.2 * t, 1.4, 1.6 - 1.4 * t], aim: () => [0, 0.8, -3] },
  'pan zoom': { focal: (t) => 24 + 12 * ease(t), path: () => [0, 1.4, 1.2], aim: (t) => [-1 + 2 * t, 0.8 + 0.2 * t, -3] },
  'no zoom': { focal: () => 30, path: (t) => [-0.7 + 1.4 * t, 1.4, 1.2], aim: () => [0, 0.8, -3] },
};
test.each(Object.keys(cases))(
  '%s',
  (name) => {
    const c = cases[name];
    const F = 72;
    const shot = simulateShot({
      widthPx: 1920,
      heightPx: 1080,
      sensorWidthMm: 24,
      sensorHeightMm: 13.5,
      focalMm: c.focal,
      frames: F,
      points,
      path: c.path,
      aim: c.aim,
      noisePx: 0.3,
      lifeFrames: c.life,
    });
    for (const focal of process.env.ZF
      ? [
          { mode: 'free' as const, mm: 32 },
          { mode: 'held' as const, mm: c.focal(0.5) },
        ]
      : [
          { mode: 'zoom' as const, mm: 32, sigmaMm: 8 },
          { mode: 'zoom' as const, mm: 45 },
          {
            mode: 'zoom' as const,
            mm: 32,
            profile: [
              { frame: 1, mm: c.focal(0) * 1.02 },
              { frame: F, mm: c.focal(1) },
            ],
          },
        ]) {
      const t0 = Date.now();
      const s = solveTracks(shot.tracks, { image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal, distortion: { mode: 'none' } });
      const z = s.frames.map((f) => (f.focalMm - c.focal((f.frame - 1) / (F - 1))) / (f.sigmaFocalMm || 1));
      const e = s.frames.map((f) => Math.abs(f.focalMm / c.focal((f.frame - 1) / (F - 1)) - 1));
      console.log(
        name,
        JSON.stringify(focal).slice(0, 60),
        s.status,
        s.motion,
        s.reason,
        'ms',
        Date.now() - t0,
        'rms',
        s.rmsPx?.toFixed(3),
        'worst',
        (100 * Math.max(...e)).toFixed(2),
        '% rms z',
        Math.sqrt(z.reduce((a, b) => a + b * b, 0) / z.length).toFixed(2),
        'sigma',
        s.frames[36]?.sigmaFocalMm?.toFixed(3),
        'frames',
        s.frames.length,
        s.frames
          .filter((_, i) => i % 14 === 0)
          .map((f) => f.focalMm.toFixed(2))
          .join(' '),
        s.trimmed.length,
        s.warnings.filter((w) => !/No (ground|scale)/.test(w)).join(' | '),
      );
    }
  },
  100000,
);
