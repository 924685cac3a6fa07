import { CoreError } from '../errors';
import { parseLength } from '../units';
import { compareWithSlate, SIMULATED_SIGMA, simulateAngle, simulateCameraFrame, simulateDistance, simulatePoint, summariseFeed, type CameraScene } from '.';

const scene: CameraScene = { fps: 24, startFrame: 864_000, frames: 240, focalMm: 24, focalEndMm: 70, focusM: 3, focusEndM: 2, stop: 4, iso: 800, shutterDeg: 180 };
const feed = (change: Partial<CameraScene> = {}) => Array.from({ length: change.frames ?? scene.frames }, (_, i) => simulateCameraFrame({ ...scene, ...change }, i, 5));

describe('stand-ins', () => {
  test('a laser has its noise, its failures and its wrong units, and repeats with its seed', () => {
    const readings = Array.from({ length: 2000 }, (_, i) => simulateDistance(1.4, 41, i));
    const metres = readings.filter((r) => r.text?.endsWith(' m')).map((r) => parseLength(r.text!).valueM);
    const sd = Math.sqrt(metres.reduce((s, m) => s + (m - 1.4) ** 2, 0) / metres.length);
    // shown to the millimetre: rounding adds 0.29 mm
    expect(sd).toBeGreaterThan(0.9 * SIMULATED_SIGMA.distanceM);
    expect(sd).toBeLessThan(1.2 * SIMULATED_SIGMA.distanceM);
    const share = (test: (r: { text: string | null }) => boolean) => readings.filter(test).length / readings.length;
    expect(share((r) => r.text === null)).toBeCloseTo(0.12, 1);
    expect(share((r) => r.text?.endsWith('ft') === true)).toBeCloseTo(0.1, 1);
    expect(share((r) => /^\d+\.\d+$/.test(r.text ?? ''))).toBeGreaterThan(0.03);
    // in feet it is the same length
    expect(parseLength(readings.find((r) => r.text?.endsWith('ft'))!.text!).valueM).toBeCloseTo(1.4, 2);
    expect(simulateDistance(1.4, 41, 17)).toEqual(simulateDistance(1.4, 41, 17));
  });
  test('inclinometer and total station', () => {
    expect(simulateAngle(-0.06, 43, 1).text ?? '-3.4°').toMatch(/^-3\.\d°$/);
    const points = Array.from({ length: 200 }, (_, i) => simulatePoint([1, 2, -3], 44, i));
    expect(points.some((p) => p.at === null && p.failure)).toBe(true);
    for (const { at } of points) if (at) expect(Math.hypot(at[0] - 1, at[1] - 2, at[2] + 3)).toBeLessThan(0.01);
  });
});

describe('a take from what the camera told', () => {
  test('a zoom: both ends, its frames, its curve within a thousandth, the timecode', () => {
    const s = summariseFeed(feed());
    expect(s.focalMm).toBeCloseTo(24, 1);
    expect(s.focalEndMm).toBeCloseTo(70, 0);
    // the zoom runs in the middle third: frames 80 to 159; it starts and ends smoothly
    expect(s.zoomFrom).toBeGreaterThanOrEqual(78);
    expect(s.zoomFrom).toBeLessThan(90);
    expect(s.zoomTo).toBeGreaterThan(150);
    expect(s.zoomTo).toBeLessThanOrEqual(162);
    expect(s).toMatchObject({ timecodeIn: '10:00:00:00', timecodeOut: '10:00:09:23', stop: 4, iso: 800, shutterDeg: 180, changed: [] });
    expect(s.lost).toBeGreaterThan(0);
    const at = (frame: number) => {
      const after = s.focalByFrame!.findIndex((c) => c.frame >= frame);
      const [a, b] = [s.focalByFrame![Math.max(0, after - 1)], s.focalByFrame![after]];
      return a.frame === b.frame ? b.mm : a.mm + ((frame - a.frame) / (b.frame - a.frame)) * (b.mm - a.mm);
    };
    for (const f of feed()) if (f.focalMm) expect(Math.abs(at(f.frame) / f.focalMm - 1)).toBeLessThan(0.00101);
  });
  test('a lens that stands has no zoom; focus goes from start to end', () => {
    const s = summariseFeed(feed({ focalEndMm: 24 }));
    expect(s).toMatchObject({ focalEndMm: null, zoomFrom: null, zoomTo: null, focalByFrame: null });
    expect(s.focusM).toBeCloseTo(3, 1);
    expect(s.focusEndM).toBeCloseTo(2, 1);
  });
  test('a zoom out and back is a zoom', () => {
    const out = feed();
    const back = [...out, ...[...out].reverse().map((f, i) => ({ ...f, frame: out.length + i }))];
    expect(summariseFeed(back).focalByFrame).not.toBeNull();
  });
  test('settings that change within a take are named; frames without lens data are left out', () => {
    const frames = feed().map((f, i) => ({ ...f, iso: i > 100 ? 1600 : 800, focalMm: null }));
    expect(summariseFeed(frames)).toMatchObject({ focalMm: null, focalByFrame: null, changed: ['iso'], lost: 240 });
    expect(() => summariseFeed([])).toThrow(CoreError);
  });
  test('what the slate says is compared, and only what both say', () => {
    const s = summariseFeed(feed({ focalEndMm: 24 }));
    expect(compareWithSlate({ focalMm: 32, focusM: 3.05, stop: 4, iso: null, shutterDeg: 172.8 }, s).map((d) => d.what)).toEqual(['focal length', 'shutter']);
    expect(compareWithSlate({ focalMm: 24, focusM: null, stop: null, iso: 800, shutterDeg: null }, s)).toEqual([]);
  });
});
