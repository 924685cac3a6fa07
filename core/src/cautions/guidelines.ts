import { distance } from '../math';
import { hasBody, moveDurationS, type PlannedSetup, type SetupFacts } from '../setup';
import type { Caution } from './caution';
import { said } from './caution';

/** What to tell whom before a setup is shot. */
export interface Guideline {
  to: 'camera' | 'production' | 'wrangler';
  text: string;
}

const range = (values: readonly number[], unit: string, digits = 1): string => {
  const [least, most] = [Math.min(...values), Math.max(...values)];
  return most - least < 0.005 * most ? `${least.toFixed(digits)} ${unit}` : `${least.toFixed(digits)} to ${most.toFixed(digits)} ${unit}`;
};

/** One page for a setup, from its plan and the cautions that remain. */
export function guidelines(setup: PlannedSetup, facts: SetupFacts, open: readonly Caution[]): Guideline[] {
  const { stations, kind } = setup.move;
  const out: Guideline[] = [];
  const tell = (to: Guideline['to'], text: string) => out.push({ to, text });
  const duration = moveDurationS(setup.move);
  tell(
    'camera',
    `${kind[0].toUpperCase()}${kind.slice(1)}${duration > 0 ? ` over ${said(duration)} s` : ''}, height ${range(
      stations.map((s) => s.heightM),
      'm',
      2,
    )}, ${range(
      stations.map((s) => s.focalMm),
      'mm',
      0,
    )}, focus ${range(
      stations.map((s) => s.focusM),
      'm',
    )}.`,
  );
  tell(
    'camera',
    `Shutter ${said(setup.shutterDeg)}° at ${said(setup.fps)} frames a second${setup.stop === null ? '' : `, stop ${said(setup.stop)}`}${setup.iso === null ? '' : `, ISO ${setup.iso}`}.`,
  );
  tell('camera', facts.stabiliser === 'off' ? 'The stabiliser stays off.' : 'Switch the stabiliser off, in the body and in the lens.');
  if (facts.witnesses.length > 0) tell('camera', `Witness cameras ${facts.witnesses.map((w) => w.name).join(', ')} at the same frame rate; sync: ${facts.sync}.`);
  const still = setup.pieces.filter((p) => hasBody(p) && !p.moves && (p.detail !== 'none' || setup.marks.some((m) => m.pieceId === p.id)));
  if (still.length > 0) tell('production', `Must stand still and untouched: ${still.map((p) => p.name).join(', ')}.`);
  const moving = setup.pieces.filter((p) => p.moves && p.id !== setup.move.objectId);
  if (moving.length > 0) tell('production', `Moves in the picture and is masked out: ${moving.map((p) => p.name).join(', ')}.`);
  if (setup.marks.length > 0) {
    const waiting = setup.marks.filter((m) => !m.placed);
    const kinds = [...new Set(setup.marks.map((m) => `${m.kind} ${(1000 * m.diameterM).toFixed(0)} mm`))];
    tell(
      'wrangler',
      `${setup.marks.length} marks (${kinds.join(', ')})${
        waiting.length > 0
          ? `; still to be placed: ${waiting
              .slice(0, 30)
              .map((m) => m.id)
              .join(', ')}${waiting.length > 30 ? ` and ${waiting.length - 30} more` : ''}`
          : ', all placed'
      }.`,
    );
  }
  const at = new Map(setup.marks.map((m) => [m.id, m.at]));
  for (const t of setup.measures.ties) {
    const [a, b] = [at.get(t.a), at.get(t.b)];
    tell('wrangler', `Measure ${t.a} to ${t.b}${a && b ? `, about ${distance(a, b).toFixed(2)} m` : ''}.`);
  }
  if (setup.measures.heights.length > 0) tell('wrangler', `Measure the camera height ${setup.measures.heights.length > 1 ? 'at the start and the end' : 'at the start'}, to the lens axis.`);
  if (setup.measures.level.length > 0) tell('wrangler', `Level marks of the floor: ${setup.measures.level.join(', ')}.`);
  if (facts.stillsPlanned) tell('wrangler', 'Walk the stills; the stations are in the plan.');
  if (facts.lightPlanned) tell('wrangler', 'Take down the light: panorama with brackets, grey ball, mirror ball; the places are in the plan.');
  for (const c of open) {
    const whom = c.entry === 'shutter' || c.entry === 'stop' || c.entry === 'ISO' || c.entry === 'move' || c.entry === 'stabiliser' ? 'camera' : c.entry === 'set' ? 'production' : 'wrangler';
    tell(whom, `${c.found} ${c.advice}`);
  }
  return out.sort((a, b) => ORDER.indexOf(a.to) - ORDER.indexOf(b.to));
}
const ORDER: Guideline['to'][] = ['camera', 'production', 'wrangler'];
