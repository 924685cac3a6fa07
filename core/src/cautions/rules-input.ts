import { inside, hasBody } from '../setup';
import { said, whenAbove, whenBelow, type Rule } from './caution';

/** Entries that cannot be, or that the study had to cut short. They come before all other cautions. */
const insidePiece: Rule = ({ study }) => {
  const hits = study.setup.pieces.filter((p) => hasBody(p) && p.id !== study.setup.move.objectId && study.moments.some((m) => inside(p, m.position)));
  return whenAbove({
    rule: 'camera inside',
    found: `The camera passes through ${hits.map((p) => p.name).join(', ')}.`,
    value: hits.length,
    limit: 0,
    unit: 'pieces',
    severity: 'grave',
    why: 'From inside a thing nothing is seen, and the plan cannot be shot.',
    advice: 'Move the camera or the thing.',
    entry: 'move',
  });
};

const noTime: Rule = ({ study }) =>
  study.setup.move.kind !== 'still' && study.durationS <= 0
    ? whenBelow({
        rule: 'no duration',
        found: 'The move has one place only, or takes no time.',
        value: study.durationS,
        limit: 1 / study.setup.fps,
        unit: 's',
        severity: 'grave',
        why: 'Without time there is no speed, no blur and no parallax to compute.',
        advice: 'Add an end, and say how long the move takes.',
        entry: 'move',
      })
    : null;

const focalRange: Rule = ({ study, facts }) => {
  const [short, long] = facts.lensRangeMm;
  const off = Math.max(...study.moments.map((m) => Math.max(short / m.focalMm, m.focalMm / long)));
  // engraved numbers are round: half a per cent is none
  return whenAbove({
    rule: 'focal length outside the lens',
    found: `The move asks for ${said(Math.min(...study.moments.map((m) => m.focalMm)))} to ${said(Math.max(...study.moments.map((m) => m.focalMm)))} mm; this lens has ${short === long ? said(short) : `${said(short)} to ${said(long)}`} mm.`,
    value: off,
    limit: 1.005,
    unit: 'times',
    severity: 'grave',
    why: 'The picture that is planned cannot be shot with this package.',
    advice: 'Change the focal length or mount another lens.',
    entry: 'move',
  });
};

const tooMany: Rule = ({ study }) =>
  whenAbove({
    rule: 'too many marks',
    found: `${study.leftOut} marks and features are left out of the computation.`,
    value: study.leftOut,
    limit: 0,
    unit: 'left out',
    severity: 'serious',
    why: 'Two thousand are more than any set carries; all numbers here are of the first ones only.',
    advice: 'Remove marks, or lay them more widely.',
    entry: 'marks',
  });

export const INPUT_RULES: readonly Rule[] = [insidePiece, noTime, focalRange, tooMany];
