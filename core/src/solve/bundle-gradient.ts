import type { BundleProblem, BundleState, Linearisation } from './bundle-problem';
import type { SchurSystem, UnknownsColumn } from './schur';

/** −Jᵀr of a bundle by its groups of unknowns, with what is known of focal length and lens beforehand. */
export class BundleGradient {
  readonly camera: Float64Array;
  readonly point: Float64Array;
  readonly zoom: Float64Array;
  readonly lens: Float64Array;
  focal = 0;
  /** of the focal length, 1/mm²; 0: nothing is known of it */
  readonly priorWeight: number;

  constructor(
    private readonly problem: BundleProblem,
    system: SchurSystem,
  ) {
    this.camera = new Float64Array(6 * problem.cameraCount);
    this.point = new Float64Array(3 * problem.pointCount);
    this.zoom = new Float64Array(system.zoomCount);
    this.lens = new Float64Array(system.lensCount);
    this.priorWeight = !problem.focal.held && problem.focal.priorSigmaMm ? 1 / problem.focal.priorSigmaMm ** 2 : 0;
  }

  /** @param scale roots of the robust weights; residuals and derivatives in `lin` are multiplied by them */
  gather(state: BundleState, lin: Linearisation, scale: Float64Array): void {
    const { problem } = this;
    this.camera.fill(0);
    this.point.fill(0);
    this.zoom.fill(0);
    for (let k = 0; k < this.lens.length; k += 1) {
      const known = problem.freeLens![k].prior;
      this.lens[k] = known && state.lens ? -(state.lens[k] - known.value) / known.sigma ** 2 : 0;
    }
    this.focal = this.priorWeight > 0 ? -this.priorWeight * (state.focalMm - problem.focal.priorMm!) : 0;
    const count = problem.camera.length;
    for (let i = 0; i < count; i += 1) {
      if (scale[i] !== 1) this.weigh(lin, i, scale[i]);
      this.add(lin, i);
    }
  }

  private weigh(lin: Linearisation, i: number, w: number): void {
    const lensCount = this.lens.length;
    lin.residual[2 * i] *= w;
    lin.residual[2 * i + 1] *= w;
    for (let k = 12 * i; k < 12 * i + 12; k += 1) lin.jCamera[k] *= w;
    for (let k = 6 * i; k < 6 * i + 6; k += 1) lin.jPoint[k] *= w;
    lin.jFocal[2 * i] *= w;
    lin.jFocal[2 * i + 1] *= w;
    for (let k = 2 * lensCount * i; k < 2 * lensCount * (i + 1); k += 1) lin.jLens[k] *= w;
  }

  private add(lin: Linearisation, i: number): void {
    const { problem, camera, point, zoom, lens } = this;
    const zoomCount = zoom.length,
      lensCount = lens.length;
    const ru = lin.residual[2 * i],
      rv = lin.residual[2 * i + 1];
    const c = 6 * problem.camera[i],
      p = 3 * problem.point[i];
    for (let k = 0; k < 6; k += 1) camera[c + k] -= lin.jCamera[12 * i + k] * ru + lin.jCamera[12 * i + 6 + k] * rv;
    for (let k = 0; k < 3; k += 1) point[p + k] -= lin.jPoint[6 * i + k] * ru + lin.jPoint[6 * i + 3 + k] * rv;
    const alongFocal = lin.jFocal[2 * i] * ru + lin.jFocal[2 * i + 1] * rv;
    this.focal -= alongFocal;
    for (let k = 0; k < zoomCount; k += 1) zoom[k] -= lin.zoomOverFocal[problem.camera[i] * zoomCount + k] * alongFocal;
    for (let k = 0; k < lensCount; k += 1) lens[k] -= lin.jLens[2 * lensCount * i + k] * ru + lin.jLens[2 * lensCount * i + lensCount + k] * rv;
  }

  /** By how much the cost falls with a step, where it is as straight as here. */
  promisedBy(step: UnknownsColumn): number {
    let sum = step.focal * this.focal;
    for (let k = 0; k < this.zoom.length; k += 1) sum += step.zoom[k] * this.zoom[k];
    for (let k = 0; k < this.lens.length; k += 1) sum += step.lens[k] * this.lens[k];
    for (let i = 0; i < this.camera.length; i += 1) sum += step.camera[i] * this.camera[i];
    for (let i = 0; i < this.point.length; i += 1) sum += step.point[i] * this.point[i];
    return sum / 2;
  }
}
