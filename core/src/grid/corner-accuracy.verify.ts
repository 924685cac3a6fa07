import { compareWithTruth, type CornerFinder, type PlateChange } from '@mesure/synthetic';
import { analysePlate } from '.';

const find: CornerFinder = ({ widthPx, heightPx, gray }, fPx, chart) => analysePlate({ widthPx, heightPx, data: new Float32Array(gray) }, { widthPx, heightPx, fxPx: fPx, fyPx: fPx }, { chart }).nodes;

const KINDS: [string, PlateChange][] = [
  ['clean, 40 px', { cellPx: 40 }],
  ['clean, 20 px', { cellPx: 20 }],
  ['clean, 12 px', { cellPx: 12 }],
  ['large cells, 90 px', { cellPx: 90 }],
  ['noisy, 30 px', { cellPx: 30, noise: 6 }],
  ['soft, 30 px', { cellPx: 30, blurPx: 2.2 }],
  ['soft and noisy, 16 px', { cellPx: 16, blurPx: 1.6, noise: 4 }],
  ['turned by 40 degrees', { cellPx: 30, rollRad: 0.7 }],
  ['tilted by 30 degrees', { cellPx: 30, tiltXRad: 0.5, tiltYRad: 0.2 }],
  ['strong barrel, dark corners', { cellPx: 30, k1: -0.25, vignette: 0.4 }],
  ['faint', { cellPx: 30, dark: 100, bright: 130 }],
  ['ruled, 40 px, line 3 px', { cellPx: 40, ruled: { widthCells: 0.075 } }],
  ['ruled, 30 px, line 2.4 px, noisy', { cellPx: 30, ruled: { widthCells: 0.08 }, noise: 4 }],
  ['ruled, 60 px, line 5 px, soft', { cellPx: 60, ruled: { widthCells: 0.083 }, blurPx: 1.8 }],
  ['ruled light on dark, turned', { cellPx: 40, ruled: { widthCells: 0.08, light: true }, rollRad: 0.5 }],
  ['ruled, tilted, dark corners', { cellPx: 40, ruled: { widthCells: 0.08 }, tiltXRad: 0.4, vignette: 0.4 }],
];

test.each(KINDS)('%s: within 1.3 of an estimator that starts at the truth', (name, change) => {
  const { ours, best, corners } = compareWithTruth(find, change, 160);
  process.stdout.write(`${name.padEnd(34)} ${String(corners).padStart(5)} corners  ours ${ours.toFixed(4)} px  from the truth ${best.toFixed(4)} px  ratio ${(ours / best).toFixed(2)}\n`);
  expect(ours / best).toBeLessThan(1.3);
});
