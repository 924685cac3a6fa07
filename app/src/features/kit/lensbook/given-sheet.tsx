import { formatFocus, gridFrame, pictureGeometry, type GivenCoefficients } from '@mesure/core';
import { mountPackage, opticsOf, type GivenLens, type PackageBody, type PlateBody, type StoredRecord } from '@mesure/contract';
import { readCoefficients, writeCoefficients } from '@mesure/formats/lens';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, onto, useAnalysesState, useFind, usePicturesState, useRecordsState } from '../../../data';
import { CameBack, useKeptEntry } from '../../../forms';
import { Action, Sheet } from '../../../ui/controls';
import { enteredLength } from '../../../ui/length-line';
import { focal, readNumber } from '../../../ui/format';
import { pickFiles } from '../../../ui/pick-file';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { useLengthUnit } from '../../floor/use-floor';
import type { LensColumn } from '@mesure/formats/table-kinds';
import type { ChosenTable } from '../../../ui/columns-sheet';
import { GivenTable, isLensTable, lookAtLensTable } from './given-table';
import { SettingFields } from './setting-fields';
import { GivenFields, givenOf, textOfGiven, USUAL_GIVEN, type GivenText } from './given-fields';

const FILES = '.exr,.tif,.tiff,.json,.csv,.tsv,.txt,.xlsx,image/tiff,application/json,text/csv';

interface Entry extends GivenText {
  focalText: string;
  focusText: string;
}

/** What is brought: a file that was chosen, or numbers that are typed. */
interface Brought {
  name: string;
  bytes: ArrayBuffer | null;
  assumed: string[];
}

/**
 * Distortion that somebody else made: an ST map, or coefficients from a file or typed. How it counts is said here; what speaks against it is said
 * once it was read. The same sheet changes what was said of one that is there.
 */
export function GivenSheet({ pack, plate, last, onClose }: { pack: StoredRecord<'package'>; plate?: StoredRecord<'plate'>; last?: PlateBody; onClose: () => void }) {
  const p = usePalette();
  const unit = useLengthUnit();
  const find = useFind();
  const add = usePicturesState((s) => s.add);
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const start = useAnalysesState((s) => s.start);
  const [base] = useState(plate?.body);
  const usual: Entry = {
    ...(base?.given ? textOfGiven(base.given) : USUAL_GIVEN),
    focalText: focal(base?.focalMm ?? last?.focalMm ?? pack.body.focalMm),
    focusText: base?.focusM ? formatFocus(base.focusM, unit) : '',
  };
  const kept = useKeptEntry<Entry>(`given lens ${plate?.id ?? pack.id}`, usual);
  const { entry } = kept;
  const [brought, setBrought] = useState<Brought | null>(plate ? { name: plate.body.picture.name, bytes: null, assumed: [] } : null);
  const [table, setTable] = useState<ChosenTable<LensColumn> | null>(null);
  const [errors, setErrors] = useState<Record<string, string>>({});
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const mounted = mountPackage(pack.body, find);
  const focalMm = readNumber(entry.focalText);
  const optics = 'missing' in mounted || !focalMm ? null : opticsOf(mounted, focalMm);
  const frame = optics ? { ...gridFrame(optics), effectiveFocalMm: pictureGeometry(optics).effectiveFocalMm } : null;

  async function choose() {
    const [file] = await pickFiles(FILES, false);
    if (!file) return;
    setFault(null);
    if (isLensTable(file.name)) {
      await lookAtLensTable(file).then(setTable, (e: Error) => setFault(`${e.message}. Nothing was added.`));
      return;
    }
    const bytes = await file.arrayBuffer();
    if (!/\.json$/i.test(file.name)) {
      kept.set({ what: 'map' });
      setBrought({ name: file.name, bytes, assumed: [] });
      return;
    }
    try {
      const read = readCoefficients(new TextDecoder().decode(bytes), file.name);
      const size = 'missing' in mounted ? null : mounted.mode;
      if (read.picture && size && Math.abs((read.picture.widthPx * size.heightPx) / (read.picture.heightPx * size.widthPx) - 1) > 0.005)
        throw new Error(
          `${file.name} is of a picture of ${read.picture.widthPx} × ${read.picture.heightPx}, this package records ${size.widthPx} × ${size.heightPx}: another mode, or another camera.`,
        );
      // a centre in pixels of a picture of another size
      const scale = read.picture && size ? size.widthPx / read.picture.widthPx : 1;
      const { coefficients: c } = read;
      kept.set({
        ...textOfGiven({ what: 'coefficients', ...c, center: [c.center[0] * scale, c.center[1] * scale] }),
        ...(read.focalMm ? { focalText: focal(read.focalMm) } : {}),
        ...(read.focusM ? { focusText: formatFocus(read.focusM, unit) } : {}),
      });
      setBrought({ name: file.name, bytes, assumed: read.assumed });
    } catch (e) {
      setFault(e instanceof Error ? e.message : String(e));
    }
  }
  const type = () => {
    kept.set({ what: 'coefficients' });
    setBrought({ name: 'typed coefficients.json', bytes: null, assumed: [] });
  };

  async function keep() {
    const found: Record<string, string> = {};
    if (focalMm === null || focalMm < 1) found.focalText = 'Enter a focal length in mm, such as 32';
    const focus = entry.focusText.trim() === '' ? null : enteredLength(entry.focusText, unit, 'focus distance');
    if (focus?.error) found.focusText = focus.error;
    const read = givenOf(entry);
    Object.assign(found, read.errors);
    setErrors(found);
    if (Object.keys(found).length > 0 || !read.given) return;
    const setting = { focalMm: focalMm!, focusM: focus?.length?.valueM ?? null, given: read.given };
    setBusy(true);
    try {
      if (plate && base) {
        await write('plate', plate.id, onto('plate', base, { ...base, ...setting }), `${base.picture.name}: entries kept`);
        kept.done();
        onClose();
        await send();
        await start('grid', plate.id);
        return;
      }
      const id = newId();
      const body: Omit<PlateBody, 'picture'> = { lensId: (pack.body as PackageBody).lensId, packageId: pack.id, ...setting, cellM: null, shotAt: new Date().toISOString() };
      const bytes = brought!.bytes ?? (new TextEncoder().encode(writeCoefficients(read.given as GivenCoefficients & GivenLens)).buffer as ArrayBuffer);
      await add({ id, kind: 'plate', name: brought!.name, atS: null, body, addedAt: new Date().toISOString() }, bytes);
      kept.done();
      onClose();
    } catch (e) {
      setBusy(false);
      setFault(`It was not kept on this device (${e instanceof Error ? e.message : e}). Nothing was added.`);
    }
  }

  if (table) return <GivenTable pack={pack} chosen={table} onColumns={(columns) => setTable({ ...table, columns })} onClose={onClose} />;
  return (
    <Sheet title={plate ? 'How it is read' : 'Distortion made elsewhere'} open onClose={onClose}>
      {kept.cameBack && brought ? <CameBack /> : null}
      {brought ? (
        <>
          <Words numberOfLines={2}>{brought.name}</Words>
          {brought.assumed.map((a) => (
            <Words key={a} look="small" dim>{`Taken ${a}.`}</Words>
          ))}
          <SettingFields
            focal={{ value: entry.focalText, onChange: (focalText) => kept.set({ focalText }), error: errors.focalText, testID: 'given-focal' }}
            focus={{ value: entry.focusText, onChange: (focusText) => kept.set({ focusText }), error: errors.focusText, testID: 'given-focus' }}
          />
          <GivenFields entry={entry} errors={errors} frame={frame} onChange={kept.set} />
          {'missing' in mounted ? <Words look="small" color={p.against}>{`▲ The package lacks its ${mounted.missing}; complete it first.`}</Words> : null}
        </>
      ) : (
        <View style={{ gap: SPACE.s, alignItems: 'flex-start', paddingBottom: SPACE.m }}>
          <Words>
            An ST map (OpenEXR or TIFF), or coefficients: from camera and lens metadata (JSON), from a table with a row for each setting (CSV, XLSX), or typed. Each setting becomes a plate of this
            lens, and is fitted as one.
          </Words>
          <Action title="Choose a file" icon="upload-file" onPress={() => void choose()} testID="given-choose" />
          <Action title="Type coefficients" icon="keyboard" onPress={type} testID="given-type" />
        </View>
      )}
      {fault ? <Words role="alert" color={p.against}>{`▲ ${fault}`}</Words> : null}
      {brought ? <Action kind="main" title={plate ? 'Keep and read it again' : 'Bring it in'} busy={busy} disabled={'missing' in mounted} onPress={() => void keep()} testID="given-keep" /> : null}
    </Sheet>
  );
}
