import { surveyedAnchors } from '@mesure/contract';
import { tieMove, usualReading } from '@mesure/core';
import { readMoveFile, readMovePoints } from '@mesure/formats/solve-in';
import type { Computation, ElsewhereInput } from '../compute-types';
import { surveyOf } from '../solve/survey';

export const computeElsewhere: Computation<ElsewhereInput> = async ({ input, given }, report) => {
  report(0.05, 'reading the file');
  const move = await readMoveFile(new Uint8Array(given.bytes), input.file.name, { fps: input.setup.fps ?? null, order: input.order });
  if (input.points && given.points) Object.assign(move, readMovePoints(new Uint8Array(given.points), input.points.name));
  const reading = input.reading ?? usualReading(move);
  const setup = surveyedAnchors(input.setup, surveyOf(input.net), new Set(move.points.map((p) => p.id)));
  report(0.3, 'tying it to the set');
  const { solve, report: reconcile, scale, doubts } = tieMove(move, reading, setup, input.around);
  const numbers = move.frames.map((f) => f.frame);
  return {
    ok: true,
    outcome: {
      kind: 'elsewhere',
      solve,
      reconcile,
      setup,
      reading,
      scale,
      doubts,
      says: {
        format: move.format,
        metres: move.metres,
        up: move.up,
        fps: move.fps,
        firstFrame: Math.min(...numbers),
        lastFrame: Math.max(...numbers),
        points: move.points.length,
        hasFocal: solve.focalMm !== null,
        notes: move.notes,
      },
    },
  };
};
