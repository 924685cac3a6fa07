import { MARK_PX } from '../marks';
import { exposureS, runPx, sharpZone, type SetupStudy } from '../setup';
import { said, whenAbove, whenBelow, type Caution, type Rule } from './caution';

/** What a still place may run over the picture during one exposure, or from the first to the last row: a thousandth of the picture's width. */
export const RUN_LIMIT_SHARE = 0.001;
const SLOWEST_SHUTTER_DEG = 5;
/** Sensors without a stated readout time are taken for this one when they are warned of. */
const USUAL_READOUT_MS = 16;

/** The worst moment of the median run of what is seen there, px. */
export function worstRun(study: SetupStudy, spanS: number): { px: number; m: number } {
  const n = study.points.length;
  let worst = { px: 0, m: 0 };
  for (let m = 0; m < study.moments.length; m += 1) {
    const runs: number[] = [];
    // a dozen points tell the median
    let seen = 0;
    for (let p = 0; p < n && runs.length < 12; p += 1) {
      if (!study.seen[m * n + p]) continue;
      seen += 1;
      if (seen % Math.max(1, Math.floor(n / 24)) === 0 || seen <= 6) runs.push(runPx(study, m, study.points[p].at, spanS));
    }
    if (runs.length === 0) runs.push(runPx(study, m, middleOfView(study, m), spanS));
    runs.sort((a, b) => a - b);
    const px = runs[runs.length >> 1];
    if (px > worst.px) worst = { px, m };
  }
  return worst;
}

/** Where nothing is seen, what stands at the focus distance in the middle of the frame. */
function middleOfView(study: SetupStudy, m: number): [number, number, number] {
  const { position, toCamera, focusM } = study.tracked[m];
  const d = Math.min(focusM, 1e4);
  return [position[0] + d * toCamera[6], position[1] + d * toCamera[7], position[2] + d * toCamera[8]];
}

const motionBlur: Rule = ({ study }) => {
  const { setup, geometry } = study;
  const { px, m } = worstRun(study, exposureS(setup));
  const limit = RUN_LIMIT_SHARE * geometry.widthPx;
  const shutterDeg = Math.max(SLOWEST_SHUTTER_DEG, Math.floor((setup.shutterDeg * limit) / px));
  const slower = Math.ceil((10 * px) / limit) / 10;
  return whenAbove({
    rule: 'motion blur',
    found: `A still thing smears over ${said(px)} px during one exposure.`,
    value: px,
    limit,
    unit: 'px',
    why: 'A tracker finds the middle of a smear only roughly, and small features vanish in it.',
    advice: `A shutter of ${shutterDeg}° would keep it below ${said(limit)} px, or the same move ${said(slower)} times as slow.`,
    entry: 'shutter',
    remedy: { set: 'shutterDeg', value: shutterDeg },
    worstAtS: study.moments[m].timeS,
  });
};

const readoutSkew: Rule = ({ study }) => {
  const { setup, geometry } = study;
  const ms = setup.readoutMs ?? USUAL_READOUT_MS;
  const { px, m } = worstRun(study, ms / 1000);
  const limit = RUN_LIMIT_SHARE * geometry.widthPx;
  const slower = Math.ceil((10 * px) / limit) / 10;
  return whenAbove({
    rule: 'readout skew',
    found: `Between the first and the last row the picture runs ${said(px)} px${setup.readoutMs === null ? `, if this sensor reads out in ${USUAL_READOUT_MS} ms as many do` : ` (readout ${said(ms)} ms)`}.`,
    value: px,
    limit,
    unit: 'px',
    why: 'Each row belongs to another moment: upright things lean and the solve bends.',
    advice: `${setup.readoutMs === null ? 'Enter the readout time of this mode. ' : ''}A mode that reads out faster, or the same move ${said(slower)} times as slow.`,
    entry: 'readout time',
    remedy: { set: 'slower', value: slower },
    worstAtS: study.moments[m].timeS,
  });
};

/** Share of what is seen at a moment that lies outside the depth of field; null without a stop or without points. */
export function softShare(study: SetupStudy, m: number, stop: number | null = study.setup.stop): number | null {
  const depth = sharpZone(study, m, stop);
  if (!depth) return null;
  const n = study.points.length;
  let seen = 0,
    soft = 0;
  for (let p = 0; p < n; p += 1) {
    if (!study.seen[m * n + p]) continue;
    seen += 1;
    const d = study.depthM[m * n + p];
    if (d < depth.nearM || d > depth.farM) soft += 1;
  }
  return seen > 0 ? soft / seen : null;
}

const SOFT_LIMIT = 0.4;
const STOPS = [1, 1.4, 2, 2.8, 4, 5.6, 8, 11, 16, 22];

const depthOfFieldRule: Rule = ({ study }) => {
  let worst = { share: 0, m: 0 };
  for (let m = 0; m < study.moments.length; m += 1) {
    const share = softShare(study, m);
    if (share !== null && share > worst.share) worst = { share, m };
  }
  const enough = STOPS.find((stop) => stop > (study.setup.stop ?? 0) && (softShare(study, worst.m, stop) ?? 0) <= SOFT_LIMIT);
  return whenAbove({
    rule: 'depth of field',
    found: `${Math.round(100 * worst.share)} % of what can be tracked is out of focus.`,
    value: 100 * worst.share,
    limit: 100 * SOFT_LIMIT,
    unit: '%',
    why: 'What is soft is tracked badly or not at all, and then near and far are missing from the solve.',
    advice: enough ? `Stop ${enough} would bring it below ${100 * SOFT_LIMIT} %; or put marks where it is sharp.` : 'Put marks where it is sharp, or add a witness camera with deep focus.',
    entry: 'stop',
    remedy: enough ? { set: 'stop', value: enough } : null,
    worstAtS: study.moments[worst.m].timeS,
  });
};

const ISO_LIMIT = 1600;
const grain: Rule = ({ study }) =>
  whenAbove({
    rule: 'grain',
    found: `ISO ${study.setup.iso}.`,
    value: study.setup.iso ?? 0,
    limit: ISO_LIMIT,
    unit: 'ISO',
    why: 'Grain moves corners by tenths of a pixel, at random in every frame.',
    advice: 'More light or a wider stop, or larger marks that hold against the grain.',
    entry: 'ISO',
  });

const smallMarks: Rule = ({ watch }) => {
  const sizes = watch.flatMap((w) => (w.smallestPx === null ? [] : [{ px: w.smallestPx, timeS: w.timeS }]));
  if (sizes.length === 0) return null;
  const worst = sizes.reduce((a, b) => (b.px < a.px ? b : a));
  return whenBelow({
    rule: 'marks too small',
    found: `The smallest mark that is seen measures ${said(worst.px)} px.`,
    value: worst.px,
    limit: MARK_PX.least,
    unit: 'px',
    why: 'Below about ten pixels a mark is lost in grain and in compression.',
    advice: `Make it ${said(MARK_PX.least / worst.px)} times as large, or put it nearer.`,
    entry: 'marks',
    worstAtS: worst.timeS,
  });
};

const largeMarks: Rule = ({ watch }) => {
  const sizes = watch.flatMap((w) => (w.largestPx === null ? [] : [{ px: w.largestPx, timeS: w.timeS }]));
  if (sizes.length === 0) return null;
  const worst = sizes.reduce((a, b) => (b.px > a.px ? b : a));
  const limit = 3 * MARK_PX.most;
  const caution = whenAbove({
    rule: 'marks needlessly large',
    found: `The largest mark that is seen measures ${said(worst.px)} px.`,
    value: worst.px,
    limit,
    unit: 'px',
    why: 'Beyond twenty pixels nothing is gained, and all of it must be painted out.',
    advice: `${said(worst.px / MARK_PX.most)} times smaller would do there.`,
    entry: 'marks',
    worstAtS: worst.timeS,
  });
  // it costs work, it spoils no solve
  return caution && ({ ...caution, severity: 'small' } satisfies Caution);
};

export const PICTURE_RULES: readonly Rule[] = [motionBlur, readoutSkew, depthOfFieldRule, grain, smallMarks, largeMarks];
