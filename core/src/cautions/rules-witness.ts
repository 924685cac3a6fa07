import { median } from '../math';
import { said, whenAbove, whenBelow, type Caution, type Rule, type RuleInput } from './caution';

// A free-standing witness is there to cut points from two rays; a rigid one is there to be solved itself and to carry the main camera along.

/** Common points below which two cameras cannot be laid over each other, and points below which a camera cannot be placed. */
const LEAST_BOTH = 6;
const LEAST_SEEN = 8;
/** Rays that meet more narrowly, or more nearly head-on, cut badly. */
const NARROW_DEG = 10;
const WIDE_DEG = 150;

/** The worst of the witnesses of one way of mounting, by a rule for one. */
function worstOf({ facts, witnesses }: RuleInput, way: 'rigid' | 'free', judge: (name: string, watch: NonNullable<RuleInput['witnesses'][number]>) => Caution | null): Caution | null {
  const found = facts.witnesses.flatMap((w, i) => {
    const watch = witnesses[i];
    return watch && w.camera?.placement.way === way ? (judge(w.name, watch) ?? []) : [];
  });
  const beyond = (c: Caution) => Math.abs(Math.log(Math.max(0.01, c.value) / c.limit));
  return found.sort((a, b) => beyond(b) - beyond(a))[0] ?? null;
}

const sharesLittle: Rule = (input) =>
  worstOf(input, 'free', (name, watch) => {
    // half of the shot decides: a bare moment is bridged
    const both = median(watch.moments.map((m) => m.both));
    return whenBelow({
      rule: 'witness shares little',
      found: `${name} and the camera both see ${said(both)} points in the middle of the shot.`,
      value: both,
      limit: LEAST_BOTH,
      unit: 'points',
      why: 'What only one camera sees cannot be cut from two rays, and nothing lays the two cameras over each other.',
      advice: 'Turn or move it towards what the camera sees, or add marks that both see.',
      entry: 'witness cameras',
    });
  });

const badAngle: Rule = (input) =>
  worstOf(input, 'free', (name, watch) => {
    const angle = median(watch.moments.map((m) => m.angleDeg));
    const what = { rule: 'witness angle', value: angle, unit: '°', entry: 'witness cameras', why: 'Two rays that meet at a sharp angle say where a point is across, and hardly how far.' };
    const found = `The rays of ${name} and the camera meet at ${said(angle)}° at the subject.`;
    return (
      whenBelow({ ...what, found, limit: NARROW_DEG, advice: 'Set it farther to the side; 30 to 90° cut best.' }) ??
      whenAbove({ ...what, found, limit: WIDE_DEG, advice: 'It looks against the camera: set it to the side; 30 to 90° cut best.' })
    );
  });

const rigidBlind: Rule = (input) =>
  worstOf(input, 'rigid', (name, watch) => {
    const seen = median(watch.moments.map((m) => m.seen));
    return whenBelow({
      rule: 'witness sees too little',
      found: `${name}, fixed to the camera, sees ${said(seen)} things to track in the middle of the shot.`,
      value: seen,
      limit: LEAST_SEEN,
      unit: 'points',
      why: 'It carries the camera along only where it can be solved itself.',
      advice: 'Turn it to where the set has detail, take a wider lens, or add marks there.',
      entry: 'witness cameras',
    });
  });

const notPlaced: Rule = ({ facts }) => {
  const open = facts.witnesses.filter((w) => w.camera === null);
  return whenAbove({
    rule: 'witness not placed',
    found: `Nobody has said where ${open.map((w) => w.name).join(' and ')} ${open.length > 1 ? 'stand' : 'stands'}.`,
    value: open.length,
    limit: 0,
    unit: 'cameras',
    severity: 'small',
    why: 'Whether it sees the same things, and at which angle, cannot be said before.',
    advice: 'Place it under Witness: rigid to the camera, or standing on the set.',
    entry: 'witness cameras',
  });
};

export const WITNESS_RULES: readonly Rule[] = [sharesLittle, badAngle, rigidBlind, notPlaced];
