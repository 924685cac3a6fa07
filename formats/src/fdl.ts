import { FormatError } from './format-error';

/** One recorded frame of a camera, as a framing decision list carries it. */
export interface FdlCanvas {
  /** the camera, or what made the canvas */
  source: string;
  label: string;
  widthPx: number;
  heightPx: number;
  /** photosites that the canvas covers; null when the list does not say */
  photositesX: number | null;
  photositesY: number | null;
  sensorWidthMm: number | null;
  sensorHeightMm: number | null;
  squeeze: number;
  /** the part of the canvas that the picture fills, where the list says that it is less; the file is as large as the canvas all the same */
  effective?: { x: number; y: number; widthPx: number; heightPx: number } | null;
  /** frames within the canvas, px of it from its upper left corner */
  frames: { label: string; x: number; y: number; widthPx: number; heightPx: number }[];
}

const VERSION = { major: 1, minor: 0 };
const MAX_BYTES = 4_000_000;
const MAX_CANVASES = 200;
/** Larger than any film back that a lens covers. */
const MOST_SENSOR_MM = 120;
const MOST_SQUEEZE = 2.5;
/** Areas are given with decimals; so far beyond the edge is rounding. */
const EDGE_PX = 1;

/**
 * ASC framing decision list, version 1. Each canvas has at least one framing decision; a canvas without frames of its own gets one over the
 * whole of it.
 * Source  American Society of Cinematographers, ASC FDL specification (JSON, fdl version 1).
 */
export function writeFdl(canvases: readonly FdlCanvas[], uuid: string): string {
  const intents = new Map<string, { id: string; label: string; aspect_ratio: { width: number; height: number }; protection: number }>();
  const intentOf = (label: string, width: number, height: number) => {
    const key = `${label} ${(width / height).toFixed(4)}`;
    if (!intents.has(key)) intents.set(key, { id: String(intents.size + 1).padStart(2, '0'), label, aspect_ratio: { width, height }, protection: 0 });
    return intents.get(key)!.id;
  };
  const sources = [...new Set(canvases.map((c) => c.source))];
  let number = 0;
  const contexts = sources.map((source) => ({
    label: source,
    context_creator: 'Mesure',
    canvases: canvases
      .filter((c) => c.source === source)
      .map((c) => {
        number += 1;
        const id = `canvas${number}`;
        const frames = c.frames.length > 0 ? c.frames : [{ label: 'whole', x: 0, y: 0, widthPx: c.widthPx, heightPx: c.heightPx }];
        return {
          label: c.label,
          id,
          source_canvas_id: id,
          dimensions: { width: c.widthPx, height: c.heightPx },
          ...(c.photositesX !== null && c.photositesY !== null ? { photosite_dimensions: { width: c.photositesX, height: c.photositesY } } : {}),
          ...(c.sensorWidthMm !== null && c.sensorHeightMm !== null ? { physical_dimensions: { width: c.sensorWidthMm, height: c.sensorHeightMm } } : {}),
          anamorphic_squeeze: c.squeeze,
          framing_decisions: frames.map((f) => {
            const intent = intentOf(f.label, f.widthPx * c.squeeze, f.heightPx);
            return { label: f.label, id: `${id}-${intent}`, framing_intent_id: intent, dimensions: { width: f.widthPx, height: f.heightPx }, anchor_point: { x: f.x, y: f.y } };
          }),
        };
      }),
  }));
  const list = [...intents.values()];
  return `${JSON.stringify({ uuid, version: VERSION, fdl_creator: 'Mesure', default_framing_intent: list[0]?.id, framing_intents: list, contexts, canvas_templates: [] }, null, 2)}\n`;
}

/**
 * Canvases of a framing decision list. What the list does not say is null; nothing is made up for it.
 * @throws FormatError with the place that is wrong
 */
export function readFdl(text: string, file: string): FdlCanvas[] {
  const wrong = (field: string | null, message: string) => new FormatError(file, null, field, message);
  if (text.length > MAX_BYTES) throw wrong(null, 'is larger than a framing decision list can be');
  let list: Json;
  try {
    list = JSON.parse(text) as Json;
  } catch {
    throw wrong(null, 'is not JSON, so it is no framing decision list');
  }
  if (!isObject(list) || !isObject(list.version) || !Array.isArray(list.contexts)) throw wrong('contexts', 'is missing: this is no framing decision list');
  const major = (list.version as Json).major;
  if (major !== 1 && major !== 2 && major !== 0) throw wrong('version', `is ${String(major)}; versions 0, 1 and 2 are read`);
  const canvases: FdlCanvas[] = [];
  (list.contexts as unknown[]).forEach((context, i) => {
    if (!isObject(context) || !Array.isArray(context.canvases)) throw wrong(`contexts[${i}].canvases`, 'must be a list');
    (context.canvases as unknown[]).forEach((canvas, j) => {
      const at = `contexts[${i}].canvases[${j}]`;
      if (!isObject(canvas)) throw wrong(at, 'must be an object');
      const size = pair(canvas.dimensions);
      if (!size || !(size[0] >= 16 && size[1] >= 16 && size[0] <= 32_768 && size[1] <= 32_768)) throw wrong(`${at}.dimensions`, 'must be a width and a height in pixels');
      if (canvases.length >= MAX_CANVASES) throw wrong(at, `is one too many; at most ${MAX_CANVASES} canvases are read`);
      const photosites = pair(canvas.photosite_dimensions);
      const physical = pair(canvas.physical_dimensions);
      const squeeze = Number(canvas.anamorphic_squeeze ?? 1);
      // what was made up instead would bend every number that follows from it
      if (!(squeeze >= 1 && squeeze <= MOST_SQUEEZE)) throw wrong(`${at}.anamorphic_squeeze`, `is ${String(canvas.anamorphic_squeeze)}; lenses squeeze by 1 to ${MOST_SQUEEZE}`);
      if (physical && !physical.every((mm) => mm >= 1 && mm <= MOST_SENSOR_MM))
        throw wrong(`${at}.physical_dimensions`, `is ${physical.join(' × ')}; the area of a sensor is 1 to ${MOST_SENSOR_MM} mm a side`);
      const area = (name: string, of: unknown, corner: unknown) => {
        const dimensions = pair(of);
        if (!dimensions) return null;
        const [x, y] = isObject(corner) ? [Number(corner.x ?? 0), Number(corner.y ?? 0)] : [0, 0];
        const within = dimensions.every((d) => d > 0) && x >= -EDGE_PX && y >= -EDGE_PX && x + dimensions[0] <= size[0] + EDGE_PX && y + dimensions[1] <= size[1] + EDGE_PX;
        if (!within) throw wrong(`${at}.${name}`, `is ${dimensions.join(' × ')} at ${x}, ${y}, which is not within its canvas of ${size.join(' × ')}`);
        return { x, y, widthPx: dimensions[0], heightPx: dimensions[1] };
      };
      const effective = area('effective_dimensions', canvas.effective_dimensions, canvas.effective_anchor_point);
      canvases.push({
        source: words(context.label) ?? `context ${i + 1}`,
        label: words(canvas.label) ?? words(canvas.id) ?? `canvas ${j + 1}`,
        widthPx: Math.round(size[0]),
        heightPx: Math.round(size[1]),
        photositesX: photosites ? photosites[0] : null,
        photositesY: photosites ? photosites[1] : null,
        sensorWidthMm: physical ? physical[0] : null,
        sensorHeightMm: physical ? physical[1] : null,
        squeeze,
        effective: effective && (effective.widthPx < size[0] || effective.heightPx < size[1]) ? effective : null,
        frames: (Array.isArray(canvas.framing_decisions) ? canvas.framing_decisions : []).flatMap((f, k) => {
          const frame = isObject(f) ? area(`framing_decisions[${k}]`, f.dimensions, f.anchor_point) : null;
          return frame ? [{ label: words((f as Json).label) ?? 'frame', ...frame }] : [];
        }),
      });
    });
  });
  if (canvases.length === 0) throw wrong('contexts', 'holds no canvas');
  return canvases;
}

type Json = Record<string, unknown>;
const isObject = (v: unknown): v is Json => typeof v === 'object' && v !== null && !Array.isArray(v);
const words = (v: unknown): string | null => (typeof v === 'string' && v.trim() !== '' ? v.trim().slice(0, 120) : null);
function pair(v: unknown): [number, number] | null {
  if (!isObject(v)) return null;
  const { width, height } = v;
  return typeof width === 'number' && typeof height === 'number' && width > 0 && height > 0 && Number.isFinite(width) && Number.isFinite(height) ? [width, height] : null;
}
