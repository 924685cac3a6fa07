import type { FootageBody, FootageMask } from '@mesure/contract';
import { outlineAt, type Corner2 } from '@mesure/core';

/** A mask drawn on one frame holds over the whole clip until somebody says otherwise. */
export const maskFrom = (id: string, name: string, index: number, outline: readonly Corner2[]): FootageMask => ({
  id,
  name,
  keys: [{ index, outline: outline.map(([x, y]): [number, number] => [round(x), round(y)]) }],
  from: null,
  to: null,
});

/** The mask with a corner moved on a frame; the frame becomes one of its keys, and between keys it moves evenly. */
export function cornerMoved(mask: FootageMask, index: number, corner: number, x: number, y: number): FootageMask {
  const outline = (outlineAt({ keys: mask.keys }, index) ?? []).map(([px, py], i): [number, number] => (i === corner ? [round(x), round(y)] : [round(px), round(py)]));
  return withKey(mask, index, outline);
}

/** The whole mask moved on a frame. */
export function maskMoved(mask: FootageMask, index: number, dx: number, dy: number): FootageMask {
  return withKey(
    mask,
    index,
    (outlineAt({ keys: mask.keys }, index) ?? []).map(([x, y]): [number, number] => [round(x + dx), round(y + dy)]),
  );
}

const withKey = (mask: FootageMask, index: number, outline: [number, number][]): FootageMask => ({
  ...mask,
  keys: [...mask.keys.filter((k) => k.index !== index), { index, outline }].sort((a, b) => a.index - b.index),
});

/** Where the middle of an outline lies. */
export const middleOf = (outline: readonly Corner2[]): [number, number] => [outline.reduce((s, [x]) => s + x, 0) / outline.length, outline.reduce((s, [, y]) => s + y, 0) / outline.length];

export const changeMask = (body: FootageBody, id: string, change: (m: FootageMask) => FootageMask): FootageBody => ({ ...body, masks: body.masks.map((m) => (m.id === id ? change(m) : m)) });

const round = (v: number): number => Math.round(v * 10) / 10;
