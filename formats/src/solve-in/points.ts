import type { ForeignMove, Vec3 } from '@mesure/core';
import { eachRow } from '../csv-table';
import { FormatError } from '../format-error';
import { textOf } from '../text';
import { spaceColumns } from './space-columns';

type Points = Pick<ForeignMove, 'points' | 'pointsMetres' | 'pointsUp'>;

/** Points of a solve in a file of their own: CSV `id,x,y,z[,unit][,up]`, or PLY as text, whose names stand in comments (`comment vertex 0 K1`). @throws FormatError */
export function readMovePoints(bytes: Uint8Array, file: string): Points {
  if (bytes[0] === 0x70 && bytes[1] === 0x6c && bytes[2] === 0x79 && (bytes[3] === 0x0a || bytes[3] === 0x0d)) return plyPoints(bytes, file);
  const points: Points['points'] = [];
  const space = spaceColumns(file);
  const ids = new Set<string>();
  eachRow(textOf(bytes, file), file, ['id', 'x', 'y', 'z'], 'id,x,y,z[,unit][,up]', (row) => {
    const id = row.text('id');
    if (ids.has(id)) throw new FormatError(file, row.line, 'id', `${id} stands in it twice`);
    ids.add(id);
    points.push({ id, at: [row.number('x'), row.number('y'), row.number('z')] });
    space.row(row);
  });
  const { metres, up } = space.said();
  return { points, pointsMetres: metres === 'of the solve' ? null : metres, pointsUp: up };
}

function plyPoints(bytes: Uint8Array, file: string): Points {
  // a binary body may hold anything, its head is text
  const whole = new TextDecoder('latin1').decode(bytes);
  const end = whole.indexOf('end_header');
  if (end < 0) throw new FormatError(file, null, null, 'is PLY without the end of its head');
  const head = whole.slice(0, end).split(/\r?\n/);
  const format = head.find((l) => l.startsWith('format '))?.split(/\s+/)[1];
  if (format !== 'ascii') throw new FormatError(file, null, 'format', `is PLY in ${format ?? 'an unknown form'}; write it as ascii`);
  const element = head.findIndex((l) => /^element\s/.test(l));
  const [, what, count] = (head[element] ?? '').split(/\s+/);
  if (what !== 'vertex') throw new FormatError(file, null, 'element', 'the first element of the file is not vertex');
  const properties: string[] = [];
  for (const l of head.slice(element + 1)) {
    if (/^element\s/.test(l)) break;
    if (/^property\s/.test(l)) properties.push(l.trim().split(/\s+/).pop()!);
  }
  const columns = ['x', 'y', 'z'].map((n) => properties.indexOf(n));
  if (columns.some((c) => c < 0)) throw new FormatError(file, null, 'property', 'vertices have no x, y and z');
  const names = new Map(
    head.flatMap((l) => /^comment vertex (\d+) (.+)$/.exec(l)?.slice(1) ?? []).reduce<[number, string][]>((all, v, i, list) => (i % 2 === 0 ? [...all, [Number(v), list[i + 1]]] : all), []),
  );
  const rows = whole.slice(whole.indexOf('\n', end) + 1).split(/\r?\n/);
  const points = Array.from({ length: Number(count) }, (_, i) => {
    const cells = (rows[i] ?? '').trim().split(/\s+/).map(Number);
    const at = columns.map((c) => cells[c]) as unknown as Vec3;
    if (!at.every(Number.isFinite)) throw new FormatError(file, head.length + 1 + i, null, `vertex ${i} is not made of numbers`);
    return { id: names.get(i)?.trim() ?? `vertex ${i}`, at };
  });
  return { points, pointsMetres: null, pointsUp: null };
}
