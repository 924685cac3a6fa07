import { frameWords, type AnchorResidual, type Undecided } from '../anchor';
import { CoreError } from '../errors';
import { USUAL_SIGMA } from '../facts';
import { computeOptics } from '../optics';
import { findsCentreUnasked, type SolveSetup } from '../solve/setup';
import type { Bending } from '../solve/bending';
import type { SolveResult } from '../solve/result';
import type { FocalAsked } from '../solve/focal-asked';
import { movedWords, type MovedAfterAll } from '../solve/moved-after-all';
import { readAtOnce, readoutWords, type ReadoutSeen } from '../solve/readout-asked';
import type { Squeezed } from '../solve/squeezed';
import { witnessItems } from './witness-items';
import { angleCauses, focalCauses, lengthCauses, squeezeCauses, type KitAround, type KnownCause } from './causes';
import { headline } from './headline';
import { item, type Cause, type ReconcileItem, type Verdict } from './item';
import type { Warning } from '../warnings';

export interface ReconcileReport {
  items: ReconcileItem[];
  verdict: Verdict;
  sentence: string;
  warnings: Warning[];
  /** facts contradict each other, and the solve does not say which is wrong */
  undecided?: Undecided;
}

/** A marked focal length is rounded and made to about a per cent. */
const MARKED_FOCAL_SIGMA = 0.01;
/** Belief in "something else", as a density over the ratio: keeps a bad match from winning for want of rivals. */
const ELSE_DENSITY = 0.6;

/** The parts of a solve result that reconciling reads; files from elsewhere may lack the rest. */
export type SolvedForReconcile = Pick<SolveResult, 'status' | 'focalMm' | 'sigmaFocalMm' | 'frames' | 'points'> &
  Partial<
    Pick<
      SolveResult,
      'focalMode' | 'anchoring' | 'reason' | 'motion' | 'bending' | 'zoomed' | 'squeezed' | 'readoutSeen' | 'movedAfterAll' | 'focalAsked' | 'misfitPx' | 'warnings' | 'found' | 'witness'
    >
  > & {
    /** tilt and roll of the setup's `cameraAngles`, in their order, where there is no anchoring that says them */
    angles?: NonNullable<SolveResult['anchoring']['angles']>;
    /** what it is called in words; missing: a solve */
    called?: 'solve' | 'picture' | 'walk';
  };

/**
 * Recorded against solved, with verdict and likely causes.
 * Lengths and heights took part in anchoring; each is judged against the value that everything else gives (data snooping), never
 * against the one it helped to make.
 * @param around what else there is of the kit, of which something may have been on the camera instead
 * @throws CoreError INVALID_OPTION when the result holds no solve
 */
export function reconcile(setup: SolveSetup, solve: SolvedForReconcile, around?: KitAround): ReconcileReport {
  if (solve.status === 'failed' || solve.focalMm === null || solve.frames.length === 0) {
    throw new CoreError('INVALID_OPTION', `The solve failed${solve.reason ? ` (${solve.reason})` : ''}: there is nothing to compare`, 'status');
  }
  const ofLens = lensItems(setup, solve);
  const items: ReconcileItem[] = [...focalItems(setup, solve, around), ...ofLens.filter((i) => i.verdict !== 'not observable')];
  const turned = solve.motion === 'pan';
  // the camera stood still: its height and angles put the object into the set, and nothing checks them
  const ofObject = solve.motion === 'object';
  const judged = solve.anchoring?.residuals;
  // by which one it is and not by its words: two readings of one pair are two
  const residualOf = (kind: AnchorResidual['kind'], index: number, about: string) => judged?.find((q) => q.kind === kind && (q.index === undefined ? q.about === about : q.index === index));
  const frameAt = (frame: number | 'last') => (frame === 'last' ? solve.frames[solve.frames.length - 1] : solve.frames.find((f) => f.frame === frame));
  (ofObject ? [] : (setup.anchors?.cameraHeights ?? [])).forEach((h, index) => {
    const about = frameWords(h.frame);
    const frame = frameAt(h.frame);
    // a result without anchoring evidence: the position itself, as far as its own sigma goes
    const plain = !judged && !turned && frame ? { value: frame.position[1], sigma: frame.covarianceM2 ? Math.sqrt(frame.covarianceM2[3]) : (frame.sigmaPositionM ?? null) } : null;
    items.push(
      lengthItem('cameraHeight', about, h.m, h.sigmaM ?? USUAL_SIGMA.heightM, residualOf('cameraHeight', index, about), plain, solve.anchoring?.undecided, turned, frame ? risesOf(solve, frame) : []),
    );
  });
  // a tie to a mark that nobody tracked is nobody's to judge here, and stands last; what of the lens was asked for and is not seen, too
  const untracked: ReconcileItem[] = ofLens.filter((i) => i.verdict === 'not observable');
  (setup.anchors?.lengths ?? []).forEach((l, index) => {
    const about = `${l.a}–${l.b}`;
    const a = solve.points.find((p) => p.track === l.a);
    const b = solve.points.find((p) => p.track === l.b);
    const [sa, sb] = [a?.sigmaM ?? null, b?.sigmaM ?? null];
    const plain =
      !judged && a && b
        ? {
            value: Math.hypot(a.position[0] - b.position[0], a.position[1] - b.position[1], a.position[2] - b.position[2]),
            // of places whose sigma is not known nothing can be said: it is not nought
            sigma: sa === null || sb === null ? null : Math.hypot(sa, sb),
          }
        : null;
    const judgedTie = lengthItem('length', about, l.m, l.sigmaM ?? USUAL_SIGMA.tieM, residualOf('length', index, about), plain, solve.anchoring?.undecided, turned);
    const missing = [l.a, l.b].filter((id) => !solve.points.some((p) => p.track === id));
    if (turned || missing.length === 0 || judgedTie.verdict !== 'not observable') items.push(judgedTie);
    else
      untracked.push({
        ...judgedTie,
        sentence: `${missing.join(' and ')} ${missing.length === 1 ? 'has' : 'have'} no place in this solve: ${missing.length === 1 ? 'it is' : 'they are'} not among its tracks, so the tie cannot be checked. Mark ${missing.length === 1 ? 'it' : 'them'} in the clip.`,
      });
  });
  (setup.anchors?.distances ?? []).forEach((d, index) => {
    const about = `${d.to}, ${frameWords(d.frame)}`;
    const frame = frameAt(d.frame);
    const to = solve.points.find((p) => p.track === d.to);
    const plain =
      !judged && frame && to
        ? {
            value: Math.hypot(to.position[0] - frame.position[0], to.position[1] - frame.position[1], to.position[2] - frame.position[2]),
            sigma: to.sigmaM === null || frame.sigmaPositionM === null ? null : Math.hypot(to.sigmaM, frame.sigmaPositionM),
          }
        : null;
    // a thing that was not tracked cannot be judged, and that is said once, by the solve
    if (to) items.push(lengthItem('distance', about, d.m, d.sigmaM ?? USUAL_SIGMA.distanceM, residualOf('distance', index, about), plain, solve.anchoring?.undecided, turned));
  });
  const angles = ofObject ? [] : (setup.anchors?.cameraAngles ?? []);
  angles.forEach((a, index) => {
    const other = angles.find((b) => b.frame === a.frame && b.of !== a.of);
    items.push(angleItem(a, (solve.angles ?? solve.anchoring?.angles)?.[index] ?? null, other ? other.rad * DEG : null));
  });
  items.push(...witnessItems(setup, solve));
  // what a turn cannot tell is nobody's to look at, and stands last
  const order: Verdict[] = turned ? ['contradicts', 'drifts', 'agrees', 'not observable'] : ['contradicts', 'drifts', 'not observable', 'agrees'];
  const seen = items.filter((i) => i.verdict !== 'not observable');
  const verdict = order.find((v) => (seen.length > 0 ? seen : items).some((i) => i.verdict === v)) ?? 'not observable';
  if (solve.warnings?.some((w) => w.code === 'STOPPED_EARLY')) return stillMoving([...items, ...untracked]);
  if (solve.readoutSeen) return takenAsRead([...items, ...untracked], solve.readoutSeen);
  if (solve.focalAsked) return takenAsHeld(setup, solve, solve.focalAsked, [...items, ...untracked], around);
  if (solve.movedAfterAll) return takenAsTurn([...items, ...untracked], solve.movedAfterAll);
  if (solve.squeezed) return takenAsOtherSqueeze([...items, ...untracked], solve.squeezed, setup.squeeze ?? 1);
  if (solve.bending) return takenAsStraight([...items, ...untracked], solve.bending);
  if (solve.zoomed) return takenAsOneLength([...items, ...untracked], solve.zoomed);
  if (solve.misfitPx)
    return unjudged(
      [...items, ...untracked],
      null,
      `The tracks are off by ${solve.misfitPx.toFixed(0)} px, and nothing explains it: nothing can be judged by this solve.`,
      'Nothing explains these tracks',
    );
  items.sort((a, b) => order.indexOf(a.verdict) - order.indexOf(b.verdict) || gap(b) - gap(a));
  items.push(...untracked);
  return {
    items,
    verdict,
    sentence: headline(items, verdict, solve.anchoring?.undecided, solve.called),
    warnings: [],
    ...(solve.anchoring?.undecided ? { undecided: solve.anchoring.undecided } : {}),
  };
}

/** A rise of less is none that a tape could tell. */
const LEAST_RISE_M = 0.02;
/** By how much the camera stands higher at the first and the last frame than where the height was taken. */
const risesOf = (solve: SolvedForReconcile, at: SolvedForReconcile['frames'][number]): { frame: number; risesM: number }[] =>
  [solve.frames[0], solve.frames[solve.frames.length - 1]]
    .map((f) => ({ frame: f.frame, risesM: f.position[1] - at.position[1] }))
    .filter((f) => f.frame !== at.frame && Math.abs(f.risesM) > LEAST_RISE_M);

/**
 * The lens bends and was taken as straight: focal length, lengths and heights of such a solve are bent with it, so that no fact can be judged by it,
 * a right one least of all.
 */
function takenAsStraight(items: readonly ReconcileItem[], bending: Bending): ReconcileReport {
  const cause: Cause = {
    cause: 'distortion-not-used',
    title: 'The lens bends, and its distortion was not used',
    evidence: bending.movesFocal
      ? `the tracks ask for a distortion, and any moves the focal length by ${bending.movesFocal.toFixed(0)} of its standard deviations`
      : `with a distortion (k1 about ${bending.k1.toFixed(2)}) ${(100 * (1 - Math.sqrt(bending.remaining))).toFixed(0)} % of the error would go`,
    likelihood: BENDS_LIKELIHOOD,
  };
  return unjudged(items, cause, `${cause.title}: nothing can be judged by this solve. Shoot a lens grid, or mark straight edges, and solve again.`, 'The lens bends and was taken as straight');
}

/** Another squeeze than was recorded bends path and points; which lens it was its squeeze says. */
function takenAsOtherSqueeze(items: readonly ReconcileItem[], { value, sigma }: Squeezed, recorded: number): ReconcileReport {
  const [ranked] = rankCauses(squeezeCauses(recorded), recorded, MARKED_SQUEEZE_SIGMA * recorded, value, sigma, () => '');
  const cause: Cause = {
    cause: recorded === 1 ? 'forgotten-squeeze' : 'other-squeeze',
    title: ranked?.title ?? `The lens squeezes ${value.toFixed(2)} times; ${recorded} was written down`,
    evidence: `with a squeeze of ${value.toFixed(2)} ± ${sigma.toFixed(2)} the errors become even`,
    likelihood: BENDS_LIKELIHOOD,
    ...(ranked?.correction ? { correction: ranked.correction } : {}),
  };
  return unjudged(items, cause, `${cause.title}: nothing can be judged by this solve. Put the squeeze right, and solve again.`, 'The lens squeezes otherwise than was written down');
}

/** Rows that were read otherwise than they were taken lean path and points. */
function takenAsRead(items: readonly ReconcileItem[], seen: ReadoutSeen): ReconcileReport {
  const { ms, usedMs } = seen;
  const none = readAtOnce(seen);
  const cause: Cause = {
    cause: none ? 'no-readout-skew' : usedMs === 0 ? 'readout-not-used' : 'other-readout',
    title: none
      ? 'The rows were read at once, and a readout skew was taken out'
      : usedMs === 0
        ? 'The rows were read one after the other, and were taken as read at once'
        : 'The readout of the picture takes another time than was written down',
    evidence: readoutWords(seen),
    likelihood: BENDS_LIKELIHOOD,
    // a camera that hung upside down is no property of its mode, and without a frame rate nobody knows the time
    ...((ms === null || ms < 0) && !none ? {} : { correction: { field: 'readoutMs' as const, value: none || ms === null ? null : Number(ms.toFixed(1)) } }),
  };
  const put = ms === null && !none ? 'Give the frame rate and the readout time' : 'Put the readout time right';
  return unjudged(items, cause, `${cause.title}: nothing can be judged by this solve. ${put}, and solve again.`, 'The rows were read otherwise than they were taken');
}

/** An adjustment that was stopped on its way lies any number of its own sigmas from where it would end. */
const stillMoving = (items: readonly ReconcileItem[]): ReconcileReport =>
  unjudged(
    items,
    null,
    'The solve was stopped while it still moved: nothing can be judged by it. Give it more tracks, or tracks that last longer, and solve again.',
    'The solve was stopped while it still moved',
  );

/** Another focal length than was held leans everything but itself: it alone is judged. */
function takenAsHeld(setup: SolveSetup, solve: SolvedForReconcile, asked: FocalAsked, items: readonly ReconcileItem[], around?: KitAround): ReconcileReport {
  const { mm } = setup.focal;
  const focal = focalItem({ ...setup, focal: { mode: 'free', mm } }, { ...solve, focalMode: 'free', focalMm: asked.mm, sigmaFocalMm: asked.sigmaMm }, around);
  const contradicts = focal.verdict === 'contradicts';
  const offPct = 100 * (asked.mm / focal.recorded - 1);
  const others = unjudged(
    items.filter((i) => i.quantity !== 'focalLength'),
    null,
    '',
    'Another focal length was held than the tracks ask for',
  ).items;
  return {
    items: [focal, ...others],
    verdict: contradicts ? 'contradicts' : 'not observable',
    sentence: contradicts
      ? headline([focal], focal.verdict, null, solve.called)
      : `The tracks ask for another focal length than was held, by ${offPct.toFixed(1)} %, as lenses differ from what is marked on them: nothing can be judged by this solve. Leave it free, and solve again.`,
    warnings: [],
  };
}

/** A move that was solved as a turn says nothing right of focal length, tilt or roll. */
function takenAsTurn(items: readonly ReconcileItem[], moved: MovedAfterAll): ReconcileReport {
  const cause: Cause = { cause: 'camera-moved', title: 'The camera moved, and was taken as turning only', evidence: movedWords(moved), likelihood: moved.lensDoubted ? MAY_BE_LENS : BENDS_LIKELIHOOD };
  return unjudged(items, cause, `${cause.title}: nothing can be judged by this solve. Solve it as a camera that may move.`, 'The camera moved and was taken as turning only');
}

/** A zoom that nobody noted was spread over path and points. */
function takenAsOneLength(items: readonly ReconcileItem[], change: number): ReconcileReport {
  const cause: Cause = {
    cause: 'zoom-not-noted',
    title: 'The lens zoomed during the take, and nobody noted it',
    evidence: `solved as a zoom the focal length changes by ${(100 * (change - 1)).toFixed(0)} %, and the errors become even`,
    likelihood: BENDS_LIKELIHOOD,
  };
  return unjudged(items, cause, `${cause.title}: nothing can be judged by this solve. Note the focal length at the end, and solve again.`, 'The lens zoomed and was taken as one length');
}

function unjudged(items: readonly ReconcileItem[], cause: Cause | null, sentence: string, why: string): ReconcileReport {
  const judged = items.map((i): ReconcileItem => (i.verdict === 'not observable' ? i : { ...i, verdict: 'not observable', sentence: `${i.sentence} ${why}, so this says nothing yet.`, causes: [] }));
  return { items: cause ? [{ ...judged[0], causes: [cause] }, ...judged.slice(1)] : judged, verdict: 'not observable', sentence, warnings: [] };
}
/** The residuals ask for it (solve/bending.ts); another fault of the model may look like it now and then. */
const BENDS_LIKELIHOOD = 0.9;
/** A move that a lens nobody measured may have made. */
const MAY_BE_LENS = 0.6;

/** To a thousandth of a sigma: what disagrees alike stands as it was written down, and not in the order of a last digit. */
const gap = (i: ReconcileItem) => (i.difference === null ? 0 : Math.round((1000 * Math.abs(i.difference)) / Math.hypot(i.recordedSigma, i.sigma ?? 0)));

/** The focal length; of a zoom where it began and where it ended, as noted. */
function focalItems(setup: SolveSetup, solve: SolvedForReconcile, around?: KitAround): ReconcileItem[] {
  if (solve.focalMode !== 'zoom') return [focalItem(setup, solve, around)];
  const { profile = [], mm, endMm } = setup.focal;
  const ends = [solve.frames[0], solve.frames[solve.frames.length - 1]];
  const noted =
    profile.length > 1
      ? [profile.reduce((a, b) => (b.frame < a.frame ? b : a)), profile.reduce((a, b) => (b.frame > a.frame ? b : a))]
      : endMm === undefined
        ? []
        : [
            { frame: ends[0].frame, mm },
            { frame: ends[1].frame, mm: endMm },
          ];
  const items = noted.flatMap((n) => {
    const f = solve.frames.find((q) => q.frame === n.frame);
    if (!f) return [];
    const at = { ...solve, focalMode: 'free' as const, focalMm: f.focalMm, sigmaFocalMm: f.sigmaFocalMm ?? null };
    const { endMm: _end, profile: _profile, ...focal } = setup.focal;
    return [{ ...focalItem({ ...setup, focal: { ...focal, mode: 'free', mm: n.mm } }, at, around), about: `focal length, frame ${n.frame}` }];
  });
  if (items.length > 0) return items;
  const unseen = focalItem(setup, { ...solve, focalMode: 'held' });
  return [{ ...unseen, sentence: 'Nothing was noted of where this zoom begins and ends, so its focal lengths cannot be checked.' }];
}

/** A plate tells the principal point of its own setting; another focus moves it by a little. */
const PLATE_CENTRE_SIGMA_PX = 3;
const MARKED_SQUEEZE_SIGMA = 0.01;

/** Squeeze and principal point, where the solve found them: against what was marked, or measured by a plate. Nobody records the middle of a picture. */
function lensItems(setup: SolveSetup, solve: SolvedForReconcile): ReconcileItem[] {
  const { squeeze, principalPx } = solve.found ?? {};
  const items: ReconcileItem[] = [];
  if (squeeze) {
    const recorded = setup.squeeze ?? 1;
    const judged = squeeze.told && setup.squeezeFit?.mode === 'free';
    items.push(
      item(
        'squeeze',
        'squeeze',
        '×',
        recorded,
        MARKED_SQUEEZE_SIGMA * recorded,
        judged ? squeeze.value : null,
        judged ? squeeze.sigma : null,
        () =>
          rankCauses(
            squeezeCauses(recorded),
            recorded,
            MARKED_SQUEEZE_SIGMA * recorded,
            squeeze.value,
            squeeze.sigma ?? 0,
            (k) => `${recorded} × ${k.ratio.toFixed(3)} = ${(recorded * k.ratio).toFixed(3)}; found ${squeeze.value.toFixed(3)} ± ${(squeeze.sigma ?? 0).toFixed(3)}`,
          ),
        'This move does not show the squeeze by itself. A roll of the camera would.',
      ),
    );
  }
  // a plate that could not tell its centre has it in the middle, which nobody measured
  const plate = setup.distortion?.center;
  const measured = plate && Math.hypot(plate[0] - setup.image.width / 2, plate[1] - setup.image.height / 2) > 0.01;
  // a zoom's wanders as it zooms, and a plate tells it of one length
  if (principalPx && measured && !findsCentreUnasked(setup)) {
    const { mode, sigmaPx } = setup.principalPoint ?? { mode: 'held' };
    const recordedSigma = mode === 'guided' && sigmaPx ? sigmaPx : PLATE_CENTRE_SIGMA_PX;
    for (const [quantity, recorded, value, sigma] of [
      ['principalX', plate[0], principalPx.x, principalPx.sigmaX],
      ['principalY', plate[1], principalPx.y, principalPx.sigmaY],
    ] as const) {
      const own = sigma === null || !principalPx.told ? null : mode === 'guided' ? without(value, sigma, recorded, recordedSigma) : { value, sigma };
      items.push(
        item(
          quantity,
          'picture',
          'px',
          recorded,
          recordedSigma,
          own?.value ?? null,
          own?.sigma ?? null,
          () => [],
          'This move does not show the principal point by itself. A roll of the camera would.',
        ),
      );
    }
  }
  return items;
}

/** What was found, without what was known beforehand: nothing is compared with itself. Null where nothing else was there. */
function without(value: number, sigma: number, known: number, knownSigma: number): { value: number; sigma: number } | null {
  const information = 1 / sigma ** 2 - 1 / knownSigma ** 2;
  return information <= 0 ? null : { value: (value / sigma ** 2 - known / knownSigma ** 2) / information, sigma: Math.sqrt(1 / information) };
}

function focalItem(setup: SolveSetup, solve: SolvedForReconcile, around?: KitAround): ReconcileItem {
  const recorded = computeOptics(setup).effectiveFocalMm;
  const adapter = setup.adapterFactor ?? 1;
  const mode = solve.focalMode ?? setup.focal.mode ?? 'held';
  const recordedSigma = (setup.focal.sigmaMm ?? 0) > 0 ? setup.focal.sigmaMm! * adapter : MARKED_FOCAL_SIGMA * recorded;
  let solved = solve.focalMm;
  let sigma = solve.sigmaFocalMm;
  if (mode === 'held') {
    return item(
      'focalLength',
      'focal length',
      'mm',
      recorded,
      recordedSigma,
      null,
      null,
      () => [],
      `The ${solve.called ?? 'solve'} held the recorded focal length, so it cannot judge it. Let the focal length be free to judge it.`,
    );
  }
  if (mode === 'guided' && setup.focal.sigmaMm && solved !== null && sigma) {
    const own = without(solved, sigma, recorded, recordedSigma);
    solved = own?.value ?? null;
    sigma = own?.sigma ?? null;
  }
  const causes = () =>
    rankCauses(
      focalCauses({
        adapterFactor: adapter,
        squeeze: setup.squeeze ?? 1,
        sensorWidthMm: setup.sensor.widthMm,
        markedMm: setup.focal.mm,
        image: setup.image,
        squeezeHolds: solve.squeezed === null,
        around,
      }),
      recorded,
      recordedSigma,
      solved!,
      sigma ?? 0,
      (k) =>
        `${recorded.toFixed(2)} mm × ${k.ratio.toFixed(3)} = ${(recorded * k.ratio).toFixed(2)} mm; solved ${solved!.toFixed(2)} ± ${(sigma ?? 0).toFixed(2)} mm, ratio ${(solved! / recorded).toFixed(3)}`,
    );
  return item('focalLength', 'focal length', 'mm', recorded, recordedSigma, solved, sigma, causes, 'This move does not show the focal length.');
}

function lengthItem(
  quantity: 'cameraHeight' | 'length' | 'distance',
  about: string,
  recorded: number,
  recordedSigma: number,
  residual: AnchorResidual | undefined,
  plain: { value: number; sigma: number | null } | null,
  undecided: Undecided | null | undefined,
  turned: boolean,
  otherFrames: readonly { frame: number; risesM: number }[] = [],
): ReconcileItem {
  const solved = residual ? residual.independentM : (plain?.value ?? null);
  const sigma = residual ? residual.sigmaIndependentM : (plain?.sigma ?? null);
  const causes = () =>
    rankCauses(
      lengthCauses(recorded, quantity, otherFrames),
      recorded,
      recordedSigma,
      solved!,
      sigma ?? 0,
      (k) => `${recorded.toFixed(3)} m × ${k.ratio.toFixed(3)} = ${(recorded * k.ratio).toFixed(3)} m; solved ${solved!.toFixed(3)} ± ${(sigma ?? 0).toFixed(3)} m`,
    );
  const unseen = turned
    ? 'The camera only turned: a turn tells no lengths.'
    : solved !== null && sigma === null
      ? `The solve gives ${solved.toFixed(3)} m without a standard deviation, so it cannot be judged by it.`
      : 'Nothing else in this solve gives the scale, so it cannot be checked. One more length or height would do.';
  const judged = item(quantity, about, 'm', recorded, recordedSigma, solved, sigma, causes, unseen);
  if (!residual?.undecided || !undecided) return judged;
  return { ...judged, sentence: `${judged.sentence} Other facts are as likely to be the wrong ones. ${undecided.decide}` };
}

const DEG = 180 / Math.PI;
/** Density of "something else" over a degree: an angle that nobody can explain lies anywhere within some tens of degrees. */
const ELSE_DENSITY_DEG = 0.02;

function angleItem(a: { frame: number | 'last'; of: 'tilt' | 'roll'; rad: number; sigmaRad?: number }, solved: { rad: number; sigmaRad: number } | null, otherDeg: number | null): ReconcileItem {
  const recordedSigma = (a.sigmaRad ?? USUAL_SIGMA.angleRad) * DEG;
  const causes = (): Cause[] => {
    const [deg, sigma] = [solved!.rad * DEG, Math.hypot(solved!.sigmaRad * DEG, recordedSigma)];
    const known = angleCauses(a.rad * DEG, a.of, otherDeg);
    const weights = known.map((k) => {
      const s = Math.hypot(sigma, k.spreadDeg);
      return (k.prior * Math.exp(-0.5 * ((deg - k.deg) / s) ** 2)) / (s * Math.sqrt(2 * Math.PI));
    });
    return believed(known, weights, ELSE_DENSITY_DEG, (k) => `${(a.rad * DEG).toFixed(1)}° would be ${k.deg.toFixed(1)}°; solved ${deg.toFixed(1)} ± ${(solved!.sigmaRad * DEG).toFixed(1)}°`);
  };
  return item(
    a.of,
    frameWords(a.frame),
    '°',
    a.rad * DEG,
    recordedSigma,
    solved && solved.rad * DEG,
    solved && solved.sigmaRad * DEG,
    causes,
    'Nothing in this solve tells what is level, so it cannot be checked. Three level marks would do.',
  );
}

/** Belief by Bayes' rule: each cause predicts the ratio as a normal law about its own, "something else" as a flat one. */
function rankCauses(known: readonly KnownCause[], recorded: number, recordedSigma: number, solved: number, sigma: number, evidence: (k: KnownCause) => string): Cause[] {
  const ratio = solved / recorded;
  const own = ratio * Math.hypot(recordedSigma / recorded, sigma / solved);
  const density = (k: KnownCause) => {
    const s = Math.hypot(own, k.spread);
    return (k.prior * Math.exp(-0.5 * ((ratio - k.ratio) / s) ** 2)) / (s * Math.sqrt(2 * Math.PI));
  };
  return believed(known, known.map(density), ELSE_DENSITY, evidence);
}

/** Shares of belief among causes by their weights and "something else", those worth telling, the likeliest first. */
function believed<K extends { cause: string; title: string; correction?: KnownCause['correction'] }>(
  known: readonly K[],
  weights: readonly number[],
  elseDensity: number,
  evidence: (k: K) => string,
): Cause[] {
  const total = weights.reduce((a, b) => a + b, 0) + elseDensity;
  return known
    .map((k, i) => ({ cause: k.cause, title: k.title, evidence: evidence(k), likelihood: weights[i] / total, ...(k.correction ? { correction: k.correction } : {}) }))
    .filter((c) => c.likelihood > 0.05)
    .sort((x, y) => y.likelihood - x.likelihood);
}
