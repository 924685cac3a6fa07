import { expSO3, mulMat3, mulMatVec, type Mat3, type Vec3 } from '../math';
import { adjust, type AdjustResult } from './adjust';
import { refinePose, samplePose, slopeError, type Pose, type Sighting } from './absolute-pose';
import { lengths, residualsAt, type BundleProblem, type BundleState, type FreeLensUnknown, type LensUnknown } from './bundle-problem';
import type { FactoredBundle } from './covariance';
import { relens, reprofile, type Observations } from './observations';
import { RIG_UNKNOWNS } from './pair-rows';
import type { SlopePair } from './five-point';
import type { LensMap } from './setup';

export interface FocalRule {
  held: boolean;
  priorMm?: number;
  priorSigmaMm?: number;
}

/** How a witness sits on the main camera, as far as it is known. Its frames come after the main camera's, whose number they say. */
export interface Pair {
  /** the main camera's frame of the same moment; −1: it is one of the main camera */
  partner: Int32Array;
  lens: LensMap;
  /** picture axes of the witness from those of the main camera: Xw = R Xc + t */
  rotation: Mat3;
  translation: Vec3;
  focalMm: number;
  focalRule: FocalRule;
  /** one standard deviation of its first radial coefficient where nobody measured its lens; null: somebody did */
  usualBend: number | null;
}

/**
 * A growing reconstruction: which frames have a pose and which tracks a place. It is the one mutable object of a solve; every
 * operation of growth is a method, so that a start that fails can simply be thrown away.
 */
export class Reconstruction {
  readonly poses: (Pose | null)[];
  readonly points: (Vec3 | null)[];
  /** tracks that did not behave like a still point */
  readonly rejected: Uint8Array;
  /** single observations left out by the trim */
  readonly dropped: Uint8Array;
  /**
   * One-axis noise of an observation, px, as far as it is known: residuals are in px, so that what is known of the focal length beforehand is
   * laid beside them in px of this noise. Until something was adjusted it is a pixel, which lets a start be pulled as strongly as it needs.
   */
  noisePx = 1;
  /** threshold of the last adjustment of everything: a residual that is longer counts by less than its length */
  huberPx = Infinity;

  /** as it was factored last, for who asks next: making it costs as much as a round of the adjustment */
  factored: FactoredBundle | null = null;

  /** the camera turns and does not move: poses have no place, and points are directions of unit length */
  turnOnly = false;

  /** functions of time along which the focal length may change, by frame; null: it is one */
  zoom: { count: number; basis: Float64Array } | null = null;

  /** what of the lens is found with the rest */
  freeLens: readonly LensUnknown[] = [];
  /** what is known of it beforehand, in its own units */
  lensPriors: Partial<Record<LensUnknown, { value: number; sigma: number }>> = {};

  /** a witness camera that the cameras carry: its frames have poses by them and by how it sits on them */
  pair: Pair | null = null;

  constructor(
    readonly obs: Observations,
    public lens: LensMap,
    public focalMm: number,
    public focalRule: FocalRule,
  ) {
    this.dropped = new Uint8Array(obs.count);
    this.poses = obs.frames.map(() => null);
    this.points = obs.trackIds.map(() => null);
    this.rejected = new Uint8Array(obs.trackIds.length);
  }

  /** The same cameras over another set of tracks of the same shot and another rule for the focal length; points are carried over by name. */
  carryTo(obs: Observations, focalRule: FocalRule): Reconstruction {
    const other = new Reconstruction(obs, this.lens, this.focalMm, focalRule);
    other.noisePx = this.noisePx;
    other.huberPx = this.huberPx;
    other.turnOnly = this.turnOnly;
    if (this.zoom && obs.frames.length === this.obs.frames.length) other.zoom = this.zoom;
    const frameIndex = new Map(obs.frames.map((f, i) => [f, i]));
    const trackIndex = new Map(obs.trackIds.map((t, i) => [t, i]));
    this.poses.forEach((p, i) => {
      other.poses[frameIndex.get(this.obs.frames[i])!] = p;
    });
    this.points.forEach((p, i) => {
      other.points[trackIndex.get(this.obs.trackIds[i])!] = p;
    });
    return other;
  }

  /** As it stands now; what it returns puts it back so, whatever was adjusted, left out or found since. */
  kept(): () => void {
    const { focalMm, lens, freeLens } = this;
    const [poses, points, rejected, profile] = [[...this.poses], [...this.points], this.rejected.slice(), this.obs.profile.slice()];
    return () => {
      poses.forEach((p, f) => (this.poses[f] = p));
      points.forEach((p, t) => (this.points[t] = p));
      this.rejected.set(rejected);
      this.focalMm = focalMm;
      this.freeLens = freeLens;
      // a zoom's lengths and a lens that is found moved with the rest
      if (this.lens !== lens) {
        this.lens = lens;
        relens(this.obs, lens);
      }
      reprofile(this.obs, profile);
    };
  }

  /** px per unit of slope, for thresholds */
  get slopeToPx(): number {
    return this.focalMm * this.lens.pxPerMmX;
  }

  placedFrames(): number[] {
    return this.poses.flatMap((p, i) => (p ? [i] : []));
  }

  sharedPairs(frameA: number, frameB: number): { pairs: SlopePair[]; tracks: number[] } {
    const { obs, focalMm } = this;
    const inA = new Map<number, number>();
    for (const o of obs.byFrame[frameA]) if (!this.rejected[obs.track[o]]) inA.set(obs.track[o], o);
    const pairs: SlopePair[] = [];
    const tracks: number[] = [];
    for (const o of obs.byFrame[frameB]) {
      const a = inA.get(obs.track[o]);
      if (a === undefined) continue;
      pairs.push({ x1: obs.xMm[a] / focalMm, y1: obs.yMm[a] / focalMm, x2: obs.xMm[o] / focalMm, y2: obs.yMm[o] / focalMm });
      tracks.push(obs.track[o]);
    }
    return { pairs, tracks };
  }

  sightings(frame: number): Sighting[] {
    const { obs, focalMm } = this;
    const list: Sighting[] = [];
    for (const o of obs.byFrame[frame]) {
      const point = this.points[obs.track[o]];
      if (point) list.push({ point, x: obs.xMm[o] / focalMm, y: obs.yMm[o] / focalMm });
    }
    return list;
  }

  /** Places a frame by its known points: from the nearest placed frame's pose, by sampling when that does not fit. */
  place(frame: number, huberPx: number, random: () => number, minSightings = 6): boolean {
    const sightings = this.sightings(frame);
    if (sightings.length < minSightings) return false;
    const huber = huberPx / this.slopeToPx;
    let near: Pose | null = null;
    for (let d = 1; d < this.poses.length && !near; d += 1) near = this.poses[frame - d] ?? this.poses[frame + d] ?? null;
    let best = near ? refinePose(near, sightings, huber) : null;
    if (!best || best.inliers < 0.75 * sightings.length) {
      const sampled = samplePose(sightings, 3 * huber, random);
      if (sampled) {
        const refined = refinePose(sampled, sightings, huber);
        if (!best || refined.cost < best.cost) best = refined;
      }
    }
    if (!best || best.inliers < Math.max(minSightings, 0.5 * sightings.length)) return false;
    this.poses[frame] = best.pose;
    return true;
  }

  /** Gives tracks a place from all placed frames that see them, where rays meet at `minAngleRad` or more and reproject within `maxPx`. */
  triangulate(minAngleRad: number, maxPx: number, tracks?: Iterable<number>): number {
    let added = 0;
    for (const t of tracks ?? this.points.keys()) {
      if (this.points[t] || this.rejected[t]) continue;
      const point = this.intersect(t, minAngleRad, maxPx);
      if (!point) continue;
      this.points[t] = point;
      added += 1;
    }
    return added;
  }

  /** Least-squares meeting point of a track's rays; null when too flat, behind a camera or not meeting. */
  intersect(track: number, minAngleRad: number, maxPx: number): Vec3 | null {
    if (this.turnOnly) return this.directionOf(track, maxPx);
    const { obs, focalMm } = this;
    const a = new Float64Array(9);
    const b = new Float64Array(3);
    const rays: Vec3[] = [];
    const views: Sighting[] = [];
    const poses: Pose[] = [];
    for (const o of obs.byTrack[track]) {
      const pose = this.poses[obs.frame[o]];
      if (!pose || this.dropped[o]) continue;
      const x = obs.xMm[o] / focalMm,
        y = obs.yMm[o] / focalMm;
      const n = Math.hypot(x, y, 1);
      const r = pose.rotation;
      const d: Vec3 = [(r[0] * x + r[3] * y + r[6]) / n, (r[1] * x + r[4] * y + r[7]) / n, (r[2] * x + r[5] * y + r[8]) / n];
      const c = centerOf(pose);
      for (let i = 0; i < 3; i += 1) {
        for (let j = 0; j < 3; j += 1) {
          const m = (i === j ? 1 : 0) - d[i] * d[j];
          a[3 * i + j] += m;
          b[i] += m * c[j];
        }
      }
      rays.push(d);
      poses.push(pose);
      views.push({ point: [0, 0, 0], x, y });
    }
    if (rays.length < 2) return null;
    // the widest angle against the first, middle and last ray is within a factor of two of the true widest, at linear cost
    let widest = 1;
    for (const q of [0, rays.length >> 1, rays.length - 1]) for (const d of rays) widest = Math.min(widest, d[0] * rays[q][0] + d[1] * rays[q][1] + d[2] * rays[q][2]);
    if (Math.acos(Math.min(1, widest)) < minAngleRad) return null;
    const point = solve3(a, b);
    if (!point) return null;
    const limit = maxPx / this.slopeToPx;
    let sum = 0;
    for (let i = 0; i < views.length; i += 1) {
      const e = slopeError(poses[i], { point, x: views[i].x, y: views[i].y });
      if (!Number.isFinite(e)) return null;
      sum += e * e;
    }
    return Math.sqrt(sum / views.length) <= limit ? point : null;
  }

  /** Mean direction of a track's rays; null when it is seen in one frame only or they do not agree. */
  private directionOf(track: number, maxPx: number): Vec3 | null {
    const found = this.farAway(track);
    return found && Number.isFinite(found.missPx) && found.missPx <= maxPx ? found.point : null;
  }

  /** A track as a thing without end away: its mean direction, and the RMS in px by which its rays miss that. */
  private farAway(track: number): { point: Vec3; missPx: number } | null {
    const { obs, focalMm } = this;
    const views: { pose: Pose; x: number; y: number }[] = [];
    const sum: [number, number, number] = [0, 0, 0];
    for (const o of obs.byTrack[track]) {
      const pose = this.poses[obs.frame[o]];
      if (!pose || this.dropped[o]) continue;
      const x = obs.xMm[o] / focalMm,
        y = obs.yMm[o] / focalMm;
      const n = Math.hypot(x, y, 1);
      const r = pose.rotation;
      for (let k = 0; k < 3; k += 1) sum[k] += (r[k] * x + r[3 + k] * y + r[6 + k]) / n;
      views.push({ pose: { rotation: r, translation: [0, 0, 0] }, x, y });
    }
    if (views.length < 2) return null;
    const length = Math.hypot(...sum);
    const point: Vec3 = [sum[0] / length, sum[1] / length, sum[2] / length];
    const squares = views.reduce((s, v) => s + slopeError(v.pose, { point, x: v.x, y: v.y }) ** 2, 0);
    return { point, missPx: Math.sqrt(squares / views.length) * this.slopeToPx };
  }

  /** RMS in px by which a track misses its own best meeting point before the cameras; the one without end away where it meets behind them. 0: it was seen once. */
  missOf(track: number): number {
    const point = this.intersect(track, 0, Infinity);
    if (!point) return this.farAway(track)?.missPx ?? 0;
    let sum = 0;
    let count = 0;
    for (const o of this.obs.byTrack[track]) {
      const pose = this.poses[this.obs.frame[o]];
      if (!pose) continue;
      sum += (slopeError(pose, { point, x: this.obs.xMm[o] / this.focalMm, y: this.obs.yMm[o] / this.focalMm }) * this.slopeToPx) ** 2;
      count += 1;
    }
    return Math.sqrt(sum / Math.max(1, count));
  }

  /** The bundle of everything placed so far (or of the frames given). */
  toBundle(frames?: ReadonlySet<number>): { problem: BundleProblem; state: BundleState; frameOf: number[]; trackOf: number[]; obsOf: Int32Array } {
    const { obs } = this;
    const frameOf: number[] = [];
    const cameraOf = new Int32Array(obs.frames.length).fill(-1);
    this.poses.forEach((pose, f) => {
      const main = this.pair ? this.pair.partner[f] : -1;
      // what the witness sees is seen by the main camera's pose, which comes before
      if (main >= 0) cameraOf[f] = pose ? cameraOf[main] : -1;
      if (!pose || main >= 0 || (frames && !frames.has(f))) return;
      cameraOf[f] = frameOf.length;
      frameOf.push(f);
    });
    const rig = this.pair && frameOf.length >= 5 ? this.pair : null;
    const sees = (f: number): boolean => cameraOf[f] >= 0 && (rig !== null || !this.pair || this.pair.partner[f] < 0);
    const seen = new Int32Array(obs.trackIds.length);
    const firstSeen = new Int32Array(obs.trackIds.length).fill(obs.frames.length);
    for (let o = 0; o < obs.count; o += 1) {
      if (!sees(obs.frame[o]) || this.dropped[o]) continue;
      const t = obs.track[o];
      seen[t] += 1;
      firstSeen[t] = Math.min(firstSeen[t], cameraOf[obs.frame[o]]);
    }
    const trackOf: number[] = [];
    const pointOf = new Int32Array(obs.trackIds.length).fill(-1);
    this.points.forEach((p, t) => {
      if (p && seen[t] >= 2) trackOf.push(t);
    });
    // in the order of time, so that the normal equations are banded by it
    trackOf.sort((a, b) => firstSeen[a] - firstSeen[b] || a - b);
    trackOf.forEach((t, p) => {
      pointOf[t] = p;
    });
    const usable = (o: number): boolean => sees(obs.frame[o]) && pointOf[obs.track[o]] >= 0 && this.dropped[o] === 0;
    let count = 0;
    for (let o = 0; o < obs.count; o += 1) if (usable(o)) count += 1;
    const obsOf = new Int32Array(count);
    // two or three views of many hardly see the focal length, and freeing it there lets it run away; where there are no more, it is as known as they know it
    const lensFree = frameOf.length >= 5 || frameOf.length === obs.frames.length;
    const problem: BundleProblem = {
      cameraCount: frameOf.length,
      pointCount: trackOf.length,
      camera: new Int32Array(count),
      point: new Int32Array(count),
      xPx: new Float64Array(count),
      yPx: new Float64Array(count),
      weight: new Float64Array(count),
      lens: this.lens,
      ...(this.turnOnly ? { turnOnly: true } : {}),
      focal: lensFree ? this.focalInPx() : { held: true },
      ...this.profileOf(frameOf),
      ...(rig || (this.freeLens.length > 0 && lensFree) ? { freeLens: [...this.freeLens.map((name) => this.unknownInPx(name)), ...(rig ? this.rigUnknowns(rig) : [])] } : {}),
    };
    if (rig) problem.pair = { of: new Uint8Array(count), lens: rig.lens, rotation: rig.rotation, focalMm: rig.focalMm, first: this.freeLens.length, count: rig.focalRule.held ? 6 : 7 };
    for (let o = 0, i = 0; o < obs.count; o += 1) {
      if (!usable(o)) continue;
      obsOf[i] = o;
      problem.camera[i] = cameraOf[obs.frame[o]];
      problem.point[i] = pointOf[obs.track[o]];
      problem.xPx[i] = obs.xPx[o];
      problem.yPx[i] = obs.yPx[o];
      problem.weight[i] = obs.weight[o];
      if (rig && rig.partner[obs.frame[o]] >= 0) problem.pair!.of[i] = 1;
      i += 1;
    }
    const state: BundleState = {
      rotations: new Float64Array(9 * frameOf.length),
      translations: new Float64Array(3 * frameOf.length),
      points: new Float64Array(3 * trackOf.length),
      focalMm: this.focalMm,
      ...(problem.zoom ? { zoom: new Float64Array(problem.zoom.count) } : {}),
      ...(problem.freeLens
        ? { lens: Float64Array.from([...this.freeLens.map((name) => this.valueOf(name)), ...(rig ? [0, 0, 0, ...rig.translation, ...(rig.focalRule.held ? [] : [rig.focalMm])] : [])]) }
        : {}),
    };
    frameOf.forEach((f, c) => {
      state.rotations.set(this.poses[f]!.rotation, 9 * c);
      state.translations.set(this.poses[f]!.translation, 3 * c);
    });
    trackOf.forEach((t, p) => state.points.set(this.points[t]!, 3 * p));
    return { problem, state, frameOf, trackOf, obsOf };
  }

  private get radial(): readonly [number, number, number] {
    const { distortion } = this.lens;
    return distortion.model === 'radial' ? distortion.k : [0, 0, 0];
  }

  /** A lens of other radial coefficients: what the places of the picture stand for changes with it. */
  bendBy(k: readonly number[]): void {
    this.lensBy({ k1: k[0], k2: k[1], k3: k[2] });
  }

  /** A lens of other unknowns, as far as they are given. */
  private lensBy(now: Partial<Record<LensUnknown, number>>): void {
    const { lens } = this;
    const [k1, k2, k3] = this.radial;
    const bent = now.k1 !== undefined || now.k2 !== undefined || now.k3 !== undefined;
    const distortion = bent
      ? { model: 'radial' as const, k: [now.k1 ?? k1, now.k2 ?? k2, now.k3 ?? k3] as const, p: lens.distortion.model === 'radial' ? lens.distortion.p : ([0, 0] as const) }
      : lens.distortion;
    this.lens = { ...lens, distortion, cx: now.cx ?? lens.cx, cy: now.cy ?? lens.cy, pxPerMmX: now.ratio === undefined ? lens.pxPerMmX : now.ratio * lens.pxPerMmY };
    relens(this.obs, this.lens);
  }

  private valueOf(name: LensUnknown): number {
    const { cx, cy, pxPerMmX, pxPerMmY } = this.lens;
    return { k1: this.radial[0], k2: this.radial[1], k3: this.radial[2], cx, cy, ratio: pxPerMmX / pxPerMmY }[name];
  }

  private unknownInPx(name: LensUnknown): FreeLensUnknown {
    const prior = this.lensPriors[name];
    return prior ? { name, prior: { ...prior, sigma: prior.sigma / this.noisePx } } : { name };
  }

  /** What is sought of the rig: whatever was measured of it is compared, not forced, since metres are none here; a focal length is known in its own. */
  private rigUnknowns({ focalRule }: Pair): FreeLensUnknown[] {
    const { held, priorMm, priorSigmaMm } = focalRule;
    const prior = priorMm !== undefined && priorSigmaMm ? { prior: { value: priorMm, sigma: priorSigmaMm / this.noisePx } } : {};
    return RIG_UNKNOWNS.slice(0, held ? 6 : 7).map((name) => (name === 'witnessMm' ? { name, ...prior } : { name }));
  }

  /** Poses of the witness by those of the main camera, and its focal length over that of the main one. */
  carryWitness(): void {
    const { pair, obs } = this;
    if (!pair) return;
    const profile = obs.profile.slice();
    pair.partner.forEach((main, f) => {
      if (main < 0) return;
      const m = this.poses[main];
      profile[f] = pair.focalMm / this.focalMm;
      if (!m || !obs.byFrame[f].length) {
        this.poses[f] = null;
        return;
      }
      const t = mulMatVec(pair.rotation, m.translation);
      this.poses[f] = { rotation: mulMat3(pair.rotation, m.rotation), translation: [t[0] + pair.translation[0], t[1] + pair.translation[1], t[2] + pair.translation[2]] };
    });
    reprofile(obs, profile);
  }

  /** Of the main camera: frames that may have a camera of their own. */
  get ownFrames(): number {
    const first = this.pair ? this.pair.partner.findIndex((f) => f >= 0) : -1;
    return first < 0 ? this.obs.frames.length : first;
  }

  /** Of the cameras of a bundle how their focal lengths differ, and may. */
  private profileOf(frameOf: readonly number[]): Pick<BundleProblem, 'profile' | 'zoom'> {
    const { zoom, obs } = this;
    if (!zoom && obs.profile.every((v) => v === 1)) return {};
    const profile = Float64Array.from(frameOf, (f) => obs.profile[f]);
    if (!zoom || this.focalRule.held || frameOf.length < 5) return { profile };
    const basis = new Float64Array(frameOf.length * zoom.count);
    frameOf.forEach((f, c) => basis.set(zoom.basis.subarray(f * zoom.count, (f + 1) * zoom.count), c * zoom.count));
    return { profile, zoom: { count: zoom.count, basis } };
  }

  private focalInPx(): FocalRule {
    const { priorSigmaMm } = this.focalRule;
    return priorSigmaMm ? { ...this.focalRule, priorSigmaMm: priorSigmaMm / this.noisePx } : this.focalRule;
  }

  /** Adjusts everything placed so far; returns the robust cost per observation, px². */
  adjustAll(
    huberPx: number,
    maxIterations: number,
    costTolerance = 1e-5,
    onIteration?: (iteration: number) => void,
    settle = false,
  ): { costPerObs: number; residualPx: Float64Array; obsOf: Int32Array; reason: AdjustResult['reason'] } {
    const { problem, state, frameOf, trackOf, obsOf } = this.toBundle();
    if (maxIterations > 0) this.huberPx = huberPx;
    const result = adjust(problem, state, { huberPx, maxIterations, costTolerance, settle, onIteration });
    this.absorb(result.state, frameOf, trackOf);
    const residualPx = lengths(residualsAt(problem, result.state));
    return { costPerObs: result.finalCost / Math.max(1, problem.camera.length), residualPx, obsOf, reason: result.reason };
  }

  absorb(state: BundleState, frameOf: readonly number[], trackOf: readonly number[]): void {
    frameOf.forEach((f, c) => {
      this.poses[f] = {
        rotation: Array.from(state.rotations.subarray(9 * c, 9 * c + 9)) as unknown as Mat3,
        translation: [state.translations[3 * c], state.translations[3 * c + 1], state.translations[3 * c + 2]],
      };
    });
    trackOf.forEach((t, p) => {
      const at: Vec3 = [state.points[3 * p], state.points[3 * p + 1], state.points[3 * p + 2]];
      // a direction has no length: what the damping let it drift by is taken back
      const n = this.turnOnly ? Math.hypot(...at) : 1;
      this.points[t] = [at[0] / n, at[1] / n, at[2] / n];
    });
    this.focalMm = state.focalMm;
    const found = state.lens;
    if (found && this.freeLens.length > 0) this.lensBy(Object.fromEntries(this.freeLens.map((name, i) => [name, found[i]])));
    if (found && this.pair && found.length >= this.freeLens.length + 6) {
      const at = (k: number): number => found[this.freeLens.length + k];
      this.pair.rotation = mulMat3(expSO3([at(0), at(1), at(2)]), this.pair.rotation);
      this.pair.translation = [at(3), at(4), at(5)];
      if (!this.pair.focalRule.held) this.pair.focalMm = at(6);
    }
    this.carryWitness();
    const { zoom } = this;
    if (!zoom || !state.zoom) return;
    const factors = state.zoom;
    reprofile(
      this.obs,
      this.obs.profile.map((p, f) => factors.reduce((s, z, k) => s + z * zoom.basis[f * zoom.count + k], p)),
    );
  }
}

export function centerOf(pose: Pose): Vec3 {
  const { rotation: r, translation: t } = pose;
  return [-(r[0] * t[0] + r[3] * t[1] + r[6] * t[2]), -(r[1] * t[0] + r[4] * t[1] + r[7] * t[2]), -(r[2] * t[0] + r[5] * t[1] + r[8] * t[2])];
}

function solve3(a: Float64Array, b: Float64Array): Vec3 | null {
  const c00 = a[4] * a[8] - a[5] * a[7],
    c01 = a[5] * a[6] - a[3] * a[8],
    c02 = a[3] * a[7] - a[4] * a[6];
  const det = a[0] * c00 + a[1] * c01 + a[2] * c02;
  const size = a[0] + a[4] + a[8];
  if (!(Math.abs(det) > 1e-14 * size * size * size)) return null;
  return [
    (b[0] * c00 + b[1] * (a[2] * a[7] - a[1] * a[8]) + b[2] * (a[1] * a[5] - a[2] * a[4])) / det,
    (b[0] * c01 + b[1] * (a[0] * a[8] - a[2] * a[6]) + b[2] * (a[2] * a[3] - a[0] * a[5])) / det,
    (b[0] * c02 + b[1] * (a[1] * a[6] - a[0] * a[7]) + b[2] * (a[0] * a[4] - a[1] * a[3])) / det,
  ];
}
