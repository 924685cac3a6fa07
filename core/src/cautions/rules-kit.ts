import { computeOptics } from '../optics';
import { said, whenAbove, whenBelow, type Rule, type RuleInput } from './caution';
import { softShare } from './rules-picture';
import { leastFeatures } from './rules-geometry';

const range = (values: readonly number[]): [number, number] => [Math.min(...values), Math.max(...values)];
const focals = ({ study }: RuleInput) => range(study.moments.map((m) => m.focalMm));
/** Above this view a lens bends enough to spoil a solve by itself. */
const WIDE_DEG = 60;
const PLATE_NEAR_PCT = 3;

const isZooming = (input: RuleInput): boolean => {
  const [short, long] = focals(input);
  return long / short > 1.02;
};

const noPlate: Rule = (input) => {
  const { study, facts } = input;
  if (isZooming(input)) return null;
  const [focalMm] = focals(input);
  const off = facts.plates.length === 0 ? 100 : Math.min(...facts.plates.map((p) => 100 * Math.abs(p.focalMm / focalMm - 1)));
  const wide = computeOptics({ ...study.setup.optics, focal: { mm: focalMm } }).fovHorizontalDeg > WIDE_DEG;
  return whenAbove({
    rule: 'lens without a plate',
    found: facts.plates.length === 0 ? `No grid plate of this lens in this mode${wide ? ', and it is wide' : ''}.` : `The nearest grid plate is ${said(off)} % off in focal length.`,
    value: off,
    limit: PLATE_NEAR_PCT,
    unit: '%',
    severity: wide ? 'grave' : 'serious',
    why: 'Distortion that is not known bows the path and the floor of a solve.',
    advice: `Shoot a grid plate at ${said(focalMm)} mm and at the focus of the shot.`,
    entry: 'lens book',
  });
};

/** Plates of a zoom may lie a factor of 1.4 apart. */
const ZOOM_GAP = 1.4;
const zoomPlates: Rule = (input) => {
  if (!isZooming(input)) return null;
  const [short, long] = focals(input);
  const marks = [short, ...input.facts.plates.map((p) => p.focalMm).filter((f) => f > short && f < long), long].sort((a, b) => a - b);
  // a plate outside the used range stands for its end when it is near
  const covered = (f: number) => input.facts.plates.some((p) => Math.abs(p.focalMm / f - 1) < PLATE_NEAR_PCT / 100);
  let gap = 1;
  for (let i = 1; i < marks.length; i += 1) gap = Math.max(gap, marks[i] / marks[i - 1]);
  if (!covered(short) || !covered(long)) gap = Math.max(gap, long / short, ZOOM_GAP * 1.25);
  return whenAbove({
    rule: 'zoom without plates',
    found: `Between plates the zoom runs over a factor of ${said(gap)}.`,
    value: gap,
    limit: ZOOM_GAP,
    unit: 'times',
    severity: input.facts.plates.length === 0 ? 'grave' : undefined,
    why: 'The distortion of a zoom changes with its focal length; between plates it is interpolated, beyond them guessed.',
    advice: `Shoot plates at ${said(short)} and ${said(long)} mm and between them.`,
    entry: 'lens book',
  });
};

const zoomNotes: Rule = (input) =>
  isZooming(input) && !input.facts.zoomNoted
    ? whenBelow({
        rule: 'zoom without notes',
        found: 'Nobody is to note where the zoom starts and ends.',
        value: 0,
        limit: 1,
        unit: 'notes',
        severity: 'serious',
        why: 'Focal length and distance trade off along the axis; what was noted holds them apart.',
        advice: 'Note focal length and frame at the start and the end of the zoom, or record the lens’s own data.',
        entry: 'notes of the zoom',
      })
    : null;

const squeeze: Rule = ({ study, facts }) =>
  (study.setup.optics.squeeze ?? 1) !== 1 && !facts.squeezeMeasured
    ? whenBelow({
        rule: 'squeeze not measured',
        found: `The squeeze of ${study.setup.optics.squeeze} is what the barrel says; nobody has measured it.`,
        value: 0,
        limit: 1,
        unit: 'measured',
        severity: 'serious',
        why: 'A squeeze that is off by a per cent makes every circle an ellipse in the solve.',
        advice: 'Shoot a grid plate, or line up a known circle in a picture.',
        entry: 'lens book',
      })
    : null;

const adapter: Rule = ({ study }) => {
  const factor = study.setup.optics.adapterFactor ?? 1;
  return whenAbove({
    rule: 'adapter mounted',
    found: `A ${factor < 1 ? 'focal reducer' : 'extender'} of ${factor} is in the package.`,
    value: Math.abs(factor - 1),
    limit: 0,
    unit: 'off 1',
    severity: 'small',
    why: 'A forgotten adapter is the classic mistake: the focal length on the slate is then wrong by its factor.',
    advice: 'Write the effective focal length on the slate, and shoot the grid through the adapter.',
    entry: 'package',
  });
};

const BREATHING_LIMIT_DPT = 0.1;
const breathing: Rule = ({ study, facts }) => {
  if (facts.breathing === 'none' || facts.breathing === 'measured') return null;
  const [far, near] = range(study.moments.map((m) => 1 / m.focusM));
  return whenAbove({
    rule: 'breathing with a focus pull',
    found: `Focus is pulled from ${said(1 / near)} to ${far > 1e-6 ? said(1 / far) : 'infinity'}${far > 1e-6 ? ' m' : ''}, and ${facts.breathing === 'some' ? 'this lens breathes' : 'nobody knows whether this lens breathes'}.`,
    value: near - far,
    limit: BREATHING_LIMIT_DPT,
    unit: 'dpt',
    severity: facts.breathing === 'some' ? undefined : 'small',
    why: 'A lens that breathes changes its focal length while the focus is pulled.',
    advice: 'Shoot plates at near and far focus; note the focus at the start and the end.',
    entry: 'lens',
  });
};

const stabiliser: Rule = ({ facts }) => {
  const on = [
    ...(facts.stabiliser === 'off' ? [] : [{ name: 'the camera', unknown: facts.stabiliser === 'unknown' }]),
    ...facts.witnesses.filter((w) => w.stabiliser !== 'off').map((w) => ({ name: w.name, unknown: w.stabiliser === 'unknown' })),
  ];
  if (on.length === 0) return null;
  const sure = on.some((o) => !o.unknown);
  return whenAbove({
    rule: 'stabiliser',
    found: `The stabiliser of ${on.map((o) => o.name).join(' and ')} is ${sure ? 'on' : 'perhaps on: nobody said it is off'}.`,
    value: on.length,
    limit: 0,
    unit: 'stabilisers',
    severity: sure ? 'grave' : 'small',
    why: 'A stabiliser shifts lens or sensor from frame to frame: no single lens model fits then.',
    advice: 'Switch it off, in the body and in the lens.',
    entry: 'stabiliser',
    remedy: { set: 'stabiliser', value: 'off' },
  });
};

const frameRates: Rule = ({ study, facts }) => {
  const off = facts.witnesses.filter((w) => Math.abs(w.fps - study.setup.fps) > 0.001);
  return whenAbove({
    rule: 'frame rates differ',
    found: `${off.map((w) => `${w.name} runs at ${said(w.fps)}`).join(', ')}, the camera at ${said(study.setup.fps)} frames a second.`,
    value: off.length,
    limit: 0,
    unit: 'cameras',
    severity: 'serious',
    why: 'Frames of different rates have no common moments.',
    advice: 'Set all cameras to the same rate.',
    entry: 'witness cameras',
  });
};

const sync: Rule = ({ facts }) =>
  facts.witnesses.length > 0 && facts.sync === 'none'
    ? whenBelow({
        rule: 'no sync',
        found: 'Nothing ties the witness cameras to the camera in time.',
        value: 0,
        limit: 1,
        unit: 'ways',
        severity: 'grave',
        why: 'A frame of error is a step of the actor.',
        advice: 'Run timecode on all of them, and clap in sight and hearing of each.',
        entry: 'sync',
        remedy: { set: 'sync', value: 'timecode and clap' },
      })
    : null;

const SOFT_ALL = 0.8;
const witnessNeeded: Rule = ({ study, watch, facts }) => {
  if (facts.witnesses.length > 0) return null;
  const counts = watch.map((w) => w.marks + w.features);
  // half of the move decides: one bare moment is bridged
  const bare = counts.filter((c) => c < leastFeatures(study)).length / counts.length;
  const soft = Math.max(0, ...study.moments.map((_, m) => softShare(study, m) ?? 0));
  if (bare > 0.5)
    return whenAbove({
      rule: 'witness camera needed',
      found: `${Math.round(100 * bare)} % of the move has fewer than ${leastFeatures(study)} things to track.`,
      value: 100 * bare,
      limit: 50,
      unit: '%',
      why: 'The camera itself does not see enough to be placed.',
      advice: 'Mount a wide camera rigidly to it, or add marks.',
      entry: 'witness cameras',
    });
  return whenAbove({
    rule: 'witness camera needed',
    found: `${Math.round(100 * soft)} % of what is seen is out of focus.`,
    value: 100 * soft,
    limit: 100 * SOFT_ALL,
    unit: '%',
    why: 'A background that is soft throughout cannot be tracked.',
    advice: 'Mount a wide camera with deep focus rigidly to it.',
    entry: 'witness cameras',
  });
};

const stills: Rule = ({ facts }) =>
  facts.stillsPlanned
    ? null
    : whenBelow({
        rule: 'stills plan missing',
        found: 'No stills of the set are planned.',
        value: 0,
        limit: 1,
        unit: 'plans',
        severity: 'small',
        why: 'Overlapping stills give the set in three dimensions, and help when the shot alone does not.',
        advice: 'Lay a stills walk over the set.',
        entry: 'stills',
      });

const SUN_LIMIT_DEG = 5;
const light: Rule = ({ facts }) =>
  facts.exterior && !facts.lightPlanned && facts.sunTravelDeg !== null
    ? whenAbove({
        rule: 'light reference missing',
        found: `The sun goes ${said(facts.sunTravelDeg)}° while this is shot, and no light reference is planned.`,
        value: facts.sunTravelDeg,
        limit: SUN_LIMIT_DEG,
        unit: '°',
        why: 'Shadows of what is added must fall as they fell.',
        advice: 'Shoot a panorama in brackets and the two balls with each setup, and note the minute.',
        entry: 'light',
      })
    : null;

export const KIT_RULES: readonly Rule[] = [noPlate, zoomPlates, zoomNotes, squeeze, adapter, breathing, stabiliser, frameRates, sync, witnessNeeded, stills, light];
