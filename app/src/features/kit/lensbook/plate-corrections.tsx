import { measuredChart, opticsOf, type ChartStart, type CornerRow, type GridOutcome, type MountedPackage, type StoredRecord } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { useAnalysesState, useRecordsState } from '../../../data';
import { Action, Choice, Section } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { inWorker, useAnswer } from '../../../workers';
import { PlateDrawing } from './plate-drawing';

type Mode = 'corner' | 'row' | 'column' | 'start';
const MODES: { value: Mode; title: string; detail: string }[] = [
  { value: 'corner', title: 'one corner', detail: 'touch it' },
  { value: 'row', title: 'a row', detail: 'touch one of it' },
  { value: 'column', title: 'a column', detail: 'touch one of it' },
  { value: 'start', title: 'search from here', detail: 'a corner, then its right-hand neighbour' },
];

type Place = { x: number; y: number };
const near = (a: Place, b: Place, within: number) => Math.hypot(a.x - b.x, a.y - b.y) <= within;

/** Takes corners out of a found lattice, or shows the search where to begin. What a correction does to the fit is seen before it is kept. */
export function PlateCorrections({
  record,
  outcome,
  mounted,
  pictureUrl,
  size,
  onDone,
}: {
  record: StoredRecord<'plate'>;
  outcome: GridOutcome | null;
  mounted: MountedPackage;
  pictureUrl: string;
  size: { width: number; height: number };
  onDone: () => void;
}) {
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const start = useAnalysesState((s) => s.start);
  const corners = outcome?.corners ?? NONE;
  const [mode, setMode] = useState<Mode>(corners.length > 0 ? 'corner' : 'start');
  const [dropped, setDropped] = useState<Place[]>(record.body.dropped ?? []);
  const [touched, setTouched] = useState<Place[]>([]);
  /** the start that the plate is kept with; null lets the search begin by itself */
  const [kept, setKept] = useState<ChartStart | null>(record.body.start ?? null);
  /** why a touch did nothing */
  const [missed, setMissed] = useState<string | null>(null);
  const cellPx = outcome?.report.plates[0]?.cellPx ?? 40;
  const before = record.body.dropped ?? [];
  const changed = dropped.length !== before.length || dropped.some((d) => !before.includes(d));

  const asked = outcome !== null && corners.length > 0 && changed;
  const answer = useAnswer(asked ? JSON.stringify(dropped) : null, () => {
    const { rows, cols, coverage, blurPx, sharpness, zones, uncertain = 0 } = outcome!.report.plates[0];
    return inWorker({
      kind: 'refit',
      corners,
      lattice: { status: 'found', rows, cols, coverage, blurPx: blurPx ?? Number.NaN, sharpness, cellPx, zones, uncertain },
      dropped,
      setup: opticsOf(mounted, record.body.focalMm),
      file: record.body.picture.name,
      model: outcome!.report.distortion?.model ?? 'radial',
      measured: measuredChart(record.body, mounted.lens),
    });
  });
  // the last one stays while a further corner goes: the crosses say what is out
  const refit = asked ? answer.last : null;
  const problem = missed ?? answer.failed;

  function place(x: number, y: number) {
    if (mode === 'start') {
      setTouched((t) => (t.length === 1 ? [t[0], { x, y }] : [{ x, y }]));
      return;
    }
    const back = dropped.filter((d) => near(d, { x, y }, 0.5 * cellPx));
    if (back.length > 0 && mode === 'corner') {
      setDropped((all) => all.filter((d) => !back.includes(d)));
      return;
    }
    const hit = [...corners].sort((a, b) => Math.hypot(a[2] - x, a[3] - y) - Math.hypot(b[2] - x, b[3] - y))[0];
    if (!hit || !near({ x: hit[2], y: hit[3] }, { x, y }, 0.5 * cellPx)) {
      setMissed('No corner there. Touch nearer to one.');
      return;
    }
    setMissed(null);
    const out = mode === 'corner' ? [hit] : corners.filter((c) => (mode === 'row' ? c[0] === hit[0] : c[1] === hit[1]));
    setDropped((all) => [...all, ...out.map((c) => ({ x: c[2], y: c[3] })).filter((d) => !all.some((o) => near(o, d, 1)))]);
  }

  async function keep() {
    const from: ChartStart | null = mode === 'start' && touched.length === 2 ? { x: touched[0].x, y: touched[0].y, nextX: touched[1].x, nextY: touched[1].y } : kept;
    await write('plate', record.id, (now) => ({ ...now, dropped, start: from }), touched.length === 2 ? 'Start of the search touched' : 'Lattice corrected');
    await send();
    await start('grid', record.id);
    onDone();
  }

  const left = corners.filter((c) => !dropped.some((d) => near(d, { x: c[2], y: c[3] }, 1)));
  const byItself = kept === null && (record.body.start ?? null) !== null;
  const ready = mode === 'start' && touched.length === 2 ? true : byItself || (mode !== 'start' && changed && (refit?.corners.length ?? 0) > 0);
  return (
    <Section title="Correct the lattice">
      <Choice label="Take out, or start anew" value={mode} options={corners.length > 0 ? MODES : MODES.slice(3)} onChange={setMode} />
      <PlateDrawing
        corners={refit?.corners.length ? refit.corners : left}
        size={size}
        pictureUrl={pictureUrl}
        describe={
          mode === 'start'
            ? touched.length === 0
              ? 'Touch a cell corner.'
              : touched.length === 1
                ? 'Now touch the next corner to its right.'
                : 'Both corners are touched.'
            : `${left.length} corners in use, ${dropped.length} taken out (crosses). Touch a cross to take it back.`
        }
        crosses={dropped}
        rings={mode === 'start' ? touched : []}
        onPlace={place}
      />
      {refit ? (
        <Words testID="refit-sentence" style={{ marginTop: SPACE.s }}>
          {refit.report.sentence}
          <Words dim>{` Before: ${fixed(outcome?.report.rmsPx, 3)} px, now ${fixed(refit.report.rmsPx, 3)} px over ${refit.corners.length} corners.`}</Words>
        </Words>
      ) : null}
      {problem ? <Words look="small" role="alert">{`▲ ${problem}`}</Words> : null}
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.m }}>
        <Action
          kind="main"
          title={byItself && touched.length < 2 ? 'Search by itself again' : mode === 'start' ? 'Search from there' : 'Keep and measure again'}
          disabled={!ready}
          onPress={() => void keep()}
          testID="keep-correction"
        />
        <Action title="Take all back" disabled={dropped.length === 0 && touched.length === 0 && kept === null} onPress={() => (setDropped([]), setTouched([]), setKept(null))} />
        <Action title="Leave it as it was" onPress={onDone} />
      </View>
    </Section>
  );
}

const NONE: CornerRow[] = [];
