import { lifeFrames } from '../marks';
import { groundScatter, median, quantile, sub, dot, norm, type Vec3 } from '../math';
import { hasBody, hides, momentAt, type SetupStudy } from '../setup';
import { said, whenAbove, whenBelow, type Rule, type RuleInput } from './caution';

/** Largest angle between two rays to a point, over the moments that see it, degrees: the first, the last and the one farthest from the first. */
export function rayAngleDeg(study: SetupStudy, p: number): number {
  const n = study.points.length;
  const eyes: Vec3[] = [];
  for (let m = 0; m < study.moments.length; m += 1) if (study.seen[m * n + p]) eyes.push(study.tracked[m].position);
  if (eyes.length < 2) return 0;
  const far = (from: Vec3) => eyes.reduce((a, b) => (norm(sub(b, from)) > norm(sub(a, from)) ? b : a));
  const a = far(eyes[0]);
  const b = far(a);
  const [u, v] = [sub(a, study.points[p].at), sub(b, study.points[p].at)];
  return (180 / Math.PI) * Math.acos(Math.min(1, dot(u, v) / (norm(u) * norm(v))));
}

const PARALLAX_LIMIT_DEG = 2;
const parallax: Rule = ({ study }) => {
  const angles = study.points.map((_, p) => rayAngleDeg(study, p)).filter((_, p) => lifeFrames(study, p) > 0);
  // a quarter of the points may lie far away
  const angle = angles.length > 0 ? quantile(angles, 0.75) : 0;
  const travel = Math.max(...study.tracked.map((m) => norm(sub(m.position, study.tracked[0].position))));
  const { kind, pupilAheadM } = study.setup.move;
  const how =
    kind === 'pan' && pupilAheadM
      ? `The pan swings the lens ${said(100 * travel)} cm, since it sits ${said(100 * pupilAheadM)} cm before the axis; rays to a point meet at ${said(angle)}° only.`
      : travel < 0.005
        ? 'The camera does not travel: there is no parallax at all.'
        : `The camera travels ${said(travel)} m; rays to a point meet at ${said(angle)}° only.`;
  return whenBelow({
    rule: 'parallax',
    found: how,
    value: angle,
    limit: PARALLAX_LIMIT_DEG,
    unit: '°',
    why: 'Depth comes from seeing a thing from two places. Without it a solve gives directions only, no distance and no scale.',
    advice: 'Let the camera travel sideways, bring near things into the frame, or survey the set and shoot stills from the sides.',
    entry: 'move',
  });
};

const TURNING_LIMIT = 10;
const turning: Rule = ({ study }) => {
  // what turning and what travelling alone move in the middle of the picture, px
  let turned = 0,
    travelled = 0;
  const px = study.geometry.pxPerMmX * (study.setup.optics.adapterFactor ?? 1);
  for (let m = 1; m < study.moments.length; m += 1) {
    const [a, b] = [study.tracked[m - 1], study.tracked[m]];
    const f = b.focalMm * px;
    const cos = dot([a.toCamera[6], a.toCamera[7], a.toCamera[8]], [b.toCamera[6], b.toCamera[7], b.toCamera[8]]);
    turned += f * Math.acos(Math.min(1, cos));
    const d = sub(b.position, a.position);
    const across = Math.hypot(dot([b.toCamera[0], b.toCamera[1], b.toCamera[2]], d), dot([b.toCamera[3], b.toCamera[4], b.toCamera[5]], d));
    travelled += (f * across) / medianDepth(study, m);
  }
  if (turned < 20 || travelled < 1e-6) return null; // standing still, or a pure turn, which the rule of parallax speaks of
  return whenAbove({
    rule: 'turning against moving',
    found: `Turning moves the picture ${said(turned / travelled)} times as far as travelling does.`,
    value: turned / travelled,
    limit: TURNING_LIMIT,
    unit: 'times',
    why: 'Where turning rules, the little that travel shows drowns in noise and depth comes out weak.',
    advice: 'Travel more or turn less; otherwise measure camera places and survey marks.',
    entry: 'move',
  });
};

function medianDepth(study: SetupStudy, m: number): number {
  const n = study.points.length;
  const depths: number[] = [];
  for (let p = 0; p < n; p += 1) if (study.seen[m * n + p]) depths.push(study.depthM[m * n + p]);
  return depths.length > 0 ? median(depths) : Math.min(study.moments[m].focusM, 1e3);
}

const FLOOR = { any: 8, turning: 6 } as const;
/** Fewest fixed things that a frame needs: six suffice for a pan or a zoom through a lens that is known. */
export const leastFeatures = ({ setup }: SetupStudy): number => ((setup.move.kind === 'pan' || setup.move.kind === 'zoom') && setup.lens.mode === 'held' ? FLOOR.turning : FLOOR.any);

const tooFew: Rule = ({ study, watch }) => {
  const worst = watch.reduce((a, b) => (b.marks + b.features < a.marks + a.features ? b : a));
  const count = worst.marks + worst.features;
  const limit = leastFeatures(study);
  return whenBelow({
    rule: 'too few to track',
    found: count === 0 ? 'There are moments with nothing fixed in the frame.' : `There are moments with only ${count} fixed thing${count === 1 ? '' : 's'} in the frame.`,
    value: count,
    limit,
    unit: 'in a frame',
    why: `A frame with fewer than ${limit} cannot be placed safely.`,
    advice: 'Place marks where the frame is empty; the worst moment is marked on the strip.',
    entry: 'marks',
    worstAtS: worst.timeS,
  });
};

const LIFE_LIMIT_S = 1;
const shortLife: Rule = ({ study }) => {
  const lives = study.points.map((_, p) => lifeFrames(study, p)).filter((v) => v > 0);
  if (lives.length < 4 || study.durationS <= 0) return null;
  const lifeS = median(lives) / study.setup.fps;
  return whenBelow({
    rule: 'short tracks',
    found: `Half of what is tracked leaves the frame after ${said(lifeS)} s or sooner.`,
    value: lifeS,
    limit: Math.min(LIFE_LIMIT_S, 0.25 * study.durationS),
    unit: 's',
    why: 'Short tracks are chained to each other, and the chain drifts.',
    advice: 'Add marks that stay in the frame longer, further away or along the way.',
    entry: 'marks',
  });
};

const SPREAD_LIMIT = 1 / 3;
const spread: Rule = ({ watch }) => {
  const worst = watch.reduce((a, b) => (b.spread < a.spread ? b : a));
  if (worst.marks + worst.features < 4) return null; // said by the count
  return whenBelow({
    rule: 'crowded',
    found: `What can be tracked lies in ${Math.round(100 * worst.spread)} % of the frame.`,
    value: 100 * worst.spread,
    limit: 100 * SPREAD_LIMIT,
    unit: '%',
    why: 'Where nothing is tracked, lens and pose are guessed beyond the data.',
    advice: 'Place marks towards the empty sides and corners of the frame.',
    entry: 'marks',
    worstAtS: worst.timeS,
  });
};

const FLAT_LIMIT = 0.06;
const flat: Rule = ({ study, watch }) => {
  if (study.setup.move.kind === 'pan' || study.setup.move.kind === 'zoom') return null;
  const shaped = watch.filter((w) => w.thirdShare !== null);
  if (shaped.length === 0) return null;
  const line = shaped.reduce((a, b) => (b.secondShare! < a.secondShare! ? b : a));
  if (line.secondShare! < FLAT_LIMIT)
    return whenBelow({
      rule: 'all on one plane or line',
      found: 'All that is seen lies on one line.',
      value: line.secondShare!,
      limit: FLAT_LIMIT,
      unit: 'of its length',
      severity: 'grave',
      why: 'A line leaves the camera free to turn about it: the frame cannot be placed.',
      advice: 'Place marks off the line, near and far, low and high.',
      entry: 'marks',
      worstAtS: line.timeS,
    });
  const plane = shaped.reduce((a, b) => (b.thirdShare! < a.thirdShare! ? b : a));
  return whenBelow({
    rule: 'all on one plane or line',
    found: 'All that is seen lies on one plane.',
    value: plane.thirdShare!,
    limit: FLAT_LIMIT,
    unit: 'of its extent',
    severity: study.setup.lens.mode === 'held' ? 'small' : 'serious',
    why: 'From one plane focal length and distance are hardly told apart, and a bent plane looks like a bent lens.',
    advice: 'Floor and wall together are enough: add marks off the plane.',
    entry: 'marks',
    worstAtS: plane.timeS,
  });
};

const RASTER = { columns: 24, rows: 13 } as const;

/** Share of the frame that moving things cover at a moment: rays over a raster, and what somebody said. */
export function movingShare(study: SetupStudy, m: number): number {
  const { setup, geometry } = study;
  const moving = setup.pieces.filter((p) => p.moves && p.id !== setup.move.objectId);
  const stated = moving.reduce((sum, p) => sum + (p.coversShare ?? 0), 0);
  const bodies = setup.pieces.filter((p) => hasBody(p) && (!p.moves || p.coversShare === null));
  if (!bodies.some((b) => b.moves)) return Math.min(1, stated);
  const moment = momentAt(setup.move, study.moments[m].timeS);
  const f = moment.focalMm * (setup.optics.adapterFactor ?? 1);
  const r = moment.toCamera;
  const FAR_M = 200;
  let hit = 0;
  for (let i = 0; i < RASTER.columns; i += 1)
    for (let j = 0; j < RASTER.rows; j += 1) {
      const x = (((i + 0.5) / RASTER.columns) * geometry.widthPx - geometry.centerXPx) / (f * geometry.pxPerMmX);
      const y = (((j + 0.5) / RASTER.rows) * geometry.heightPx - geometry.centerYPx) / (f * geometry.pxPerMmY);
      const d: Vec3 = [r[0] * x + r[3] * y + r[6], r[1] * x + r[4] * y + r[7], r[2] * x + r[5] * y + r[8]];
      // the nearest body along the ray, by halving the reach
      const touched = bodies.filter((b) => hides(b, moment.position, along(moment.position, d, FAR_M)));
      if (touched.length === 0) continue;
      let [near, far] = [0, FAR_M];
      while (far - near > 0.05) {
        const middle = (near + far) / 2;
        if (touched.some((b) => hides(b, moment.position, along(moment.position, d, middle)))) far = middle;
        else near = middle;
      }
      if (touched.some((b) => b.moves && hides(b, moment.position, along(moment.position, d, far + 0.03)))) hit += 1;
    }
  return Math.min(1, stated + hit / (RASTER.columns * RASTER.rows));
}

const along = (from: Vec3, d: Vec3, s: number): Vec3 => [from[0] + s * d[0], from[1] + s * d[1], from[2] + s * d[2]];

const MOVING_LIMIT = 0.5;
const movingThings: Rule = ({ study }) => {
  if (!study.setup.pieces.some((p) => p.moves)) return null;
  // five moments tell it: the raster costs more than all other rules together
  const sampled = [0, 0.25, 0.5, 0.75, 1].map((t) => Math.round(t * (study.moments.length - 1)));
  const worst = [...new Set(sampled)].map((m) => ({ m, share: movingShare(study, m) })).reduce((a, b) => (b.share > a.share ? b : a));
  return whenAbove({
    rule: 'moving things',
    found: `Moving things cover ${Math.round(100 * worst.share)} % of the frame; ${Math.round(100 - 100 * worst.share)} % remain to be tracked.`,
    value: 100 * worst.share,
    limit: 100 * MOVING_LIMIT,
    unit: '%',
    why: 'What moves is masked out; a solve that follows it instead of the set is wrong and may look right.',
    advice: 'Keep the rest of the frame fixed and marked, or shoot a clean pass of the same move.',
    entry: 'set',
    worstAtS: study.moments[worst.m].timeS,
  });
};

const SCALE_LIMIT = 2;
const noScale: Rule = ({ study }) => {
  if (study.setup.move.kind === 'object') return null; // has a rule of its own
  const { ties, heights, level } = study.setup.measures;
  const seen = new Set(study.points.filter((_, p) => lifeFrames(study, p) > 0).map((p) => p.id));
  const usable = ties.filter((t) => seen.has(t.a) && seen.has(t.b));
  const count = usable.length + (level.filter((id) => seen.has(id)).length >= 3 ? Math.min(1, heights.length) : 0);
  const blind = [...new Set([...ties.filter((t) => !usable.includes(t)).flatMap((t) => [t.a, t.b]), ...(heights.length > 0 ? level : [])])].filter((id) => !seen.has(id));
  const out = blind.length > 0 ? ` ${blind.join(', ')} ${blind.length === 1 ? 'is' : 'are'} measured but never in the frame.` : '';
  return whenBelow({
    rule: 'no scale',
    found: `${count === 0 ? 'Nothing that will be measured gives a scale.' : 'Only one measurement gives the scale, so nothing checks it.'}${out}`,
    value: count,
    limit: SCALE_LIMIT,
    unit: 'independent lengths or heights',
    severity: count === 0 ? 'grave' : 'serious',
    why: 'A picture has no metres. Two independent measures give them and catch a slip of the tape.',
    advice: 'Plan a tie between two marks that the shot sees, far apart, and the camera height over three level marks in sight.',
    entry: 'measurements',
  });
};

const HEIGHT_LIMIT_M = 0.01;
const weakLevel: Rule = ({ study }) => {
  const { level, levelSigmaM } = study.setup.measures;
  const at = study.setup.marks.filter((m) => level.includes(m.id)).map((m) => m.at);
  if (at.length < 3) return null;
  const sigma = Math.max(...study.tracked.map((m) => floorSigmaM(at, levelSigmaM, m.position)));
  return whenAbove({
    rule: 'weak level',
    found: `Under the camera the floor that the level marks give is known to ${said(1000 * sigma)} mm only.`,
    value: 1000 * sigma,
    limit: 1000 * HEIGHT_LIMIT_M,
    unit: 'mm',
    why: 'A floor through a few marks that are near to each other tilts, and the tilt grows with the distance.',
    advice: 'Add a level mark on the camera’s side, and spread them.',
    entry: 'measurements',
  });
};

/** Sigma of the height of a plane through level marks, below a place: least squares of y = a + b x + c z. Infinite when the marks are in a row. */
export function floorSigmaM(marks: readonly Vec3[], sigmaM: number, under: Vec3): number {
  const n = marks.length;
  const { meanX, meanZ, xx, xz, zz } = groundScatter(marks);
  const det = xx * zz - xz * xz;
  if (!(det > 1e-9 * (xx + zz) ** 2)) return Infinity;
  const [dx, dz] = [under[0] - meanX, under[2] - meanZ];
  return sigmaM * Math.sqrt(1 / n + (zz * dx * dx - 2 * xz * dx * dz + xx * dz * dz) / det);
}

const OBJECT_MARKS = 6;
const objectShot: Rule = ({ study }) => {
  const { move, marks, measures } = study.setup;
  if (move.kind !== 'object') return null;
  const own = new Set(marks.filter((m) => m.pieceId === move.objectId).map((m) => m.id));
  const known = measures.ties.filter((t) => own.has(t.a) && own.has(t.b)).length;
  if (known === 0)
    return whenBelow({
      rule: 'object without a length',
      found: 'No known length on the object.',
      value: 0,
      limit: 1,
      unit: 'known lengths',
      why: 'Before a still camera size and distance of an object are one: a small near one looks like a large far one.',
      advice: 'Measure between two marks on the object, and the camera’s distance and height.',
      entry: 'measurements',
    });
  return whenBelow({
    rule: 'object without a length',
    found: `${own.size} mark${own.size === 1 ? '' : 's'} on the object.`,
    value: own.size,
    limit: OBJECT_MARKS,
    unit: 'marks',
    why: 'An object turns some of its marks away: six leave enough at every moment.',
    advice: 'Put marks on all sides of it, not in one plane.',
    entry: 'marks',
  });
};

const hardToPaint: Rule = ({ study }) => {
  const hard = study.setup.marks.filter((m) => m.ground !== 'plain');
  const kinds = [...new Set(hard.map((m) => m.ground))].join(', ');
  return whenAbove({
    rule: 'hard to paint out',
    found: `${hard.length} mark${hard.length === 1 ? ' sits' : 's sit'} on ${kinds}.`,
    value: hard.length,
    limit: 0,
    unit: 'marks',
    severity: hard.some((m) => m.ground === 'hair' || m.ground === 'screen') ? 'serious' : 'small',
    why: 'What lies behind must be rebuilt frame by frame when the mark is taken out.',
    advice: 'Move them to a plain place near by, or use small balls on stalks.',
    entry: 'marks',
  });
};

const LOW_DETAIL_CORNERS = 60;
const lowDetail: Rule = ({ study, facts }: RuleInput) => {
  if (!facts.detail) return null;
  const few = whenBelow({
    rule: 'low detail',
    found: `The photo of the set shows ${facts.detail.corners} corners that a tracker would take.`,
    value: facts.detail.corners,
    limit: LOW_DETAIL_CORNERS,
    unit: 'corners',
    why: 'A plain set gives a tracker nothing to hold on to.',
    advice: `Place marks${study.setup.marks.length > 0 ? ' more densely' : ''}, or dress the set with fixed things.`,
    entry: 'marks',
  });
  return (
    few ??
    whenBelow({
      rule: 'low detail',
      found: `The detail of the set lies in ${Math.round(100 * facts.detail.spread)} % of the photo.`,
      value: 100 * facts.detail.spread,
      limit: 100 * SPREAD_LIMIT,
      unit: '%',
      why: 'Where the set is plain, lens and pose are guessed beyond the data.',
      advice: 'Place marks in the plain parts.',
      entry: 'marks',
    })
  );
};

export const GEOMETRY_RULES: readonly Rule[] = [parallax, turning, tooFew, shortLife, spread, flat, movingThings, noScale, weakLevel, objectShot, hardToPaint, lowDetail];
