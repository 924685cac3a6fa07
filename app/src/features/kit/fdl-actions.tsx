import type { BodyBody, RecordingMode } from '@mesure/contract';
import { readFdl, writeFdl, type FdlCanvas } from '@mesure/formats/fdl';
import { useState } from 'react';
import { View } from 'react-native';
import { newId } from '../../data';
import { Action, Choice } from '../../ui/controls';
import { pickFiles } from '../../ui/pick-file';
import { saveFile } from '../../ui/save-file';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { FRAME_RATES } from '../days/production-form';
import { useProduction } from '../days/use-day';

/** Recording modes out and in as an ASC framing decision list. */
export function FdlActions({ body, onModes }: { body: BodyBody; onModes: (modes: RecordingMode[]) => void }) {
  const p = usePalette();
  const [said, setSaid] = useState<{ text: string; wrong: boolean } | null>(null);
  // a framing list says no frame rate: the modes wait for it
  const [waiting, setWaiting] = useState<RecordingMode[]>([]);
  const { fps } = useProduction();
  const [rate, setRate] = useState(String(fps));
  const taken = () => {
    onModes(waiting.map((m) => ({ ...m, fps: Number(rate) })));
    setSaid({ wrong: false, text: `Taken: ${waiting.map((m) => m.name).join(', ')}, at ${rate} frames a second. Save to keep them.` });
    setWaiting([]);
  };
  async function take() {
    const [file] = await pickFiles('.fdl,application/json,.json', false);
    if (!file) return;
    try {
      const canvases = readFdl(await file.text(), file.name);
      const known = new Set(body.modes.map((m) => `${m.widthPx}×${m.heightPx} ${m.name}`));
      const modes = canvases.filter((c) => c.sensorWidthMm !== null && !known.has(`${c.widthPx}×${c.heightPx} ${c.label}`)).map(modeOf);
      const without = canvases.filter((c) => c.sensorWidthMm === null).map((c) => c.label);
      setWaiting(modes);
      const partly = canvases.filter((c) => c.effective).map((c) => `${c.label} (${c.effective!.widthPx} × ${c.effective!.heightPx} at ${c.effective!.x}, ${c.effective!.y})`);
      const squeezed = canvases.filter((c) => c.squeeze !== 1).map((c) => `${c.label} (${c.squeeze})`);
      setSaid({
        wrong: modes.length === 0,
        text: [
          modes.length === 0 ? 'No new mode in it.' : `In it: ${modes.map((m) => m.name).join(', ')}. It does not say how many frames a second they run at.`,
          without.length > 0 ? `Without a size in mm, and so left out: ${without.join(', ')}.` : null,
          partly.length > 0 ? `The picture fills a part of: ${partly.join(', ')}. The modes are as large as the files.` : null,
          squeezed.length > 0 ? `A squeeze belongs to the lens here: ${squeezed.join(', ')}.` : null,
        ]
          .filter(Boolean)
          .join(' '),
      });
    } catch (e) {
      setSaid({ wrong: true, text: `${e instanceof Error ? e.message : e} Nothing was changed.` });
    }
  }
  return (
    <>
      <Action title="Take modes from a framing list" icon="file-open" onPress={() => void take()} testID="fdl-in" />
      <Action
        title="Save as framing list"
        icon="save-alt"
        onPress={() =>
          saveFile(
            `${body.name.replace(/[^\p{L}\p{N}]+/gu, '_')}.fdl`,
            writeFdl(
              body.modes.map((m) => canvasOf(body, m)),
              newId(),
            ),
            'application/json',
          )
        }
        testID="fdl-out"
      />
      {waiting.length > 0 ? (
        <View style={{ marginTop: SPACE.s }}>
          <Choice label="They run at" value={rate} options={[...new Set([...FRAME_RATES, String(fps)])].map((r) => ({ value: r, title: r }))} onChange={setRate} />
          <Action title={`Take ${waiting.length} mode${waiting.length === 1 ? '' : 's'} at ${rate}`} icon="add" onPress={taken} testID="take-modes" />
        </View>
      ) : null}
      {said ? (
        <Words look="small" role="status" color={said.wrong ? p.against : undefined}>
          {said.wrong ? `▲ ${said.text}` : said.text}
        </Words>
      ) : null}
    </>
  );
}

const canvasOf = (body: BodyBody, m: RecordingMode): FdlCanvas => ({
  source: body.name,
  label: m.name,
  widthPx: m.widthPx,
  heightPx: m.heightPx,
  photositesX: m.photositesX ?? m.widthPx,
  photositesY: m.photositesY ?? m.heightPx,
  sensorWidthMm: m.sensorWidthMm,
  sensorHeightMm: m.sensorHeightMm,
  squeeze: 1,
  frames: [],
});

/** Until somebody says which it is. */
const UNSAID_FPS = 24;
const modeOf = (c: FdlCanvas): RecordingMode => ({
  id: newId(),
  name: c.label,
  widthPx: c.widthPx,
  heightPx: c.heightPx,
  sensorWidthMm: c.sensorWidthMm!,
  sensorHeightMm: c.sensorHeightMm!,
  ...(c.photositesX !== null && c.photositesX !== c.widthPx ? { photositesX: c.photositesX, photositesY: c.photositesY } : {}),
  fps: UNSAID_FPS,
});
