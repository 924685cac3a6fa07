import type { PlanBody, PlannedWitness, SetBody } from '@mesure/contract';
import { fromPiece, toPiece, type PlannedMark, type SetPiece } from '@mesure/core';
import type { Handle } from '../../ui/handles';

/** What the drawings of a plan let one take hold of. A handle's id says what it is: piece:ID, mark:ID, station:N, aim:N, object:N, witness:ID, sight:ID, panorama:N. */
export interface Drawn {
  plan: PlanBody;
  set: SetBody;
}
/** Above so many marks each would hide the others: then only the chosen one has a handle. */
const MOST_HANDLES = 60;
const round = (v: number) => Math.round(v * 1000) / 1000;

/** Handles of the view from above: x to the right, z downwards. */
export function topHandles({ plan, set }: Drawn, chosen: string | null): Handle[] {
  const marks = set.sheet ?? [];
  const shown = marks.length <= MOST_HANDLES ? marks : marks.filter((m) => `mark:${m.id}` === chosen);
  const { stations, objectStations = [] } = plan.move;
  return [
    ...(set.pieces ?? []).filter((q) => q.kind !== 'sky').map((q) => ({ id: `piece:${q.id}`, label: q.name, x: q.xM, y: q.zM, small: true })),
    ...shown.map((m) => ({ id: `mark:${m.id}`, label: `Mark ${m.id}`, x: m.at[0], y: m.at[2], small: true })),
    ...stations.map((s, i) => ({ id: `station:${i}`, label: stationName(i, stations.length), x: s.xM, y: s.zM })),
    ...stations.map((s, i) => ({
      id: `aim:${i}`,
      label: `Aim and focus of the ${stationName(i, stations.length).toLowerCase()}`,
      x: s.xM - aimReach(s.focusM) * Math.sin(s.headingRad),
      y: s.zM - aimReach(s.focusM) * Math.cos(s.headingRad),
      small: true,
    })),
    ...(plan.witnesses ?? []).flatMap((w, i) => {
      const at = w.placement;
      if (at?.way !== 'free') return [];
      const end = { x: at.xM - SIGHT_M * Math.sin(at.headingRad), y: at.zM - SIGHT_M * Math.cos(at.headingRad) };
      return [
        { id: `witness:${w.packageId}`, label: `Witness ${i + 1}`, x: at.xM, y: at.zM },
        { id: `sight:${w.packageId}`, label: `Where witness ${i + 1} looks`, ...end, small: true },
      ];
    }),
    ...(plan.panoramas ?? []).map((q, i) => ({ id: `panorama:${i}`, label: `Panorama ${i + 1}`, x: q.xM, y: q.zM, small: true })),
    ...objectStations.map((s, i) => ({ id: `object:${i}`, label: `Object at ${s.timeS} s`, x: s.xM, y: s.zM, small: true })),
  ];
}

/** The aim's handle stands at the focus distance, but not off the sheet. */
const FAR_AIM_M = 8;
/** The handle that turns a witness stands so far before it. */
const SIGHT_M = 1.2;
const aimReach = (focusM: number): number => Math.min(focusM, FAR_AIM_M);

export const stationName = (i: number, count: number): string => (count === 1 ? 'Camera' : i === 0 ? 'Camera at the start' : i === count - 1 ? 'Camera at the end' : `Camera on the way, ${i}`);

/** The plan or the set with a thing moved to a place on the ground; only what changed. */
export function dragOnTop(drawn: Drawn, id: string, xM: number, zM: number): Partial<Drawn> {
  const [what, key] = [id.slice(0, id.indexOf(':')), id.slice(id.indexOf(':') + 1)];
  const { plan, set } = drawn;
  const [x, z] = [round(xM), round(zM)];
  if (what === 'piece') return { set: movePiece(set, key, x, z) };
  if (what === 'mark') return { set: { ...set, sheet: (set.sheet ?? []).map((m) => (m.id === key ? { ...m, at: onItsPiece(set, m, x, z) } : m)) } };
  if (what === 'witness' || what === 'sight') return { plan: { ...plan, witnesses: (plan.witnesses ?? []).map((w) => (w.packageId === key ? moveWitness(w, what, x, z) : w)) } };
  const i = Number(key);
  if (what === 'panorama') return { plan: { ...plan, panoramas: (plan.panoramas ?? []).map((q, k) => (k === i ? { ...q, xM: x, zM: z } : q)) } };
  if (what === 'object') return { plan: { ...plan, move: { ...plan.move, objectStations: (plan.move.objectStations ?? []).map((s, k) => (k === i ? { ...s, xM: x, zM: z } : s)) } } };
  const stations = plan.move.stations.map((s, k) => {
    if (k !== i) return s;
    if (what === 'station') return { ...s, xM: x, zM: z };
    const [dx, dz] = [s.xM - x, s.zM - z];
    const reach = Math.hypot(dx, dz);
    return reach < 0.05 ? s : { ...s, headingRad: Math.atan2(dx, dz), focusM: s.focusM > FAR_AIM_M && reach > 0.95 * FAR_AIM_M ? s.focusM : round(Math.max(0.1, reach)) };
  });
  return { plan: { ...plan, move: { ...plan.move, stations } } };
}

function moveWitness(w: PlannedWitness, what: 'witness' | 'sight', xM: number, zM: number): PlannedWitness {
  const at = w.placement;
  if (at?.way !== 'free') return w;
  if (what === 'witness') return { ...w, placement: { ...at, xM, zM } };
  const [dx, dz] = [at.xM - xM, at.zM - zM];
  return Math.hypot(dx, dz) < 0.05 ? w : { ...w, placement: { ...at, headingRad: Math.atan2(dx, dz) } };
}

/** A piece takes along the marks that sit on it. */
export function movePiece(set: SetBody, id: string, xM: number, zM: number): SetBody {
  const piece = (set.pieces ?? []).find((q) => q.id === id);
  if (!piece) return set;
  return changePiece(set, { ...piece, xM, zM });
}

/** A piece that was moved, turned or sized, with the marks on it kept where they sit on it. */
export function changePiece(set: SetBody, piece: SetPiece): SetBody {
  const before = (set.pieces ?? []).find((q) => q.id === piece.id);
  if (!before) return set;
  const turned = piece.turnRad - before.turnRad;
  const [c, s] = [Math.cos(turned), Math.sin(turned)];
  return {
    ...set,
    pieces: (set.pieces ?? []).map((q) => (q.id === piece.id ? piece : q)),
    sheet: (set.sheet ?? []).map((m) => {
      if (m.pieceId !== piece.id) return m;
      const [x, y, z] = toPiece(before, m.at);
      const follow = (v: number, was: number, is: number) => (was > 0 ? (v * is) / was : v);
      const at = fromPiece(piece, [follow(x, before.widthM, piece.widthM), follow(y, before.heightM, piece.heightM), follow(z, before.depthM, piece.depthM)]);
      return { ...m, at, normal: m.normal ? [c * m.normal[0] + s * m.normal[2], m.normal[1], -s * m.normal[0] + c * m.normal[2]] : null };
    }),
  };
}

/** A mark slides along the surface that it sits on: a mark on a wall stays on the wall. */
function onItsPiece(set: SetBody, mark: PlannedMark, x: number, z: number): PlannedMark['at'] {
  const piece = (set.pieces ?? []).find((q) => q.id === mark.pieceId);
  if (!piece || !mark.normal || Math.abs(mark.normal[1]) > 0.5) return [x, mark.at[1], z];
  const own = toPiece(piece, mark.at);
  const wanted = toPiece(piece, [x, mark.at[1], z]);
  const acrossX = Math.abs(own[0]) - piece.widthM / 2 < Math.abs(own[2]) - piece.depthM / 2;
  const limit = (v: number, half: number) => Math.min(half, Math.max(-half, v));
  return fromPiece(piece, acrossX ? [limit(wanted[0], piece.widthM / 2), own[1], own[2]] : [own[0], own[1], limit(wanted[2], piece.depthM / 2)]);
}

/** Handles of the view from the side: z to the right, height upwards (drawn downwards as −y). */
export function sideHandles({ plan, set }: Drawn, chosen: string | null): Handle[] {
  const marks = set.sheet ?? [];
  const shown = marks.length <= MOST_HANDLES ? marks : marks.filter((m) => `mark:${m.id}` === chosen);
  const { stations } = plan.move;
  return [
    ...shown.map((m) => ({ id: `mark:${m.id}`, label: `Mark ${m.id}`, x: -m.at[2], y: -m.at[1], small: true })),
    ...stations.map((s, i) => ({ id: `station:${i}`, label: stationName(i, stations.length), x: -s.zM, y: -s.heightM })),
  ];
}

export function dragOnSide(drawn: Drawn, id: string, xDrawn: number, yDrawn: number): Partial<Drawn> {
  const [what, key] = [id.slice(0, id.indexOf(':')), id.slice(id.indexOf(':') + 1)];
  const { plan, set } = drawn;
  const height = round(-yDrawn);
  if (what === 'mark')
    return {
      set: {
        ...set,
        sheet: (set.sheet ?? []).map((m) => {
          if (m.id !== key) return m;
          // on a floor it cannot rise; on a wall it goes up and down on it; loose ones go anywhere
          if (m.normal && Math.abs(m.normal[1]) > 0.5) return { ...m, at: [m.at[0], m.at[1], round(-xDrawn)] };
          if (m.pieceId) return { ...m, at: [m.at[0], Math.max(0, height), m.at[2]] };
          return { ...m, at: [m.at[0], Math.max(0, height), round(-xDrawn)] };
        }),
      },
    };
  const stations = plan.move.stations.map((s, k) => (k === Number(key) ? { ...s, zM: round(-xDrawn), heightM: height } : s));
  return { plan: { ...plan, move: { ...plan.move, stations } } };
}

/** The box of the ground that holds everything, with some room. */
export function groundBox({ plan, set }: Drawn): { x: number; y: number; width: number; height: number } {
  const xs: number[] = [],
    zs: number[] = [];
  const put = (x: number, z: number) => {
    xs.push(x);
    zs.push(z);
  };
  for (const s of plan.move.stations) put(s.xM, s.zM);
  for (const q of set.pieces ?? []) {
    if (q.kind === 'sky') continue;
    const reach = Math.min(8, Math.hypot(q.widthM, q.depthM) / 2);
    put(q.xM - reach, q.zM - reach);
    put(q.xM + reach, q.zM + reach);
  }
  for (const m of set.sheet ?? []) put(m.at[0], m.at[2]);
  for (const q of plan.panoramas ?? []) put(q.xM, q.zM);
  for (const w of plan.witnesses ?? []) if (w.placement?.way === 'free') put(w.placement.xM, w.placement.zM);
  if (xs.length < 2) put(xs[0] - 4, zs[0] - 6);
  const [x0, x1, z0, z1] = [Math.min(...xs) - 0.8, Math.max(...xs) + 0.8, Math.min(...zs) - 0.8, Math.max(...zs) + 0.8];
  return { x: x0, y: z0, width: Math.max(3, x1 - x0), height: Math.max(3, z1 - z0) };
}
