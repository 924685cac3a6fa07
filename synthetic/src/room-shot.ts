import { uniform } from './noise';
import { simulateShot, type ShotScene, type SimulatedShot } from './simulate-shot';

/** A dolly past sixty points of a room, half of them on the floor: the shot that tests of whole paths share. */
export function roomShot(scene: Pick<ShotScene, 'widthPx' | 'heightPx' | 'focalMm' | 'sensorWidthMm' | 'sensorHeightMm' | 'frames' | 'noisePx' | 'k'>): {
  shot: SimulatedShot;
  csv: string;
  floorMarks: string[];
  /** true places, metres */
  points: { id: string; at: readonly [number, number, number] }[];
} {
  const u = uniform(3);
  const points = Array.from({ length: 60 }, (_, i) => ({ id: `m${i}`, at: [-2 + 4 * u(), i % 2 ? 2 * u() : 0, -4.5 + 3 * u()] as const }));
  const shot = simulateShot({ ...scene, points, path: (t) => [-0.8 + 1.6 * t, 1.4, 1.2], aim: () => [0, 0.8, -3] });
  const first = new Set(shot.tracks.filter((t) => t.frame === 1).map((t) => t.track));
  return { shot, csv: tracksText(shot), points, floorMarks: points.filter((p, i) => i % 2 === 0 && first.has(p.id)).map((p) => p.id) };
}

/** Tracks as the CSV that a tracker writes, in full precision. */
export const tracksText = (shot: SimulatedShot): string => `track,frame,x,y\n${shot.tracks.map((t) => `${t.track},${t.frame},${t.x},${t.y}`).join('\n')}\n`;
