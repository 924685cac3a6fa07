import type { CornerRow, GridOutcome } from '@mesure/contract';
import { analysePlate, CoreError, gridFrame, gridReport } from '@mesure/core';
import { readGray } from '@mesure/formats/picture';
import type { Computation, GridInput } from '../compute-types';

export const computeGrid: Computation<GridInput> = async ({ input, given }, report): Promise<{ ok: true; outcome: GridOutcome }> => {
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
