import { lensesNamed, MOST_SETTINGS, mountPackage, opticsOf, planLensTable, type LensRow, type PlateBody, type StoredRecord } from '@mesure/contract';
import { DIRECTIONS, gridFrame, LENGTH_UNITS, pictureGeometry, type GivenCoefficients, type LengthUnit } from '@mesure/core';
import { writeCoefficients } from '@mesure/formats/lens';
import { lookAtTable, mappedRows } from '@mesure/formats/mapped-table';
import { LENS_TABLE, type LensColumn } from '@mesure/formats/table-kinds';
import { useMemo, useState } from 'react';
import { newId, useAll, useFind, usePicturesState } from '../../../data';
import { readTableText } from '../../../data/read-table';
import { ColumnsSheet, lackingColumns, type ChosenTable } from '../../../ui/columns-sheet';
import { Choice, Section } from '../../../ui/controls';
import { TableLines } from '../../../ui/table-lines';
import { Words } from '../../../ui/text';
import { usePalette } from '../../../ui/theme';
import { useLengthUnit } from '../../floor/use-floor';
import { ConventionFields } from './given-fields';

export const isLensTable = (name: string): boolean => /\.(csv|tsv|txt|xlsx)$/i.test(name);

export async function lookAtLensTable(file: File): Promise<ChosenTable<LensColumn>> {
  const text = await readTableText(file);
  const table = lookAtTable(text, file.name, LENS_TABLE);
  return { name: file.name, text, table, columns: table.columns };
}

interface Props {
  pack: StoredRecord<'package'>;
  chosen: ChosenTable<LensColumn>;
  onColumns: (columns: (LensColumn | null)[]) => void;
  onClose: () => void;
}

/** Coefficients of a lens from a table: what no header says is said once for all rows, and what each row would do is shown before. */
export function GivenTable({ pack, chosen, onColumns, onClose }: Props) {
  const p = usePalette();
  const find = useFind();
  const ownUnit = useLengthUnit();
  const add = usePicturesState((s) => s.add);
  const plates = useAll('plate').filter((q) => q.body.lensId === pack.body.lensId);
  const [said, setSaid] = useState<Pick<GivenCoefficients, 'formula' | 'over' | 'direction'>>({ formula: 'polynomial', over: 'focal length', direction: DIRECTIONS[0] });
  const [focusUnit, setFocusUnit] = useState<LengthUnit>(ownUnit);
  const [lens, setLens] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [failure, setFailure] = useState<string | null>(null);
  const mounted = mountPackage(pack.body, find);
  const complete = lackingColumns(chosen, LENS_TABLE).length === 0;
  const read = useMemo((): { rows: LensRow[]; fault: string | null } => {
    if (!complete) return { rows: [], fault: null };
    try {
      const { wanted, rows } = mappedRows(chosen.text, chosen.name, chosen.table, chosen.columns, LENS_TABLE);
      if (rows.length > MOST_SETTINGS) return { rows: [], fault: `It holds ${rows.length} settings; ${MOST_SETTINGS} are brought at once. Divide it.` };
      return { rows: rows.map((r) => Object.fromEntries(wanted.map((c, i) => [c, r[i]])) as unknown as LensRow), fault: null };
    } catch (e) {
      return { rows: [], fault: `${e instanceof Error ? e.message : e}.` };
    }
  }, [complete, chosen]);
  const named = lensesNamed(read.rows);
  const asked = named.length > 1 && lens === null;
  const lines =
    'missing' in mounted || asked
      ? []
      : planLensTable({
          rows: read.rows,
          said: said.formula === 'angle' ? { ...said, over: 'focal length', direction: DIRECTIONS[0] } : said,
          focusUnit,
          lens: named.length > 1 ? lens : null,
          minFocalMm: mounted.lens.minFocalMm,
          maxFocalMm: mounted.lens.maxFocalMm,
          known: plates.map((q) => q.body),
          frameAt: (focalMm) => {
            const optics = opticsOf(mounted, focalMm);
            return { ...gridFrame(optics), effectiveFocalMm: pictureGeometry(optics).effectiveFocalMm };
          },
        });
  const count = (what: string) => lines.filter((l) => l.what === what).length;
  async function bring() {
    setBusy(true);
    try {
      for (const l of lines) {
        if (l.what !== 'new') continue;
        const addedAt = new Date().toISOString();
        const body: Omit<PlateBody, 'picture'> = { lensId: pack.body.lensId, packageId: pack.id, ...l.plate, cellM: null, shotAt: addedAt };
        const bytes = new TextEncoder().encode(writeCoefficients(l.plate.given as GivenCoefficients & typeof l.plate.given));
        const name = `${chosen.name.replace(/\.[^.]*$/, '')} ${l.label.replace(',', '').replace('∞', 'infinity')}.json`;
        await add({ id: newId(), kind: 'plate', name, atS: null, body, addedAt }, bytes.buffer as ArrayBuffer);
      }
      onClose();
    } catch (e) {
      // those before it are on their way; brought again they are the same and are passed over
      setFailure(`Not all were kept on this device (${e instanceof Error ? e.message : e}). Choose the table again: what is there already is passed over.`);
      setBusy(false);
    }
  }
  return (
    <ColumnsSheet
      chosen={chosen}
      kind={LENS_TABLE}
      intro="holds a row for each setting of the lens. Say what its columns hold, and how its numbers count."
      failure={failure}
      onColumns={onColumns}
      onClose={onClose}
      take={{
        title: count('new') === 0 ? 'Nothing to bring in' : `Bring in ${count('new')} setting${count('new') === 1 ? '' : 's'}`,
        testID: 'take-settings',
        ready: count('new') > 0,
        busy,
        onPress: () => void bring(),
      }}
    >
      {'missing' in mounted ? <Words color={p.against}>{`▲ The package lacks its ${mounted.missing}; complete it first.`}</Words> : null}
      {read.fault ? <Words role="alert" color={p.against}>{`▲ ${read.fault}`}</Words> : null}
      {named.length > 1 ? <Choice<string | null> label="It names these lenses; this one is" value={lens} options={named.map((value) => ({ value, title: value }))} onChange={setLens} /> : null}
      <ConventionFields said={said} onChange={(change) => setSaid({ ...said, ...change })} />
      {chosen.columns.includes('focus') ? (
        <Choice<LengthUnit>
          label="Focus distances that name no unit are in"
          value={focusUnit}
          options={LENGTH_UNITS.map((value) => ({ value, title: value === 'ft-in' ? 'ft in' : value }))}
          onChange={setFocusUnit}
        />
      ) : null}
      {lines.length > 0 ? (
        <Section title={`${count('new')} new, ${count('same')} here already${count('problem') > 0 ? `, ${count('problem')} cannot be read so` : ''}`}>
          <TableLines lines={lines} note={(l) => (l.what === 'problem' ? l.why : l.note)} />
        </Section>
      ) : null}
    </ColumnsSheet>
  );
}
