import { mountPackage } from '@mesure/contract';
import { jsonText, tidy, writeCsv } from '@mesure/formats';
import { labelOf, type HandoverDay, type HandoverFile } from './day';

/** What was on each camera that shot on the day, since when, and for which takes; the bodies and lenses with all that is known of them. */
export function kitFiles(day: HandoverDay): HandoverFile[] {
  const { find, takes } = day;
  const used = [...new Set(takes.flatMap((t) => [t.body.packageId, ...(t.body.witnesses ?? []).map((w) => w.packageId)]))];
  if (used.length === 0) return [];
  const mounts = used.flatMap((id) => {
    const pack = find('package', id);
    const m = pack ? mountPackage(pack.body, find) : null;
    return pack && m && !('missing' in m) ? [{ id, pack: pack.body, m }] : [];
  });
  const takesOf = (id: string) => takes.filter((t) => t.body.packageId === id || (t.body.witnesses ?? []).some((w) => w.packageId === id)).map(labelOf);
  const header = [
    ...['camera', 'since', 'until', 'body', 'mode', 'width_px', 'height_px', 'sensor_width_mm', 'sensor_height_mm', 'photosites_x', 'photosites_y', 'fps', 'readout_ms', 'readout_known'],
    ...['lens', 'lens_serial', 'squeeze', 'focal_marked_mm', 'adapter', 'adapter_factor', 'focal_effective_mm', 'pupil_mm', 'pupil_known', 'takes'],
  ];
  const rows = mounts.map(({ id, pack, m }) => [
    ...[pack.camera, pack.since ?? '', pack.until ?? '', m.body.name, m.mode.name, m.mode.widthPx, m.mode.heightPx, tidy(m.mode.sensorWidthMm), tidy(m.mode.sensorHeightMm)],
    ...[m.mode.photositesX ?? '', m.mode.photositesY ?? '', tidy(m.mode.fps), m.mode.readoutMs ?? '', m.mode.readoutSource ?? '', m.lens.name, m.lens.serial, m.lens.squeeze, tidy(pack.focalMm)],
    ...[m.adapter?.name ?? '', tidy(m.adapter?.factor ?? 1), tidy(pack.focalMm * (m.adapter?.factor ?? 1)), m.lens.pupilMm ?? '', m.lens.pupilSource ?? '', takesOf(id).join(', ')],
  ]);
  const kit = mounts.map(({ id, pack, m }) => ({
    camera: pack.camera,
    since: pack.since ?? null,
    until: pack.until ?? null,
    offsetsM: pack.offsetsM ?? {},
    body: { name: m.body.name, chipWidthMm: m.body.chipWidthMm ?? null, chipHeightMm: m.body.chipHeightMm ?? null },
    mode: m.mode,
    lens: m.lens,
    adapter: m.adapter,
    takes: takesOf(id),
  }));
  return [
    { path: 'kit.csv', what: 'what was on each camera, since when, for which takes', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) },
    { path: 'kit.json', what: 'the same with all that is known of bodies, lenses and adapters', readWith: 'JSON', make: async () => jsonText({ mounts: kit }) },
  ];
}
