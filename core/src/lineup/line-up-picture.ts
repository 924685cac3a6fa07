import { leaveOut, misfitOf, type Agreement } from '../estimate';
import { matToQuat, mulMat3, transpose3, type Vec3 } from '../math';
import { readSolveSetup, type SolveSetup } from '../solve/setup';
import { PICTURE, type Warning } from '../warnings';
import { checkMarks, failedLineUp, MARK_SIGMA_PX, type LineUp, type LineUpMark, type LineUpOptions, type LineUpPoint } from './line-up-result';
import { bendOf, bendWords } from './unmeasured-bend';
import { anglesOf, bestFit, offSigmasOf, residualsOf, thinnest, type Fit, type Row } from './picture-pose';

const LEAST_MARKS = 4;
/** Points whose thinnest extent is this share of their widest lie in a plane. */
const FLAT_SHARE = 0.02;

/** A line-up of some of the marks. */
interface Answer extends Agreement {
  rows: readonly Row[];
  fit: Fit;
}

/**
 * Where the camera of one picture stood, how it was turned and how long its lens was, from surveyed points marked in it.
 * Model    px = lens map of (R (X − C))'s slopes at the focal length; rows over the root of the mark's variance and that of the point as it
 *          is seen; a guided focal length as one row more, and how a lens bends that nobody measured as another. Poses from three points each for several focal lengths, the best refined.
 * Sigma    from the covariance of the fit, times the misfit where that is larger than what marks and points allow.
 * @throws CoreError for bad input; what cannot be lined up comes back as failed with its reason
 */
export function lineUpPicture(marks: readonly LineUpMark[], points: readonly LineUpPoint[], setup: SolveSetup, { markSigmaPx = MARK_SIGMA_PX }: LineUpOptions = {}): LineUp {
  const lens = readSolveSetup(setup);
  const mode = setup.focal.mode ?? 'held';
  checkMarks(marks);
  const known = new Map(points.map((p) => [p.id, p]));
  const warnings: Warning[] = [];
  const strangers = marks.filter((m) => !known.has(m.id)).map((m) => m.id);
  if (strangers.length > 0) warnings.push(PICTURE.PLACE_UNKNOWN(strangers));
  const used = marks.flatMap((m) => (known.has(m.id) ? [{ ...m, point: known.get(m.id)! }] : []));
  if (used.length < LEAST_MARKS) return failedLineUp(`${used.length} marks have a known place; ${LEAST_MARKS} are the least`, warnings);
  const thin = thinnest(used.map((u) => u.point.position));
  const flat = thin < FLAT_SHARE;
  const answerOf = (rows: readonly Row[]): Answer | null => {
    const fit = bestFit(rows, lens, setup, markSigmaPx);
    return fit && { rows, fit, chi2: 2 * fit.cost, redundancy: fit.redundancy };
  };
  const whole = answerOf(used);
  if (!whole) return failedLineUp('no camera sees the points where they were marked: a mark has the wrong name, or the picture is of another side', warnings);
  const found = leaveOut<Row, Answer>(whole, {
    without: ({ rows }) =>
      rows.length <= LEAST_MARKS + 1
        ? []
        : rows.flatMap((what) => {
            const rest = answerOf(rows.filter((r) => r !== what));
            return rest ? [{ what, rest }] : [];
          }),
    offSigmas: ({ what, rest }) => offSigmasOf(what, rest.fit, lens, markSigmaPx),
  });
  const { fit } = found.answer;
  const left = new Set(found.left.map((l) => l.what.id));
  for (const { what, rest } of found.left) {
    const [far] = residualsOf([what], rest.fit, lens);
    warnings.push(PICTURE.MARK_LEFT_OUT(what.id, Math.hypot(far.dxPx, far.dyPx)));
  }
  if (found.undecided) warnings.push(PICTURE.MARK_UNDECIDED(found.undecided[0].id, found.undecided[1].id));
  const residuals = residualsOf(used, fit, lens).map((r) => ({ ...r, left: left.has(r.id) }));
  const inside = residuals.filter((r) => !r.left);
  const rmsPx = Math.sqrt(inside.reduce((s, r) => s + r.dxPx ** 2 + r.dyPx ** 2, 0) / inside.length);
  const held = mode === 'held';
  const misfit = misfitOf(found.answer);
  const worse = Math.max(1, misfit);
  if (fit.redundancy <= 0) warnings.push(PICTURE.NOTHING_CHECKS_LINE_UP());
  else if (misfit > 3) warnings.push(PICTURE.MARKS_MISS(misfit));
  if (fit.rank < fit.unknowns) return failedLineUp('the marks do not determine the camera: spread them over the picture and in depth', warnings);
  const sigma = (i: number) => worse * Math.sqrt(fit.covariance[i * fit.unknowns + i]);
  const sigmaFocalMm = held ? 0 : sigma(6);
  if (flat && !held && sigmaFocalMm > 0.02 * fit.focalMm) warnings.push(PICTURE.POINTS_IN_ONE_PLANE());
  if (bendOf(lens)) warnings.push(...bendWords({ focal: held ? -1 : 6, bend: fit.unknowns - 1, count: fit.unknowns }, fit.bend, fit.covariance, worse));
  if (fit.rival) warnings.push(PICTURE.ANOTHER_PLACE_FITS());
  const axis: Vec3 = [fit.rotation[6], fit.rotation[7], fit.rotation[8]];
  let along = 0;
  for (let i = 0; i < 3; i += 1) for (let j = 0; j < 3; j += 1) along += axis[i] * axis[j] * fit.covariance[(3 + i) * fit.unknowns + 3 + j];
  return {
    status: 'solved',
    reason: null,
    frame: 'places',
    position: fit.center,
    rotation: matToQuat(mulMat3(transpose3(fit.rotation), [1, 0, 0, 0, -1, 0, 0, 0, -1])),
    focalMm: fit.focalMm,
    sigmaFocalMm,
    sigmaPositionM: [sigma(3), sigma(4), sigma(5)],
    sigmaAlongAxisM: worse * Math.sqrt(Math.max(0, along)),
    angles: anglesOf(fit, worse),
    rmsPx,
    marks: residuals,
    places: [...points],
    facts: [],
    warnings,
  };
}
