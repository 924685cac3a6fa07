import { mountPackage, opticsOf } from '@mesure/contract';
import { wordsOf, focusCell } from '@mesure/core';
import { writeCsv, writeDistortionCsv, writeDistortionJson, tidy, writeLensMetadata, type LensSetting } from '@mesure/formats';
import type { Database } from '../db/connect';
import { gridOutcomes } from '../jobs/grid/outcomes';
import { staleOf } from '../jobs/stale';
import { labelOf, slug, type HandoverDay, type HandoverFile, type Unanswered } from './day';
import { beforeWords } from './shots';

/** The lens book of every lens that shot on the day: its good plates with all that a reader needs, and a table that says what became of each plate. */
export async function lensFiles(db: Database, productionId: string, day: HandoverDay): Promise<{ files: HandoverFile[]; missing: Unanswered[] }> {
  const { all, find, takes } = day;
  const used = new Set(takes.map((t) => find('package', t.body.packageId)?.body.lensId).filter((id): id is string => id !== undefined));
  const plates = await gridOutcomes(
    db,
    productionId,
    all('plate').filter((p) => used.has(p.body.lensId)),
  );
  const stale = await staleOf(
    db,
    productionId,
    plates.map((p) => p.row),
  );
  const missing: Unanswered[] = [];
  const files: HandoverFile[] = [];
  const settings: LensSetting[] = [];
  const table: (string | number)[][] = [];
  for (const lensId of used) {
    const lens = find('lens', lensId);
    if (!lens) continue;
    const mine = plates.filter((p) => p.plate.lensId === lensId);
    const good = mine.filter((p) => p.report.distortion && p.report.status === 'usable');
    const first = takes.find((t) => find('package', t.body.packageId)?.body.lensId === lensId)!;
    if (good.length === 0) missing.push({ code: `plate ${lensId}`, until: 'kit', takeId: first.id, take: labelOf(first), what: `a grid plate of ${lens.body.name}` });
    for (const { id, plate, report, row } of mine) {
      const old = stale.get(row.id);
      const before = old ? beforeWords(old, day) : '';
      if (old) missing.push({ code: `stale plate ${id}`, until: 'desk', takeId: first.id, take: labelOf(first), what: `a measure of the plate ${plate.picture.name} as it is recorded: ${before}` });
      const pack = find('package', plate.packageId);
      const m = pack ? mountPackage(pack.body, find) : null;
      const usable = good.some((g) => g.report === report) && m !== null && !('missing' in m);
      table.push([
        ...[lens.body.name, lens.body.serial, plate.picture.name, plate.shotAt, plate.focalMm, focusCell(plate.focusM), m && !('missing' in m) ? `${m.body.name}, ${m.mode.name}` : ''],
        ...[m && !('missing' in m) ? (m.adapter?.name ?? '') : '', usable ? 'used' : 'not used', report.reason ?? '', report.rmsPx === null ? '' : tidy(report.rmsPx)],
        ...[report.plates.reduce((sum, p) => sum + (p.corners ?? 0), 0), wordsOf(report.warnings).join(' '), before],
      ]);
      if (!usable) continue;
      const setup = opticsOf(m, plate.focalMm);
      const setting: LensSetting = {
        lens: lens.body.name,
        serial: lens.body.serial,
        body: `${m.body.name}, ${m.mode.name}`,
        focalMm: plate.focalMm,
        focusM: plate.focusM,
        pupilMm: lens.body.pupilMm ?? null,
        report,
        setup,
      };
      settings.push(setting);
      const path = `lenses/${slug(lens.body.name)}-${plate.focalMm}mm-${slug(plate.picture.name)}`;
      files.push(
        {
          path: `${path}.distortion.json`,
          what: 'distortion of a grid plate, with its formula and one place worked out',
          readWith: 'JSON',
          make: async () => writeDistortionJson(lens.body.name, report, setup),
        },
        { path: `${path}.lens.json`, what: 'camera and lens at a grid plate', readWith: 'SMPTE open tracking metadata schema (JSON)', make: async () => writeLensMetadata(setting)! },
      );
    }
  }
  const header = ['lens', 'serial', 'plate', 'shot_at', 'focal_mm', 'focus_m', 'body', 'adapter', 'use', 'reason', 'rms_px', 'corners', 'warnings', 'before'];
  if (table.length > 0) files.push({ path: 'lenses/plates.csv', what: 'every grid plate of these lenses, and whether it is used', readWith: 'CSV', make: async () => writeCsv([header, ...table]) });
  if (settings.length > 0) files.push({ path: 'lenses/distortion.csv', what: 'distortion of all plates that are used, a row each', readWith: 'CSV', make: async () => writeDistortionCsv(settings) });
  return { files, missing };
}
