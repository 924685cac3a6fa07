import type { SolveResult, SolveSetup } from '@mesure/core';
import { FormatError } from './format-error';
import { warningsTogether } from './json';

function readJson(text: string, file: string): Record<string, unknown> {
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (cause) {
    const message = cause instanceof Error ? cause.message : String(cause);
    const position = /position (\d+)/.exec(message);
    const line = position ? text.slice(0, Number(position[1])).split('\n').length : null;
    throw new FormatError(file, line, null, `is not JSON (${message})`);
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) throw new FormatError(file, null, null, 'must hold one JSON object');
  return value as Record<string, unknown>;
}

const at = (object: Record<string, unknown>, path: string): unknown =>
  path.split('.').reduce<unknown>((o, k) => (typeof o === 'object' && o !== null ? (o as Record<string, unknown>)[k] : undefined), object);

function requireNumber(object: Record<string, unknown>, path: string, file: string): void {
  const value = at(object, path);
  if (typeof value !== 'number' || !Number.isFinite(value)) throw new FormatError(file, null, path, value === undefined ? 'is missing' : `must be a number, not ${JSON.stringify(value)}`);
}

function requireList(object: Record<string, unknown>, path: string, file: string, check: (entry: unknown, where: string) => void): void {
  const value = at(object, path);
  if (value === undefined) return;
  if (!Array.isArray(value)) throw new FormatError(file, null, path, 'must be a list');
  value.forEach((entry, i) => check(entry, `${path}[${i}]`));
}

/** The setup of conventions.md; only the shape is checked here, ranges by the core. @throws FormatError */
export function readSetupJson(text: string, file: string): SolveSetup {
  const o = readJson(text, file);
  ['image.width', 'image.height', 'sensor.widthMm', 'sensor.heightMm', 'focal.mm'].forEach((path) => requireNumber(o, path, file));
  for (const path of ['squeeze', 'adapterFactor', 'fps', 'focal.sigmaMm']) if (at(o, path) !== undefined) requireNumber(o, path, file);
  const name = (entry: unknown, where: string) => {
    if (typeof entry !== 'string' || entry === '') throw new FormatError(file, null, where, 'must be the name of a track');
  };
  const fields = (entry: unknown, where: string, numbers: string[], names: string[]) => {
    if (typeof entry !== 'object' || entry === null) throw new FormatError(file, null, where, 'must be an object');
    numbers.forEach((n) => {
      const v = (entry as Record<string, unknown>)[n];
      if (typeof v !== 'number' || !Number.isFinite(v)) throw new FormatError(file, null, `${where}.${n}`, v === undefined ? 'is missing' : 'must be a number');
    });
    names.forEach((n) => name((entry as Record<string, unknown>)[n], `${where}.${n}`));
    const sigma = (entry as Record<string, unknown>).sigmaM;
    if (sigma !== undefined && !(typeof sigma === 'number' && sigma > 0)) throw new FormatError(file, null, `${where}.sigmaM`, 'must be a number above 0');
  };
  const number = (entry: unknown, where: string) => {
    if (typeof entry !== 'number' || !Number.isFinite(entry)) throw new FormatError(file, null, where, 'must be a number');
  };
  requireList(o, 'focal.profile', file, (e, w) => fields(e, w, ['frame', 'mm'], []));
  requireList(o, 'distortion.k', file, number);
  for (const list of ['p', 'a', 'b']) requireList(o, `distortion.${list}`, file, number);
  for (const one of ['lambda', 'rotation', 'aspect', 'focalMm']) if (at(o, `distortion.${one}`) !== undefined) requireNumber(o, `distortion.${one}`, file);
  requireList(o, 'distortion.center', file, number);
  requireList(o, 'anchors.level', file, name);
  requireList(o, 'anchors.heading', file, name);
  requireList(o, 'anchors.lengths', file, (e, w) => fields(e, w, ['m'], ['a', 'b']));
  requireList(o, 'anchors.cameraHeights', file, (e, w) => fields(e, w, ['frame', 'm'], []));
  requireList(o, 'anchors.points', file, (e, w) => fields(e, w, ['x', 'y', 'z'], ['track']));
  return o as unknown as SolveSetup;
}

/** A solve result of conventions.md. @throws FormatError */
export function readSolveJson(text: string, file: string): SolveResult {
  const { warningCodes, ...o } = readJson(text, file);
  o.warnings = warningsTogether(o.warnings, warningCodes);
  if (!['solved', 'partial', 'failed'].includes(o.status as string)) throw new FormatError(file, null, 'status', 'must be solved, partial or failed');
  for (const list of ['frames', 'points']) if (!Array.isArray(o[list])) throw new FormatError(file, null, list, 'must be a list');
  // a pan's points have a direction and no place; here they are apart
  const points = o.points as { direction?: unknown; position?: unknown }[];
  const directions = points.filter((p) => p.direction !== undefined && p.position === undefined);
  if (directions.length > 0) return { ...o, points: points.filter((p) => !directions.includes(p)), directions } as unknown as SolveResult;
  return o as unknown as SolveResult;
}

/** The solve result of conventions.md: of a pan, points have a direction and no position. */
export function solveJson({ directions, ...solve }: SolveResult): object {
  return directions ? { ...solve, points: [...solve.points, ...directions] } : solve;
}
