import { depthOfField } from '../optics';
import { momentAt } from './move';
import { entersAt, hides } from './set-piece';
import { bodiesOf, hiddenFrom, projectAt, projectionByPlace, sharpZone, studyMoments, studySetup, trackNoisePx, trackingCocMm } from './study-setup';
import { mark, piece, plannedSetup, station } from './test-setup';
import { wirePicture } from './wire-picture';

// 4096 px on 24 mm: 24 mm are 4096 px
const still = { kind: 'still' as const, stations: [station()] };

describe('rays and bodies', () => {
  const wall = piece(); // its front stands at z = −5
  it('says where on its way a ray enters, at which side it leaves out of account', () => {
    expect(entersAt(wall, [0, 1.5, 0], [0, 1.5, -10])).toBeCloseTo(0.5, 12);
    expect(entersAt(wall, [0, 1.5, -10], [0, 1.5, 0])).toBeCloseTo(0.48, 12);
    expect(entersAt(wall, [0, 1.5, 0], [0, 1.5, -4])).toBe(-1);
    expect(entersAt(wall, [0, 4, 0], [0, 4, -10])).toBe(-1);
    // from inside it is entered already
    expect(entersAt(wall, [0, 1.5, -5.1], [0, 1.5, -10])).toBe(0);
  });
  it('enters a floor that has no height, from above', () => {
    const floor = piece({ kind: 'floor', zM: -3, widthM: 6, depthM: 6, heightM: 0 });
    expect(entersAt(floor, [0, 1.5, 0], [0, -1.5, -6])).toBeCloseTo(0.5, 12);
    // what lies on it is not hidden by it, what lies under it is
    expect(hides(floor, [0, 1.5, 0], [0, 0.001, -3])).toBe(false);
    expect(hides(floor, [0, 1.5, 0], [0, -0.5, -3])).toBe(true);
  });
  it('turns with the piece', () => {
    const turned = piece({ xM: 0, zM: -5, widthM: 6, depthM: 0.2, turnRad: Math.PI / 2 });
    // now it stands along z, 20 cm wide: a ray a metre to the side passes
    expect(entersAt(turned, [1, 1, 0], [1, 1, -10])).toBe(-1);
    expect(entersAt(turned, [0, 1, 0], [0, 1, -10])).toBeCloseTo(0.2, 12);
  });
  it('asks only the moving object where one moves, and never a sky', () => {
    const pieces = [wall, piece({ id: 'box', kind: 'box', zM: -3, depthM: 1, widthM: 1, heightM: 1 }), piece({ id: 'sky', kind: 'sky', widthM: 0, depthM: 0, heightM: 0 })];
    const ids = (move: Parameters<typeof plannedSetup>[0]) => bodiesOf(plannedSetup({ pieces, ...move })).map((b) => b.id);
    expect(ids({ move: still })).toEqual(['wall', 'box']);
    expect(ids({ move: { kind: 'object', objectId: 'box', stations: [station()], objectStations: [] } })).toEqual(['box']);
    expect(hiddenFrom([wall], [0, 1.5, 0], [0, 1.5, -8])).toBe(true);
    expect(hiddenFrom([], [0, 1.5, 0], [0, 1.5, -8])).toBe(false);
  });
});

describe('what a camera sees', () => {
  const setup = plannedSetup({ move: { kind: 'still', stations: [station({ headingRad: 0.4, tiltRad: -0.3, rollRad: 0.1 })] }, marks: [mark('a', [-1, 1, -5])] });
  it('has derivatives by the place that agree with differences', () => {
    const study = studySetup(setup);
    const [moment] = study.moments;
    const out = new Float64Array(3);
    const jac = new Float64Array(6);
    const at: [number, number, number] = [-1.2, 0.8, -4.6];
    projectAt(study.geometry, 24, moment, at, out);
    const [fx, fy] = [24 * study.geometry.pxPerMmX, 24 * study.geometry.pxPerMmY];
    projectionByPlace(moment.toCamera, fx / out[2], fy / out[2], (out[0] - study.geometry.centerXPx) / fx, (out[1] - study.geometry.centerYPx) / fy, jac);
    for (let c = 0; c < 3; c += 1) {
      const ends = [1e-5, -1e-5].map((by) => {
        const moved: [number, number, number] = [...at];
        moved[c] += by;
        const q = new Float64Array(3);
        projectAt(study.geometry, 24, moment, moved, q);
        return q;
      });
      expect(jac[c]).toBeCloseTo((ends[0][0] - ends[1][0]) / 2e-5, 3);
      expect(jac[3 + c]).toBeCloseTo((ends[0][1] - ends[1][1]) / 2e-5, 3);
    }
  });
  it('is sharp where the optics say, for another stop too, and everywhere without one', () => {
    const study = studySetup(plannedSetup({ move: { kind: 'still', stations: [station({ focusM: 4 })] }, stop: 2.8 }));
    const here = (stop: number) => depthOfField({ focalMm: 24, stop, focusM: 4, cocMm: trackingCocMm(study.geometry) });
    for (const [zone, optics] of [
      [sharpZone(study, 0)!, here(2.8)],
      [sharpZone(study, 0, 8)!, here(8)],
    ]) {
      expect(zone.nearM).toBeCloseTo(optics.nearM, 9);
      expect(zone.farM).toBeCloseTo(optics.farM, 9);
    }
    expect(sharpZone(study, 0, 8)!.nearM).toBeLessThan(sharpZone(study, 0)!.nearM);
    expect(sharpZone(studySetup(plannedSetup({ stop: null })), 0)).toBeNull();
    // three pixels on the sensor
    expect(trackingCocMm(study.geometry)).toBeCloseTo((3 * 24) / 4096, 12);
  });
  it('follows given moments as it follows its own', () => {
    const dolly = plannedSetup({ marks: [mark('a', [0, 1.5, -5])] });
    const own = studySetup(dolly, 5);
    const given = studyMoments(
      dolly,
      [0, 1, 2, 3, 4].map((t) => momentAt(dolly.move, t)),
    );
    expect([...given.xPx]).toEqual([...own.xPx]);
    expect([...given.seen]).toEqual([...own.seen]);
  });
  it('tracks a mark better than what the set offers', () => {
    const [point] = studySetup(setup).points;
    expect(trackNoisePx(setup, point)).toBe(0.5);
    expect(trackNoisePx(setup, { ...point, mark: false })).toBe(0.75);
  });
  it('draws the set at the moment that is asked, cut off before the camera', () => {
    const dolly = studySetup(plannedSetup({ pieces: [piece()], marks: [mark('a', [0, 1.5, -5], { diameterM: 0.05 })], stop: 8 }), 3);
    const [start, , end] = [0, 1, 2].map((m) => wirePicture(dolly, m));
    // the dolly goes two metres to the right: the mark goes 2 / 5 of 4096 px to the left
    expect(start.points[0].xPx - end.points[0].xPx).toBeCloseTo((2 / 5) * 4096, 6);
    expect(start.points[0].sizePx).toBeCloseTo((0.05 / 5) * 4096, 6);
    expect(start.edges).toHaveLength(12);
    // a floor that runs under the camera is cut, not turned inside out
    const floor = studySetup(plannedSetup({ move: still, pieces: [piece({ kind: 'floor', zM: 0, depthM: 12, heightM: 0 })] }));
    for (const e of wirePicture(floor, 0).edges) expect([e.x1, e.y1, e.x2, e.y2].every(Number.isFinite)).toBe(true);
    expect(wirePicture(floor, 0).edges.every((e) => e.y1 >= 1080 && e.y2 >= 1080)).toBe(true);
  });
});
