import { mountPackage, USUAL_TOLERANCE, type PlateBody, type StoredRecord } from '@mesure/contract';
import type { ChartKind, QuickLook } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { newId, useFind, usePicturesState } from '../../../data';
import { Action, Field, IconAction, Sheet } from '../../../ui/controls';
import { enteredLength, LengthLine } from '../../../ui/length-line';
import { useLengthUnit } from '../../floor/use-floor';
import { fixed, focal, readNumber } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { inWorker } from '../../../workers';
import { ChartChoice } from './chart-choice';
import { openPicture, type OpenedPicture } from '../../pictures/picture-on-device';
import { isClipName, notesWords, remarksOf } from './picture-words';

/** A picture that was chosen and is not added yet. */
interface Chosen {
  id: string;
  file: File;
  opened: OpenedPicture | null;
  look: QuickLook | null;
  focalText: string;
  focusText: string;
  atText: string;
}

type Problems = Record<string, { focal?: string; focus?: string; at?: string }>;

/** Several grid plates at once: what each file says of itself fills its line; a look in passing says whether it is worth keeping. */
export function NewPlates({
  files,
  record,
  last,
  preset,
  onClose,
}: {
  files: File[];
  record: StoredRecord<'package'>;
  last: PlateBody | undefined;
  /** what was asked for: it goes before what the file says, and a contradiction is shown */
  preset?: { focalMm: number; focusM: number | null };
  onClose: () => void;
}) {
  const p = usePalette();
  const find = useFind();
  const unit = useLengthUnit();
  const add = usePicturesState((s) => s.add);
  const [chosen, setChosen] = useState<Chosen[]>(() =>
    files.map((file) => ({ id: newId(), file, opened: null, look: null, focalText: focal(preset?.focalMm ?? record.body.focalMm), focusText: preset?.focusM ? `${preset.focusM} m` : '', atText: '' })),
  );
  const [cellText, setCellText] = useState(last ? `${Number((last.cellM * 1000).toFixed(3))} mm` : '40 mm');
  const [distanceText, setDistanceText] = useState('');
  const [chart, setChart] = useState<ChartKind>(last?.chart ?? 'chequer');
  const [problems, setProblems] = useState<Problems>({});
  const [shared, setShared] = useState<{ cell?: string; distance?: string; kept?: string }>({});
  const [busy, setBusy] = useState(false);
  const mounted = mountPackage(record.body, find);
  const change = (id: string, now: Partial<Chosen>) => setChosen((all) => all.map((c) => (c.id === id ? { ...c, ...now } : c)));

  useEffect(() => {
    let gone = false;
    void (async () => {
      // one after the other: a phone has room for one picture at full size
      for (const c of chosen) {
        if (gone || c.opened || isClipName(c.file.name)) continue;
        const opened = await openPicture(c.file);
        const { focalMm, focusM } = opened.notes ?? {};
        change(c.id, {
          opened: { ...opened, image: null },
          ...(focalMm && !preset ? { focalText: focal(Number(focalMm.toFixed(1))) } : {}),
          ...(focusM && !preset?.focusM ? { focusText: `${fixed(focusM, 2)} m` } : {}),
        });
        if (opened.image) {
          const look = await inWorker({ kind: 'quick look', image: opened.image, chart }).catch(() => null);
          if (!gone && look) change(c.id, { look });
        }
      }
    })();
    return () => {
      gone = true;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, for the files that were chosen
  }, []);

  async function keep() {
    const found: Problems = {};
    const wrong: typeof shared = {};
    const cell = enteredLength(cellText, 'mm', 'cell of a chart');
    if (cell.error !== null) wrong.cell = cell.error;
    const distance = distanceText.trim() === '' ? null : enteredLength(distanceText, unit, 'distance');
    if (distance?.error) wrong.distance = distance.error;
    const bodies = chosen.map((c) => {
      const focalMm = readNumber(c.focalText);
      const focus = c.focusText.trim() === '' ? null : enteredLength(c.focusText, unit, 'focus distance');
      const atS = c.atText.trim() === '' ? null : readNumber(c.atText);
      const mine: Problems[string] = {};
      if (focalMm === null || focalMm < 1) mine.focal = 'Enter a focal length in mm, such as 32';
      if (focus?.error) mine.focus = focus.error;
      if (c.atText.trim() !== '' && atS === null) mine.at = 'Enter seconds from the clip’s start, such as 1.5';
      if (Object.keys(mine).length > 0) found[c.id] = mine;
      return { focalMm: focalMm ?? 0, focusM: focus?.length?.valueM ?? null, atS };
    });
    setProblems(found);
    setShared(wrong);
    if (Object.keys(found).length + Object.keys(wrong).length > 0) return;
    setBusy(true);
    try {
      for (const [i, c] of chosen.entries()) {
        const { focalMm, focusM, atS } = bodies[i];
        const body: Omit<PlateBody, 'picture'> = {
          lensId: record.body.lensId,
          packageId: record.id,
          focalMm,
          focusM,
          cellM: cell.length!.valueM,
          chart,
          shotAt: c.opened?.notes?.shotAt ?? new Date(c.file.lastModified || Date.now()).toISOString(),
          notes: c.opened?.notes ?? null,
          chartDistance: distance?.length ? { typed: distance.length.typed, unit: distance.length.unit, valueM: distance.length.valueM, toleranceM: USUAL_TOLERANCE.distanceM } : null,
        };
        await add({ id: c.id, kind: 'plate', name: c.file.name, atS, body, addedAt: new Date().toISOString() }, await c.file.arrayBuffer());
      }
      onClose();
    } catch (e) {
      setBusy(false);
      setShared({ kept: `The pictures were not kept on this device (${e instanceof Error ? e.message : e}). Nothing was added; choose fewer at once, or make room.` });
    }
  }

  const count = chosen.length;
  return (
    <Sheet title={count === 1 ? 'New grid plate' : `${count} new grid plates`} open onClose={onClose}>
      <ChartChoice value={chart} onChange={setChart} />
      <LengthLine label="Size of a cell" unit="mm" quantity="cell of a chart" value={cellText} onChangeText={setCellText} error={shared.cell} hint="such as 40, or 1 1/2 in" testID="plate-cell" />
      <LengthLine
        label="Chart to sensor mark"
        unit={unit}
        quantity="distance"
        value={distanceText}
        onChangeText={setDistanceText}
        error={shared.distance}
        hint="when measured, it tells the true focal length. Leave empty otherwise"
        testID="chart-distance"
      />
      {chosen.map((c) => {
        const remarks =
          'missing' in mounted
            ? []
            : remarksOf(c.opened?.notes, mounted, { focalMm: readNumber(c.focalText) ?? record.body.focalMm, focusM: enteredLength(c.focusText, unit, 'focus distance').length?.valueM ?? null });
        return (
          <View key={c.id} style={{ borderTopWidth: 1, borderColor: p.line, paddingTop: SPACE.s, marginTop: SPACE.s }}>
            <View style={{ flexDirection: 'row', alignItems: 'center' }}>
              <View style={{ flex: 1 }}>
                <Words numberOfLines={1}>{c.file.name}</Words>
                <Words look="small" dim numberOfLines={2}>
                  {[`${(c.file.size / 1e6).toFixed(1)} MB`, c.opened?.notes ? notesWords(c.opened.notes) : null].filter(Boolean).join(' · ')}
                </Words>
              </View>
              {count > 1 ? <IconAction icon="close" label={`Leave out ${c.file.name}`} onPress={() => setChosen((all) => all.filter((q) => q.id !== c.id))} /> : null}
            </View>
            <Words look="small" testID={`look-${c.file.name}`} color={c.look && c.look.worth !== 'keep' ? p.against : undefined}>
              {isClipName(c.file.name)
                ? 'A clip: one frame of it is sent and kept.'
                : c.look
                  ? `${LOOK_SIGN[c.look.worth]} ${c.look.sentence}`
                  : c.opened
                    ? 'Not looked at on this device; the server measures it.'
                    : 'Looking at it …'}
            </Words>
            {remarks.map((r) => (
              <Words key={r.message} look="small" color={p.against}>{`▲ ${r.message}`}</Words>
            ))}
            <View style={{ flexDirection: 'row', gap: SPACE.m, marginTop: SPACE.xs }}>
              <View style={{ flex: 1 }}>
                <Field
                  label="Focal length as marked"
                  suffix="mm"
                  value={c.focalText}
                  onChangeText={(focalText) => change(c.id, { focalText })}
                  error={problems[c.id]?.focal}
                  keyboard="decimal-pad"
                  testID={`focal-${c.file.name}`}
                />
              </View>
              <View style={{ flex: 1 }}>
                <LengthLine
                  label="Focus distance"
                  unit={unit}
                  quantity="focus distance"
                  value={c.focusText}
                  onChangeText={(focusText) => change(c.id, { focusText })}
                  error={problems[c.id]?.focus}
                  testID={`focus-${c.file.name}`}
                />
              </View>
            </View>
            {isClipName(c.file.name) ? (
              <Field
                label="Time of the frame"
                suffix="s"
                value={c.atText}
                onChangeText={(atText) => change(c.id, { atText })}
                error={problems[c.id]?.at}
                hint="From the clip's start; leave empty for its middle"
                keyboard="decimal-pad"
              />
            ) : null}
          </View>
        );
      })}
      {shared.kept ? <Words role="alert" color={p.against}>{`▲ ${shared.kept}`}</Words> : null}
      <View style={{ height: SPACE.m }} />
      <Action
        kind="main"
        title={busy ? 'Keeping the pictures …' : count === 1 ? 'Measure this plate' : `Measure ${count} plates`}
        disabled={count === 0}
        onPress={() => void keep()}
        busy={busy}
        testID="measure-plate"
      />
      <Words look="small" dim style={{ marginTop: SPACE.xs }}>
        Kept on this device first; they go when there is a network, and go on where they were cut off.
      </Words>
    </Sheet>
  );
}

/** A tape over a few metres, held by one person. */
const LOOK_SIGN: Record<QuickLook['worth'], string> = { keep: '●', doubtful: '◐', again: '▲' };
