import { USUAL_SIGMA } from '../facts';
import { adapterOf, exposureS, runPx, trackNoisePx, type SetupStudy } from '../setup';
import type { ForecastFacts, ForecastPlan } from './plan';

/** Of the length of a smear so much becomes noise of the place: its ends fade, and the tracker's window slides along it. An assumption. */
const BLUR_SHARE = 0.1;
/** Points beyond so many add work and hardly knowledge. */
const MOST_POINTS = 120;

/** Which sampled frame is nearest to a time. */
const frameAt = (study: SetupStudy, timeS: number): number => study.moments.reduce((best, m, i) => (Math.abs(m.timeS - timeS) < Math.abs(study.moments[best].timeS - timeS) ? i : best), 0);

/** Facts of the planned measurements, on the sampled frames. */
function factsOf(study: SetupStudy): ForecastFacts {
  const { measures } = study.setup;
  const level = measures.level;
  return {
    level,
    levelSigmaM: measures.levelSigmaM,
    lengths: measures.ties,
    cameraHeights: measures.heights.map((h) => ({ frame: frameAt(study, h.timeS), sigmaM: h.sigmaM })),
    surveyed: measures.surveyed ?? [],
    origin: level[0] ?? null,
    heading: level.length > 1 ? [level[0], level[level.length - 1]] : null,
  };
}

/** Marks first, then features, thinned evenly to so many. */
function keptPoints(study: SetupStudy): number[] {
  const marks = study.points.flatMap((p, i) => (p.mark ? [i] : []));
  const features = study.points.flatMap((p, i) => (p.mark ? [] : [i]));
  const thin = (list: number[], most: number) => (list.length <= most ? list : Array.from({ length: most }, (_, i) => list[Math.floor((i * list.length) / most)]));
  const keptMarks = thin(marks, MOST_POINTS);
  return [...keptMarks, ...thin(features, MOST_POINTS - keptMarks.length)];
}

/** What a later solve of this setup will have to go by. The noise grows with blur, and is larger for natural features. */
export function planOfStudy(study: SetupStudy): ForecastPlan {
  const { setup } = study;
  const kept = keptPoints(study);
  const nf = study.moments.length;
  const sigmaPx = new Float64Array(nf * kept.length);
  const exposure = exposureS(setup);
  for (let i = 0; i < nf; i += 1) {
    const first = kept.findIndex((p) => study.seen[i * study.points.length + p]);
    const blurPx = first >= 0 ? runPx(study, i, study.points[kept[first]].at, exposure) : 0;
    kept.forEach((p, k) => {
      if (study.seen[i * study.points.length + p]) sigmaPx[i * kept.length + k] = Math.hypot(trackNoisePx(setup, study.points[p]), BLUR_SHARE * blurPx);
    });
  }
  const zooms = Math.max(...study.moments.map((m) => m.focalMm)) / Math.min(...study.moments.map((m) => m.focalMm)) > 1.02;
  return {
    geometry: study.geometry,
    frames: study.tracked.map((m, i) => ({
      frame: Math.round((i * (study.frameCount - 1)) / Math.max(1, nf - 1)) + 1,
      position: m.position,
      toCamera: m.toCamera,
      effectiveMm: m.focalMm * adapterOf(setup),
      standsFor: Math.max(1, study.frameCount / nf),
    })),
    points: kept.map((p) => ({ id: study.points[p].id, at: study.points[p].at })),
    sigmaPx,
    focal: { mode: setup.lens.mode, sigmaMm: (setup.lens.sigmaPct / 100) * study.moments[0].focalMm * adapterOf(setup), perFrame: zooms },
    bend: setup.lens.mode === 'held' || setup.lens.plated ? null : { sigmaAtCorner: USUAL_SIGMA.bendAtCorner, later: 'straight' },
    facts: factsOf(study),
  };
}
