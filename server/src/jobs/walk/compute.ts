import { walkMeasures } from '@mesure/contract';
import { checkPlacedWalk, placeWalk, type SolveProgress, type WalkShot } from '@mesure/core';
import type { Computation, WalkInput } from '../compute-types';
import { surveyOf } from '../solve/survey';
import { FEATURES_SHARE } from './features';

/** Where each stage begins and ends, of what is left after the pictures were looked at. */
const STAGES: Record<string, [number, number]> = {
  'laying pictures beside each other': [0, 0.5],
  'starting pair': [0.5, 0.55],
  'frames placed': [0.55, 0.7],
  adjusting: [0.7, 0.95],
  uncertainty: [0.95, 1],
};
const WORDS: Record<string, string> = { 'starting pair': 'where to begin', 'frames placed': 'placing pictures', adjusting: 'adjusting', uncertainty: 'how well it is known' };

export const computeWalk: Computation<WalkInput> = ({ input, given: { features } }, report) => {
  if (!features) throw new Error('the pictures of the walk were not looked at');
  const shots = input.stills.map(({ file, widthPx, focalPx, lens, marks, station }, i): WalkShot => {
    // as large as the file really is, whatever was recorded of it
    const size = features[i].widthPx / widthPx;
    return { name: file.name, features: features[i], focalPx: focalPx * size, lens, station, marks: marks.map((m) => ({ id: m.id, xPx: m.xPx * size, yPx: m.yPx * size })) };
  });
  const onProgress = ({ stage, done, total }: SolveProgress): void => {
    const [from, to] = STAGES[stage] ?? [0, 1];
    report(FEATURES_SHARE + (1 - FEATURES_SHARE) * (from + ((to - from) * done) / Math.max(1, total)), WORDS[stage] ?? `${stage}, ${done} of ${total}`);
  };
  const placed = placeWalk(shots, { neighbours: input.neighbours, anchors: walkMeasures(input.ties, surveyOf(input.net)), onProgress });
  return {
    ok: true,
    outcome: {
      kind: 'walk',
      placed,
      stills: input.stills.map(({ id, file, stationIndex, focalBy }, i) => ({ id, name: file.name, station: stationIndex, widthPx: features[i].widthPx, heightPx: features[i].heightPx, focalBy })),
      pxPerMm: Object.fromEntries(input.stills.map((s) => [s.lens, s.pxPerMm])),
      reconcile: input.recorded ? checkPlacedWalk(placed, input.recorded, input.around) : null,
    },
  };
};
