/** A part of a handover that a receiver may do without. What is in none of these always leaves: the tables, the report, what is missing. */
export interface HandoverPart {
  id: string;
  title: string;
  detail: string;
  /** by where they stand before a receiver's own names */
  holds(path: string): boolean;
}

const part = (id: string, title: string, detail: string, ...of: readonly RegExp[]): HandoverPart => ({ id, title, detail, holds: (path) => of.some((r) => r.test(path)) });

/** One line makes another part: the receiver's form, the preview and the zip follow it. */
export const HANDOVER_PARTS: readonly HandoverPart[] = [
  part('gltf', 'glTF 2.0', 'camera move and points', /^takes\/[^/]+\/camera[^/]*\.glb$/),
  part('usd', 'USD text', 'camera with apertures and offsets, points', /^takes\/[^/]+\/camera[^/]*\.usda$/),
  part('tracking', 'Open tracking metadata', 'a sample a frame', /^takes\/[^/]+\/tracking[^/]*\.jsonl$/),
  part('camera-table', 'Camera as CSV', 'full precision, with its lens', /^takes\/[^/]+\/camera[^/]*\.csv$/),
  part('points', 'Points of the solve', 'CSV and PLY', /^takes\/[^/]+\/points[^/]*\.(csv|ply)$/),
  part('tracks', 'Tracks', 'as they were given', /^takes\/[^/]+\/tracks\//),
  part('elsewhere', 'Solves made elsewhere', 'as they were given', /^takes\/[^/]+\/elsewhere\//),
  part('lenses', 'Lens book', 'distortion of plates and takes', /^lenses\/(?!plates\/)/),
  part('plate-pictures', 'Pictures of plates', 'as they were given', /^lenses\/plates\//),
  part('nets', 'Tape nets', 'CSV, PLY, DXF', /^sets\//),
  part('plans', 'Plans and mark sheets', 'of each setup', /^setups\/(?!.*\/recce\/)/),
  part('recce', 'Pictures of the recce', 'as they were given', /^setups\/.*\/recce\//),
  part('edit', 'Edit list, log, framing', 'OpenTimelineIO, tab text, ASC FDL', /^takes(-log)?\.(otio|txt|fdl)$/),
  part('take-pictures', 'Pictures of takes', 'as they were given', /^takes\/[^/]+\/pictures\//),
  part('line-ups', 'Pictures lined up', 'where the camera stood by them', /^takes\/[^/]+\/line-ups\//, /^line-up(s|-marks)\.csv$/),
  part('stills', 'Stills of the set', 'with their stations', /^stills(\/|\.csv$)/),
  part('light', 'Pictures of the light', 'brackets, balls', /^light(\/|-pictures\.csv$)/),
  part('marks', 'Photos with marks', 'and where marks are in them', /^marks(\/|\.csv$)/),
];

export const partOf = (path: string): HandoverPart | null => HANDOVER_PARTS.find((p) => p.holds(path)) ?? null;

/** What a take may be called by in a handover. */
export interface TakeNameWords {
  scene: string;
  setup: string;
  slate: string;
  take: number;
  camera: string;
  clip: string;
  day: string;
  date: string;
}
const WORDS: readonly (keyof TakeNameWords)[] = ['scene', 'setup', 'slate', 'take', 'camera', 'clip', 'day', 'date'];
export const USUAL_TAKE_NAME = '{slate}-take-{take}';

/** Why a pattern cannot name takes; null when it can. */
export function takeNameProblem(pattern: string): string | null {
  if (pattern.trim() === '') return `Write a pattern such as ${USUAL_TAKE_NAME}`;
  const unknown = [...pattern.matchAll(/\{([^}]*)\}?/g)].find((m) => !m[0].endsWith('}') || !(WORDS as readonly string[]).includes(m[1]));
  if (unknown) return `${unknown[0]} is not known; there are ${WORDS.map((w) => `{${w}}`).join(', ')}`;
  if (/\{[^}]*$/.test(pattern.replace(/\{[^}]*\}/g, '')) || /\}/.test(pattern.replace(/\{[^}]*\}/g, ''))) return 'A brace has no partner';
  if (!pattern.includes('{take}') && !pattern.includes('{clip}')) return 'Takes of one slate would have one name: add {take} or {clip}';
  return null;
}

/** A take's name before it is made safe for a file; a pattern's empty word leaves nothing behind. */
export const takeName = (pattern: string, words: TakeNameWords): string =>
  pattern.replace(/\{([^}]*)\}/g, (whole, word: string) => (word in words ? String(words[word as keyof TakeNameWords]) : whole)).trim();
