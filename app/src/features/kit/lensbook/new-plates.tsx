import { formatFocus } from '@mesure/core';
import { mountPackage, USUAL_TOLERANCE, type PlateBody, type StoredRecord } from '@mesure/contract';
import type { ChartKind, QuickLook } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { newId, useFind, usePicturesState } from '../../../data';
import { Action, Field, IconAction, Sheet } from '../../../ui/controls';
import { CameBack, useKeptEntry } from '../../../forms';
import { enteredLength, LengthLine } from '../../../ui/length-line';
import { useLengthUnit } from '../../floor/use-floor';
import { focal, readNumber } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { inWorker } from '../../../workers';
import { ChartChoice } from './chart-choice';
import { openPicture, type OpenedPicture } from '../../pictures/picture-on-device';
import { SettingFields } from './setting-fields';
import { isClipName, notesWords, remarksOf } from './picture-words';

/** A picture that was chosen and is not added yet. */
interface Chosen {
  id: string;
  file: File;
  opened: OpenedPicture | null;
  look: QuickLook | null;
  /** what the file says of itself */
  said?: Partial<PlateTexts>;
}

interface PlateTexts {
  focalText: string;
  focusText: string;
  atText: string;
}

/** Pictures must be chosen again after a reload; what was typed about them comes back with the same file. */
interface NewPlatesEntry {
  cellText: string;
  distanceText: string;
  chart: ChartKind;
  byFile: Record<string, Partial<PlateTexts>>;
}

/** Phones call every picture by the same name: two of them are not one. */
const sameFile = ({ name, size, lastModified }: File): string => `${name} ${size} ${lastModified}`;

/** The file's own word; else when it was last written. */
const shotAtOf = ({ file, opened }: Chosen): string => opened?.notes?.shotAt ?? new Date(file.lastModified || Date.now()).toISOString();

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
  const kept = useKeptEntry<NewPlatesEntry>(`plates:${record.id}`, {
    cellText: last?.cellM ? `${Number((last.cellM * 1000).toFixed(3))} mm` : '40 mm',
    distanceText: '',
    chart: last?.chart ?? 'chequer',
    byFile: {},
  });
  const { cellText, distanceText, chart, byFile } = kept.entry;
  const [chosen, setChosen] = useState<Chosen[]>(() => files.map((file) => ({ id: newId(), file, opened: null, look: null })));
  const usual: PlateTexts = { focalText: focal(preset?.focalMm ?? record.body.focalMm), focusText: preset?.focusM ? formatFocus(preset.focusM, 'm', 2) : '', atText: '' };
  const textsOf = (c: Chosen): PlateTexts => ({ ...usual, ...c.said, ...byFile[sameFile(c.file)] });
  const type = (c: Chosen, text: Partial<PlateTexts>) => kept.set({ byFile: { ...byFile, [sameFile(c.file)]: { ...byFile[sameFile(c.file)], ...text } } });
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
          said: {
            ...(focalMm && !preset ? { focalText: focal(Number(focalMm.toFixed(1))) } : {}),
            ...(focusM && !preset?.focusM ? { focusText: formatFocus(focusM, 'm', 2) } : {}),
          },
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
      const { focalText, focusText, atText } = textsOf(c);
      const focalMm = readNumber(focalText);
      const focus = focusText.trim() === '' ? null : enteredLength(focusText, unit, 'focus distance');
      const atS = atText.trim() === '' ? null : readNumber(atText);
      const mine: Problems[string] = {};
      if (focalMm === null || focalMm < 1) mine.focal = 'Enter a focal length in mm, such as 32';
      if (focus?.error) mine.focus = focus.error;
      if (atText.trim() !== '' && atS === null) mine.at = 'Enter seconds from the clip’s start, such as 1.5';
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
          shotAt: shotAtOf(c),
          notes: c.opened?.notes ?? null,
          chartDistance: distance?.length ? { typed: distance.length.typed, unit: distance.length.unit, valueM: distance.length.valueM, toleranceM: USUAL_TOLERANCE.distanceM } : null,
        };
        await add({ id: c.id, kind: 'plate', name: c.file.name, atS, body, addedAt: new Date().toISOString() }, await c.file.arrayBuffer());
      }
      kept.done();
      onClose();
    } catch (e) {
      setBusy(false);
      setShared({ kept: `The pictures were not kept on this device (${e instanceof Error ? e.message : e}). Nothing was added; choose fewer at once, or make room.` });
    }
  }

  const count = chosen.length;
  return (
    <Sheet title={count === 1 ? 'New grid plate' : `${count} new grid plates`} open onClose={onClose}>
      {kept.cameBack ? <CameBack /> : null}
      <ChartChoice value={chart} onChange={(now) => kept.set({ chart: now })} />
      <LengthLine
        label="Size of a cell"
        unit="mm"
        quantity="cell of a chart"
        value={cellText}
        onChangeText={(text) => kept.set({ cellText: text })}
        error={shared.cell}
        hint="such as 40, or 1 1/2 in"
        testID="plate-cell"
      />
      <LengthLine
        label="Chart to sensor mark"
        unit={unit}
        quantity="distance"
        value={distanceText}
        onChangeText={(text) => kept.set({ distanceText: text })}
        error={shared.distance}
        hint="when measured, it tells the true focal length. Leave empty otherwise"
        testID="chart-distance"
      />
      {chosen.map((c) => {
        const texts = textsOf(c);
        const remarks =
          'missing' in mounted
            ? []
            : remarksOf(c.opened?.notes, mounted, {
                focalMm: readNumber(texts.focalText) ?? record.body.focalMm,
                focusM: enteredLength(texts.focusText, unit, 'focus distance').length?.valueM ?? null,
              });
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
            <SettingFields
              focal={{ value: texts.focalText, onChange: (focalText) => type(c, { focalText }), error: problems[c.id]?.focal, testID: `focal-${c.file.name}` }}
              focus={{ value: texts.focusText, onChange: (focusText) => type(c, { focusText }), error: problems[c.id]?.focus, testID: `focus-${c.file.name}` }}
            />
            {isClipName(c.file.name) ? (
              <Field
                label="Time of the frame"
                suffix="s"
                value={texts.atText}
                onChangeText={(atText) => type(c, { atText })}
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
