import type { ReconcileReport, SolveResult, SolveSetup } from '@mesure/core';
import { FormatError } from './format-error';
import { warningsTogether } from './json';
import { readSetupJson, readSolveJson } from './setup-json';

/** A solve with what it was asked and what it said of the record, as `solve.json` of a handover holds it. */
export interface LeftSolveFile {
  solve: SolveResult;
  setup: SolveSetup;
  reconcile: ReconcileReport | null;
}

type Tree = Record<string, unknown>;
const isTree = (v: unknown): v is Tree => typeof v === 'object' && v !== null && !Array.isArray(v);
const VERDICTS = ['agrees', 'drifts', 'contradicts', 'not observable'];

/**
 * `solve.json` of a handover, what stands beside the solve in it taken off again.
 * @throws FormatError where it is no solve, or does not hold together
 */
export function readLeftSolve(text: string, file: string): LeftSolveFile {
  const wrong = (field: string, message: string) => new FormatError(file, null, field, message);
  // what it holds for people and for the files around it is told by the record here
  const { facts: _facts, take: _take, before: _before, filesBeside: _beside, setup, reconcile, ...solve } = readSolveJson(text, file) as unknown as Tree;
  if (!isTree(setup)) throw wrong('setup', 'is missing: what was solved is not known');
  readSetupJson(JSON.stringify(setup), file);
  const result = solve as unknown as SolveResult;
  if (!isTree(solve.anchoring) || !Array.isArray(solve.trimmed) || !isTree(solve.distortion)) throw wrong('anchoring', 'is missing: this is no whole solve');
  for (const f of result.frames) {
    if (!isTree(f) || !Array.isArray(f.position) || !Array.isArray(f.rotation)) throw wrong('frames', 'hold what is no camera');
    if (![f.frame, ...f.position, ...f.rotation, f.focalMm].every((v) => typeof v === 'number' && Number.isFinite(v))) throw wrong('frames', `frame ${f.frame} holds what is no number`);
  }
  return { solve: result, setup: setup as unknown as SolveSetup, reconcile: reconcile === null || reconcile === undefined ? null : reportOf(reconcile, wrong) };
}

function reportOf(value: unknown, wrong: (field: string, message: string) => FormatError): ReconcileReport {
  if (!isTree(value) || !Array.isArray(value.items) || typeof value.sentence !== 'string' || !VERDICTS.includes(value.verdict as string)) throw wrong('reconcile', 'is no report');
  for (const i of value.items as unknown[])
    if (!isTree(i) || typeof i.quantity !== 'string' || typeof i.recorded !== 'number' || typeof i.sentence !== 'string' || !Array.isArray(i.causes) || !VERDICTS.includes(i.verdict as string))
      throw wrong('reconcile.items', 'hold what is no verdict');
  const { warningCodes, ...report } = value;
  return { ...report, warnings: warningsTogether(value.warnings, warningCodes) } as unknown as ReconcileReport;
}
