import { mountPackage, opticsOf, type StoredRecord } from '@mesure/contract';
import { computeOptics, CoreError, depthOfField } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useMounted, useFind } from '../../data';
import { Action, Choice, useIsWide } from '../../ui/controls';
import { fixed, focal } from '../../ui/format';
import { pdfFonts } from '../../ui/pdf-fonts';
import { saveFile } from '../../ui/save-file';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { sheetWriters } from '../../printing';

interface LensRow {
  id: string;
  lens: string;
  marked: string;
  effective: string;
  across: string;
  down: string;
  like: string;
  hyperfocal: string;
  plates: string;
}
const COLUMNS: { key: keyof LensRow; title: string; wide?: boolean }[] = [
  { key: 'lens', title: 'lens' },
  { key: 'marked', title: 'mm' },
  { key: 'effective', title: 'effective' },
  { key: 'across', title: '° wide' },
  { key: 'down', title: '° high', wide: true },
  { key: 'like', title: 'as on 36 × 24', wide: true },
  { key: 'hyperfocal', title: 'hyperfocal f/4', wide: true },
  { key: 'plates', title: 'plates' },
];
const HYPERFOCAL_STOP = 4;

/** The whole lens set as one package's body, mode and adapter see it. */
export function LensSetScreen() {
  const router = useRouter();
  const packages = useMounted();
  return (
    <RecordsGate what="the lens set">
      {packages.length > 0 ? (
        <LensSet packages={packages} />
      ) : (
        <Page>
          <Empty title="No package yet" text="The table shows each lens on a package's body and mode; mount one first." action={{ title: 'Go to Kit', onPress: () => router.push('/kit') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

function LensSet({ packages }: { packages: StoredRecord<'package'>[] }) {
  const p = usePalette();
  const wide = useIsWide();
  const router = useRouter();
  const find = useFind();
  const lenses = [...useAll('lens')].sort((a, b) => a.body.minFocalMm - b.body.minFocalMm || (a.body.name < b.body.name ? -1 : 1));
  const plates = useAll('plate');
  const [packageId, setPackageId] = useState(packages[0].id);
  const [problem, setProblem] = useState<string | null>(null);
  const pack = packages.find((q) => q.id === packageId) ?? packages[0];
  const mounted = mountPackage(pack.body, find);
  const title = 'missing' in mounted ? '' : `${mounted.body.name}, ${mounted.mode.name}, ${mounted.adapter?.name ?? 'no adapter'}`;
  const rows: LensRow[] = lenses.flatMap((l) => {
    const with_ = mountPackage({ ...pack.body, lensId: l.id }, find);
    if ('missing' in with_) return [];
    const ends = l.body.minFocalMm === l.body.maxFocalMm ? [l.body.minFocalMm] : [l.body.minFocalMm, l.body.maxFocalMm];
    return ends.flatMap((mm): LensRow[] => {
      try {
        const o = computeOptics(opticsOf(with_, mm));
        const depth = depthOfField({ focalMm: o.effectiveFocalMm, stop: HYPERFOCAL_STOP, focusM: 10, cocMm: o.pitchYUm / 1000 });
        const mine = plates.filter((q) => q.body.lensId === l.id && Math.abs(q.body.focalMm / mm - 1) < 0.03).length;
        return [
          {
            id: `${l.id} ${mm}`,
            lens: l.body.name,
            marked: focal(mm),
            effective: fixed(o.effectiveFocalMm, 1),
            across: fixed(o.fovHorizontalDeg, 1),
            down: fixed(o.fovVerticalDeg, 1),
            like: `${fixed(o.effectiveFocalMm * o.cropFactor, 0)} mm`,
            hyperfocal: `${fixed(depth.hyperfocalM, 1)} m`,
            plates: String(mine),
          },
        ];
      } catch (e) {
        if (e instanceof CoreError) return [];
        throw e;
      }
    });
  });
  const shown = COLUMNS.filter((c) => wide || !c.wide);
  async function print() {
    setProblem(null);
    try {
      const { writeTablePdf } = await sheetWriters();
      const bytes = await writeTablePdf(
        {
          title: `Lens set on ${pack.body.camera}-cam`,
          subtitle: title,
          columns: COLUMNS.map((c, i) => ({ title: c.title, align: i === 0 ? 'left' : 'right', share: i === 0 ? 3 : 1.2 })),
          rows: rows.map((r) => COLUMNS.map((c) => r[c.key])),
        },
        await pdfFonts(),
      );
      saveFile(`lens_set_${pack.body.camera}-cam.pdf`, bytes, 'application/pdf');
    } catch (e) {
      setProblem(`The table was not written: ${e instanceof Error ? e.message : e}`);
    }
  }
  return (
    <Page action={<Action kind="main" title="Save the table as PDF" icon="print" onPress={() => void print()} disabled={rows.length === 0} testID="print-table" />}>
      <Words look="title" level={1}>
        Lens set
      </Words>
      <Choice label="On" value={pack.id} options={packages.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))} onChange={setPackageId} />
      <Words dim>{title}</Words>
      {lenses.length === 0 ? <Empty title="No lenses yet" text="Add the lenses of the production in Kit." action={{ title: 'Go to Kit', onPress: () => router.push('/kit') }} /> : null}
      <View role="table" aria-label={`Lens set on ${pack.body.camera}-cam`} style={{ marginTop: SPACE.m }}>
        <View role="row" style={{ flexDirection: 'row', borderBottomWidth: 2, borderColor: p.line, paddingBottom: SPACE.xs }}>
          {shown.map((c, i) => (
            <Words key={c.key} role="columnheader" look="label" dim style={{ flex: i === 0 ? 2.4 : 1, textAlign: i === 0 ? 'left' : 'right' }}>
              {c.title}
            </Words>
          ))}
        </View>
        {rows.map((r) => (
          <View key={r.id} role="row" testID={`set-${r.lens}-${r.marked}`} style={{ flexDirection: 'row', alignItems: 'center', borderBottomWidth: 1, borderColor: p.line, minHeight: 40 }}>
            {shown.map((c, i) => (
              <Words key={c.key} role="cell" look={i === 0 ? 'small' : 'figure'} style={{ flex: i === 0 ? 2.4 : 1, textAlign: i === 0 ? 'left' : 'right' }}>
                {r[c.key]}
              </Words>
            ))}
          </View>
        ))}
      </View>
      <Words look="small" dim style={{ marginTop: SPACE.s }}>
        Effective focal length in mm, after the adapter. Zooms stand with both ends.
      </Words>
      {problem ? <Words role="alert">{`▲ ${problem}`}</Words> : null}
      <View style={{ marginTop: SPACE.m, alignItems: 'flex-start' }}>
        <Action title="Back to the kit" icon="arrow-back" onPress={() => router.push('/kit')} />
      </View>
    </Page>
  );
}
