export interface LabelAt {
  text: string;
  x: number;
  y: number;
}

const GLYPH_PX = 7;
const LINE_PX = 13;

/** Those labels that do not lie over one placed before them; the others show when the drawing is enlarged. Lengths in drawing units. */
export function labelsThatFit(labels: readonly LabelAt[], unitsPerPx: number): Set<string> {
  const placed: { x0: number; x1: number; y: number }[] = [];
  const fit = new Set<string>();
  for (const l of labels) {
    const x1 = l.x + l.text.length * GLYPH_PX * unitsPerPx;
    if (placed.some((q) => l.x < q.x1 && x1 > q.x0 && Math.abs(l.y - q.y) < LINE_PX * unitsPerPx)) continue;
    placed.push({ x0: l.x, x1, y: l.y });
    fit.add(l.text);
  }
  return fit;
}
