import type { CornerRow, GridOutcome } from '@mesure/contract';
import { analysePlate, coefficientPairs, CoreError, givenReport, gridFrame, gridReport, mapPairs, pictureGeometry, type GivenCoefficients } from '@mesure/core';
import { readGray } from '@mesure/formats/picture';
import { readStMap } from '@mesure/formats/st-map';
import type { Computation, GridInput, Report } from '../compute-types';

export const computeGrid: Computation<GridInput> = async ({ input, given }, report): Promise<{ ok: true; outcome: GridOutcome }> => {
  if (input.given) return computeGiven(input, input.given, given.bytes, report);
  report(0.02, 'reading the picture');
  const image = await readGray(Buffer.from(given.bytes), input.file.name);
  const { image: size } = input.setup;
  if (image.widthPx !== size.width || image.heightPx !== size.height) {
    throw new CoreError(
      'INVALID_OPTION',
      `The picture is ${image.widthPx} × ${image.heightPx}, the recording mode says ${size.width} × ${size.height}. Choose the mode that the plate was shot in.`,
      'image',
    );
  }
  const frame = gridFrame(input.setup);
  const found = analysePlate(image, frame, { chart: input.chart, start: input.start, dropped: input.dropped, model: 'auto', onProgress: (f, stage) => report(0.05 + 0.95 * f, stage) });
  const corners = found.nodes.map((n, i): CornerRow => [n.row, n.col, n.x, n.y, found.fit?.residuals[2 * i] ?? 0, found.fit?.residuals[2 * i + 1] ?? 0, found.fit?.used[i] ?? 0]);
  const measured = gridReport([found], [input.file.name], input.setup, { choice: found.choice, measured: input.measured });
  return { ok: true, outcome: { kind: 'grid', report: measured, corners, widthPx: image.widthPx, heightPx: image.heightPx } };
};

/** Distortion that was made elsewhere, as one of our lenses. */
async function computeGiven(input: GridInput, how: NonNullable<GridInput['given']>, bytes: Uint8Array, report: Report): Promise<{ ok: true; outcome: GridOutcome }> {
  const frame = gridFrame(input.setup);
  const name = input.file.name;
  report(0.05, how.what === 'map' ? 'reading the map' : 'working the formula out');
  const read = how.what === 'map' ? await readStMap(bytes, name) : null;
  const mapped = read && how.what === 'map' ? mapPairs(read.map, how, frame) : null;
  const pairs = mapped ?? coefficientPairs(how as GivenCoefficients, { ...frame, effectiveFocalMm: pictureGeometry(input.setup).effectiveFocalMm });
  report(0.3, 'fitting the lens');
  const found = givenReport(pairs, name, input.setup, { count: mapped?.count, stepPx: (read?.roundedTo ?? 0) * frame.widthPx });
  const corners = found.nodes.map((n, i): CornerRow => [n.row, n.col, n.x, n.y, found.residuals[2 * i], found.residuals[2 * i + 1], found.used[i]]);
  return { ok: true, outcome: { kind: 'grid', report: found.report, corners, widthPx: frame.widthPx, heightPx: frame.heightPx, ...(mapped ? { count: mapped.count } : {}) } };
}
