import { DETAILS, MARK_GROUNDS, MARK_KINDS, PIECE_KINDS, type PlannedMark, type SetPiece, type SideSaid } from '@mesure/core';
import { defineKind } from './define';
import { renaming } from './shared';

export interface SetBody {
  name: string;
  /** names of all marks that ties and levels may speak of, those of the sheet among them */
  marks: string[];
  /** floor, walls and things, drawn to scale */
  pieces?: SetPiece[];
  /** the mark sheet: marks with a place */
  sheet?: PlannedMark[];
  /** which of two mirror images of the tape net is meant, as somebody said who stood there */
  turn?: { a: string; b: string; c: string; left: boolean } | null;
  /** on which side of the marks that it is tied to a mark stands, as somebody said who stood there */
  sides?: SideSaid[];
}

export const setKind = defineKind<SetBody>({
  noun: 'set',
  tell: (b) => b.name,
  fields: { name: 'name', marks: 'marks', pieces: 'pieces', sheet: 'mark sheet', turn: 'which way round', sides: 'sides of marks' },
  schema: ({ Joi, name, mark, placeM, sizeM, turnRad, oneOf, triple, MOST_MARKS }) => {
    /** As many as the study still counts; more make every drawing unreadable. */
    const MOST_PIECES = 200;
    const piece = Joi.object({
      id: Joi.string().trim().min(1).max(60).required(),
      name: name.required(),
      kind: oneOf(PIECE_KINDS),
      xM: placeM,
      zM: placeM,
      baseM: placeM,
      widthM: sizeM,
      depthM: sizeM,
      heightM: sizeM,
      turnRad,
      moves: Joi.boolean().required(),
      detail: oneOf(DETAILS),
      coversShare: Joi.number().min(0).max(1).allow(null).required(),
    });
    const plannedMark = Joi.object({
      id: mark.required(),
      kind: oneOf(MARK_KINDS),
      diameterM: Joi.number().greater(0).max(10).required(),
      at: triple.required(),
      normal: triple.allow(null).required(),
      pieceId: Joi.string().max(60).allow(null).required(),
      ground: oneOf(MARK_GROUNDS),
      placed: Joi.boolean().required(),
    });
    return Joi.object({
      name: name.required(),
      marks: Joi.array().items(mark).max(MOST_MARKS).required(),
      pieces: Joi.array().items(piece).max(MOST_PIECES),
      sheet: Joi.array().items(plannedMark).max(MOST_MARKS),
      turn: Joi.object({ a: mark.required(), b: mark.required(), c: mark.required(), left: Joi.boolean().required() }).allow(null),
      sides: Joi.array()
        .items(
          Joi.object({
            id: mark.required(),
            a: mark.required(),
            c: mark.allow(null).required(),
            // a turn needs two others, a height one
            answer: Joi.when('c', { is: null, then: Joi.string().valid('above', 'below'), otherwise: Joi.string().valid('left', 'right') }).required(),
          }),
        )
        .max(MOST_MARKS),
    });
  },
  references: {},
  renamed(body, from, to) {
    const now = renaming(from, to);
    const { sheet, turn, sides } = body;
    return {
      ...body,
      marks: [...new Set(body.marks.map(now))],
      // of two that are planned the one that stays has the place
      ...(sheet ? { sheet: sheet.some((m) => m.id === to) ? sheet.filter((m) => m.id !== from) : sheet.map((m) => ({ ...m, id: now(m.id) })) } : {}),
      ...(turn ? { turn: new Set([now(turn.a), now(turn.b), now(turn.c)]).size === 3 ? { ...turn, a: now(turn.a), b: now(turn.b), c: now(turn.c) } : null } : {}),
      ...(sides
        ? {
            sides: sides
              .map((s) => ({ ...s, id: now(s.id), a: now(s.a), c: s.c === null ? null : now(s.c) }))
              .filter((s, i, all) => new Set([s.id, s.a, s.c]).size === 3 && all.findIndex((o) => o.id === s.id && o.a === s.a && o.c === s.c) === i),
          }
        : {}),
    };
  },
  merge: { sets: ['marks'], lists: { pieces: 'id', sheet: 'id', sides: 'id' } },
  writes: 'record',
  hides: 'record',
  leaves: 'sets/: places of the net; setups/: mark sheet',
});
