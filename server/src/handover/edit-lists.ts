import { CoreError, frameLines, parseTimecode, timecodeFrames } from '@mesure/core';
import type { StoredRecord } from '@mesure/contract';
import { writeFdl, type FdlCanvas } from '@mesure/formats/fdl';
import { writeOtio, writeTakeLog, type EditClip } from '@mesure/formats/otio';
import { createHash } from 'node:crypto';
import { labelOf, type HandoverDay, type HandoverFile } from './day';

/** What cutting and framing read: the takes as an edit list and as a log, the recorded frame with its frame lines a take. */
export function editFiles(day: HandoverDay): HandoverFile[] {
  const { takes } = day;
  if (takes.length === 0) return [];
  const { name } = day.day.body;
  const fps = day.production?.body.fps ?? 24;
  return [
    {
      path: 'takes.otio',
      what: 'takes as an edit list, by their timecodes',
      readWith: 'OpenTimelineIO (JSON)',
      make: async () =>
        writeOtio(
          name,
          takes.map((t) => clipOf(t, day)),
        ),
    },
    { path: 'takes-log.txt', what: 'takes as a log with tabs', readWith: 'tab text with a heading', make: async () => takeLog(fps, day) },
    {
      path: 'takes.fdl',
      what: 'the recorded frame of each take, its squeeze and frame lines',
      readWith: 'ASC framing decision list',
      make: async () =>
        writeFdl(
          takes.flatMap((t) => canvasOf(t, day)),
          dayUuid(day),
        ),
    },
  ];
}

const rateOf = (t: StoredRecord<'take'>, day: HandoverDay): number => t.body.fps ?? day.mounted(t)?.mode.fps ?? day.production?.body.fps ?? 24;

/** From the first frame up to and without the frame of the timecode at the end; null where one is not noted or they make no length. */
function rangeOf(t: StoredRecord<'take'>, fps: number): EditClip['range'] {
  const { timecodeIn, timecodeOut } = t.body;
  if (!timecodeIn || !timecodeOut) return null;
  try {
    const [first, last] = [timecodeIn, timecodeOut].map((text) => timecodeFrames(parseTimecode(text, fps), fps));
    return last > first ? { first, count: last - first } : null;
  } catch (error) {
    // a timecode of another rate than the camera's
    if (error instanceof CoreError) return null;
    throw error;
  }
}

function clipOf(t: StoredRecord<'take'>, day: HandoverDay): EditClip {
  const fps = rateOf(t, day);
  const { body } = t;
  return {
    name: labelOf(t),
    clip: body.clip ?? null,
    range: rangeOf(t, fps),
    fps,
    metadata: {
      scene: body.scene ?? day.setupOf(t).body.scene,
      slate: body.slate,
      take: body.take,
      camera: body.camera ?? day.find('package', body.packageId)?.body.camera ?? null,
      circled: body.circled,
      focalMarkedMm: body.focalMm,
      lens: day.mounted(t)?.lens.name ?? null,
      timecodeIn: body.timecodeIn ?? null,
      timecodeOut: body.timecodeOut ?? null,
    },
  };
}

function takeLog(fps: number, day: HandoverDay): string {
  const columns = ['Name', 'Scene', 'Take', 'Tape', 'Start', 'End', 'Camera', 'Lens', 'Focal length', 'Circled', 'Comments'];
  const rows = day.takes.map((t) => {
    const c = clipOf(t, day);
    return [
      c.clip ?? c.name,
      String(c.metadata.scene),
      `${t.body.slate}-${t.body.take}`,
      c.clip ?? '',
      t.body.timecodeIn ?? '',
      t.body.timecodeOut ?? '',
      String(c.metadata.camera ?? ''),
      String(c.metadata.lens ?? ''),
      `${t.body.focalMm} mm`,
      t.body.circled ? 'yes' : '',
      t.body.notes,
    ];
  });
  return writeTakeLog(fps, columns, rows);
}

function canvasOf(t: StoredRecord<'take'>, day: HandoverDay): FdlCanvas[] {
  const m = day.mounted(t);
  if (!m) return [];
  const { mode, lens, body } = m;
  const aspect = day.all('plan').find((p) => p.body.setupId === t.body.setupId)?.body.frameAspect ?? null;
  const lines = aspect === null ? null : frameLines({ image: { width: mode.widthPx, height: mode.heightPx }, squeeze: lens.squeeze }, aspect);
  return [
    {
      source: `${body.name}, ${mode.name}`,
      label: labelOf(t),
      widthPx: mode.widthPx,
      heightPx: mode.heightPx,
      photositesX: mode.photositesX ?? null,
      photositesY: mode.photositesY ?? null,
      sensorWidthMm: mode.sensorWidthMm,
      sensorHeightMm: mode.sensorHeightMm,
      squeeze: lens.squeeze,
      frames: lines ? [{ label: `${aspect}:1`, x: lines.xPx, y: lines.yPx, widthPx: lines.widthPx, heightPx: lines.heightPx }] : [],
    },
  ];
}

/** The same list each time it is made, so that it counts as changed only where something in it is. */
function dayUuid(day: HandoverDay): string {
  const h = createHash('sha256').update(`framing ${day.day.id}`).digest('hex');
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-4${h.slice(13, 16)}-8${h.slice(17, 20)}-${h.slice(20, 32)}`;
}
