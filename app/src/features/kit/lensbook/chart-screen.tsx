import { opticsOf, type MountedPackage, type StoredRecord } from '@mesure/contract';
import { CHARTS, chartSheets, CoreError, PAPERS, planChart, type ChartKind, type ChartPlan, type Paper } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { G, Path, Rect } from 'react-native-svg';
import { useKeptEntry } from '../../../forms';
import { EXPLANATIONS } from '../../explanations';
import { Action, Choice } from '../../../ui/controls';
import { enteredLength, LengthLine } from '../../../ui/length-line';
import { useLengthUnit } from '../../floor/use-floor';
import { Drawing } from '../../../ui/drawing';
import { fixed, focal } from '../../../ui/format';
import { saveFile } from '../../../ui/save-file';
import { Failing } from '../../../ui/states';
import { Fact } from '../../../ui/fact';
import { Figure, Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { PackageGate } from '../package-gate';
import { ChartChoice } from './chart-choice';
import { sheetWriters } from '../../../printing';

/** Which chart fills the frame of a package, and the chart itself to print. */
export function ChartScreen({ packageId }: { packageId: string }) {
  return (
    <PackageGate packageId={packageId} what="the chart maker">
      {(record, mounted) => <ChartMaker key={record.id} record={record} mounted={mounted} />}
    </PackageGate>
  );
}

function ChartMaker({ record, mounted }: { record: StoredRecord<'package'>; mounted: MountedPackage }) {
  const router = useRouter();
  const kept = useKeptEntry<{ paper: Paper; chart: ChartKind; distanceText: string; cellText: string }>(`chart ${record.id}`, { paper: 'A2', chart: 'chequer', distanceText: '', cellText: '' });
  const { paper, chart, distanceText, cellText } = kept.entry;
  const unit = useLengthUnit();
  const [problem, setProblem] = useState<string | null>(null);
  const distance = distanceText.trim() === '' ? null : enteredLength(distanceText, unit, 'distance');
  const cell = cellText.trim() === '' ? null : enteredLength(cellText, 'mm', 'cell of a chart');
  let plan: ChartPlan | null = null;
  let wrong: { field: string | undefined; message: string } | null = null;
  if (!distance?.error && !cell?.error) {
    try {
      plan = planChart(opticsOf(mounted, record.body.focalMm), {
        paper,
        distanceM: distance?.length?.valueM ?? null,
        cellMm: cell?.length ? cell.length.valueM * 1000 : null,
        closeFocusM: mounted.lens.closeFocusM ?? null,
      });
    } catch (e) {
      wrong = { field: e instanceof CoreError ? e.field : undefined, message: e instanceof Error ? e.message : String(e) };
    }
  }
  async function save(kind: 'pdf' | 'svg') {
    if (!plan) return;
    setProblem(null);
    try {
      const { writeChartPdf, writeChartSvg } = await sheetWriters();
      const sheets = chartSheets(plan, paper, chart);
      const name = `chart_${chart}_${plan.cellMm}mm_${paper.replace(/ /g, '')}`;
      if (kind === 'pdf') saveFile(`${name}.pdf`, await writeChartPdf(sheets), 'application/pdf');
      else sheets.forEach((s, i) => saveFile(`${name}${sheets.length > 1 ? `_${i + 1}` : ''}.svg`, writeChartSvg(s), 'image/svg+xml'));
    } catch (e) {
      setProblem(`The chart was not written: ${e instanceof Error ? e.message : e}`);
    }
  }
  return (
    <Page
      action={
        plan ? (
          <View style={{ flexDirection: 'row', gap: SPACE.m }}>
            <View style={{ flex: 1 }}>
              <Action
                kind="main"
                title={`Save the chart, ${plan.sheetsAcross * plan.sheetsDown} page${plan.sheetsAcross * plan.sheetsDown === 1 ? '' : 's'} PDF`}
                onPress={() => void save('pdf')}
                testID="save-pdf"
              />
            </View>
            <Action title="SVG" onPress={() => void save('svg')} testID="save-svg" />
          </View>
        ) : undefined
      }
    >
      <Words look="title" level={1}>{`Chart for ${record.body.camera}-cam`}</Words>
      <Words dim>{`${mounted.lens.name} at ${focal(record.body.focalMm)} mm, ${mounted.mode.name}`}</Words>
      {plan ? (
        <>
          <View testID="chart-distance" style={{ marginTop: SPACE.s }}>
            <Figure look="big" origin={distance ? 'typed' : 'computed'} value={fixed(plan.distanceM, 2)} unit="m to the chart" />
          </View>
          <Words testID="chart-sentence">{`There the frame is ${fixed(plan.fieldWidthMm / 1000, 2)} × ${fixed(plan.fieldHeightMm / 1000, 2)} m; ${plan.sheetsAcross * plan.sheetsDown === 1 ? `one ${paper}` : `${plan.sheetsAcross} × ${plan.sheetsDown} of ${paper}`} with cells of ${plan.cellMm} mm fills it. A cell is ${fixed(plan.cellPx, 0)} px.`}</Words>
          {plan.remarks.map((r) => (
            <Words key={r} look="small">{`▲ ${r}`}</Words>
          ))}
          <ChartDrawing plan={plan} chart={chart} />
        </>
      ) : wrong ? (
        <Failing title="No such chart" text={wrong.message} />
      ) : null}
      <Choice<Paper> label="Paper at hand" value={paper} options={(Object.keys(PAPERS) as Paper[]).map((k) => ({ value: k, title: k }))} onChange={(v) => kept.set({ paper: v })} />
      <ChartChoice value={chart} onChange={(v) => kept.set({ chart: v })} />
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <LengthLine
            label="Camera stands at"
            unit={unit}
            quantity="distance"
            value={distanceText}
            onChangeText={(v) => kept.set({ distanceText: v })}
            error={distance?.error ?? (wrong?.field === 'distanceM' ? wrong.message : null)}
            hint="empty: one sheet decides"
            testID="maker-distance"
          />
        </View>
        <View style={{ flex: 1 }}>
          <LengthLine
            label="Size of a cell"
            unit="mm"
            quantity="cell of a chart"
            value={cellText}
            onChangeText={(v) => kept.set({ cellText: v })}
            error={cell?.error ?? (wrong?.field === 'cellMm' ? wrong.message : null)}
            hint="empty: chosen"
            testID="maker-cell"
          />
        </View>
      </View>
      {plan ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }}>
          <Fact about={EXPLANATIONS.chartSize} label="Whole chart" value={`${fixed(plan.chartWidthMm / 1000, 2)} × ${fixed(plan.chartHeightMm / 1000, 2)}`} unit="m" />
          <Fact about={EXPLANATIONS.chartSize} label="Cells" value={`${plan.cellsAcross * plan.sheetsAcross} × ${plan.cellsDown * plan.sheetsDown}`} />
        </View>
      ) : null}
      <Words look="small" dim style={{ marginTop: SPACE.s }}>
        Print at 100 %, not fitted to the page; the ruler on each sheet must measure 100 mm. Mount it flat: a bent chart bends the lens.
      </Words>
      {problem ? <Words role="alert">{`▲ ${problem}`}</Words> : null}
      <View style={{ marginTop: SPACE.m, alignItems: 'flex-start' }}>
        <Action title="Back to the package" icon="arrow-back" onPress={() => router.push(`/kit/${record.id}`)} />
      </View>
    </Page>
  );
}

/** The chart with the frame that it has to fill. */
function ChartDrawing({ plan, chart }: { plan: ChartPlan; chart: ChartKind }) {
  const p = usePalette();
  const { chartWidthMm: w, chartHeightMm: h, cellMm: c, fieldWidthMm: fw, fieldHeightMm: fh } = plan;
  const [across, down] = [Math.round(w / c), Math.round(h / c)];
  const { dark, lines } = CHARTS[chart];
  const cells = dark(across, down, 0).map((d) => `M${d.x * c} ${d.y * c}h${d.width * c}v${d.height * c}h${-d.width * c}z`);
  return (
    <Drawing
      box={{ x: -0.03 * w, y: -0.03 * h, width: 1.06 * w, height: 1.06 * h }}
      maxHeight={260}
      describe={`The chart, ${across} × ${down} cells, with the frame of the camera (dashed) and the borders of the sheets.`}
    >
      {(px) => (
        <G>
          <Rect x={0} y={0} width={w} height={h} fill="#f8f5ee" />
          <Path d={cells.join('')} fill="#3a3d42" {...(lines ? { stroke: '#3a3d42', strokeWidth: px(0.3) } : {})} />
          {Array.from({ length: plan.sheetsAcross * plan.sheetsDown }, (_, i) => (
            <Rect
              key={i}
              x={((i % plan.sheetsAcross) * w) / plan.sheetsAcross}
              y={(Math.floor(i / plan.sheetsAcross) * h) / plan.sheetsDown}
              width={w / plan.sheetsAcross}
              height={h / plan.sheetsDown}
              fill="none"
              stroke={p.blue}
              strokeWidth={px(1.5)}
            />
          ))}
          <Rect x={(w - fw) / 2} y={(h - fh) / 2} width={fw} height={fh} fill="none" stroke={p.tape} strokeWidth={px(3)} strokeDasharray={`${px(9)} ${px(6)}`} />
        </G>
      )}
    </Drawing>
  );
}
