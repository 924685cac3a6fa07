import { KNOWLEDGE, type Knowledge, type RecordingMode } from '@mesure/contract';
import { modeRemarks } from '@mesure/core';
import { useState, type ReactNode } from 'react';
import { View } from 'react-native';
import { newId } from '../../data';
import { Action, Choice, Field, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { LiveNumber } from '../../ui/live-number';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { FdlActions } from './fdl-actions';
import { SENSOR_FORMATS } from './sensor-formats';
import type { PartForm } from './use-part-form';

/** A body: its chip, and what each recording mode sees of it. */
export function BodyEditor({ form, usedModes }: { form: PartForm<'body'>; usedModes: ReadonlySet<string> }) {
  const { draft, set, errorAt, generation } = form;
  const [openId, setOpenId] = useState(draft.modes[0].id);
  const index = Math.max(
    0,
    draft.modes.findIndex((m) => m.id === openId),
  );
  const mode = draft.modes[index];
  const change = (more: Partial<RecordingMode>) => set({ modes: draft.modes.map((m, i) => (i === index ? { ...m, ...more } : m)) });
  return (
    <View key={generation}>
      <Field label="Name" value={draft.name} onChangeText={(name) => set({ name })} error={errorAt('name')} testID="part-name" />
      <Choice<string>
        label="Stabiliser in the body"
        value={draft.stabiliser === undefined ? 'unknown' : draft.stabiliser ? 'yes' : 'no'}
        options={[
          { value: 'unknown', title: 'unknown' },
          { value: 'no', title: 'none' },
          { value: 'yes', title: 'has one', detail: 'must be off' },
        ]}
        onChange={(v) => set({ stabiliser: v === 'unknown' ? undefined : v === 'yes' })}
      />
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <LiveNumber label="Chip width" suffix="mm" optional value={draft.chipWidthMm} onChange={(chipWidthMm) => set({ chipWidthMm })} error={errorAt('chipWidthMm')} testID="chip-width" />
        </View>
        <View style={{ flex: 1 }}>
          <LiveNumber label="Chip height" suffix="mm" optional value={draft.chipHeightMm} onChange={(chipHeightMm) => set({ chipHeightMm })} error={errorAt('chipHeightMm')} />
        </View>
      </View>
      <Section title="Recording modes">
        <Choice label="Mode" value={mode.id} options={draft.modes.map((m) => ({ value: m.id, title: m.name, detail: `${m.widthPx} × ${m.heightPx}` }))} onChange={setOpenId} />
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
          <Action
            title="Add a mode"
            icon="add"
            testID="add-mode"
            onPress={() => {
              const id = newId();
              set({ modes: [...draft.modes, { ...mode, id, name: `${mode.name} copy` }] });
              setOpenId(id);
            }}
          />
          <FdlActions body={draft} onModes={(modes) => set({ modes: [...draft.modes, ...modes] })} />
          {draft.modes.length > 1 ? (
            <Action
              title={usedModes.has(mode.id) ? 'Mode is mounted' : 'Remove this mode'}
              icon="delete-outline"
              disabled={usedModes.has(mode.id)}
              onPress={() => {
                set({ modes: draft.modes.filter((m) => m.id !== mode.id) });
                setOpenId(draft.modes[index === 0 ? 1 : 0].id);
              }}
            />
          ) : null}
        </View>
      </Section>
      <ModeFields
        key={mode.id}
        mode={mode}
        change={change}
        errorAt={(f) => errorAt(`modes.${index}.${f}`) ?? (f === 'sensorWidthMm' ? errorAt(`modes.${index}`) : null)}
        chip={{ widthMm: draft.chipWidthMm ?? null, heightMm: draft.chipHeightMm ?? null }}
      />
    </View>
  );
}

type Chip = { widthMm: number | null; heightMm: number | null };

/** Photosites, pitch and millimetres: two are entered, the third follows. What was entered last stays when the photosites change. */
function ModeFields({ mode, change, errorAt, chip }: { mode: RecordingMode; change: (more: Partial<RecordingMode>) => void; errorAt: (field: string) => string | null; chip: Chip }) {
  const [by, setBy] = useState<'mm' | 'pitch'>('mm');
  const scaled = (mode.photositesX ?? null) !== null;
  const [sitesX, sitesY] = [mode.photositesX ?? mode.widthPx, mode.photositesY ?? mode.heightPx];
  const pitchUm = (1000 * mode.sensorWidthMm) / sitesX;
  const remarks = modeRemarks(mode, chip);
  const at = (field: string) => remarks.find((r) => r.field === field)?.text ?? errorAt(field);
  const photosites = (more: Partial<Pick<RecordingMode, 'widthPx' | 'heightPx' | 'photositesX' | 'photositesY'>>) => {
    const next = { ...mode, ...more };
    change(by === 'pitch' ? { ...more, sensorWidthMm: ((next.photositesX ?? next.widthPx) * pitchUm) / 1000, sensorHeightMm: ((next.photositesY ?? next.heightPx) * pitchUm) / 1000 } : more);
  };
  const number = (v: number | null) => v ?? Number.NaN;
  return (
    <Section title={mode.name}>
      <Field label="Name of the mode" value={mode.name} onChangeText={(name) => change({ name })} error={errorAt('name')} testID="mode-name" />
      <Pair
        a={
          <LiveNumber
            label={scaled ? 'Picture, across' : 'Photosites across'}
            digits={0}
            value={mode.widthPx}
            onChange={(v) => photosites({ widthPx: number(v) })}
            error={errorAt('widthPx')}
            testID="mode-width-px"
          />
        }
        b={
          <LiveNumber
            label={scaled ? 'Picture, down' : 'Photosites down'}
            digits={0}
            value={mode.heightPx}
            onChange={(v) => photosites({ heightPx: number(v) })}
            error={errorAt('heightPx')}
            testID="mode-height-px"
          />
        }
      />
      <Choice<'no' | 'yes'>
        label="The camera scales the picture"
        value={scaled ? 'yes' : 'no'}
        options={[
          { value: 'no', title: 'no', detail: 'a pixel a photosite' },
          { value: 'yes', title: 'yes', detail: scaled ? `× ${fixed(mode.widthPx / sitesX, 3)} across, ${fixed(mode.heightPx / sitesY, 3)} down` : 'or squeezes it' },
        ]}
        onChange={(v) => photosites(v === 'yes' ? { photositesX: mode.widthPx, photositesY: mode.heightPx } : { photositesX: null, photositesY: null })}
      />
      {scaled ? (
        <Pair
          a={<LiveNumber label="Photosites across" digits={0} value={sitesX} onChange={(v) => photosites({ photositesX: number(v) })} error={errorAt('photositesX')} testID="mode-sites-x" />}
          b={<LiveNumber label="Photosites down" digits={0} value={sitesY} onChange={(v) => photosites({ photositesY: number(v) })} error={errorAt('photositesY')} testID="mode-sites-y" />}
        />
      ) : null}
      <Pair
        a={
          <LiveNumber
            label="Active area, width"
            suffix="mm"
            value={mode.sensorWidthMm}
            onChange={(v) => {
              setBy('mm');
              change({ sensorWidthMm: number(v) });
            }}
            error={at('sensorWidthMm')}
            testID="mode-width-mm"
          />
        }
        b={
          <LiveNumber
            label="Active area, height"
            suffix="mm"
            value={mode.sensorHeightMm}
            onChange={(v) => {
              setBy('mm');
              change({ sensorHeightMm: number(v) });
            }}
            error={at('sensorHeightMm')}
            testID="mode-height-mm"
          />
        }
      />
      <LiveNumber
        label="Pixel pitch"
        suffix="µm"
        value={pitchUm}
        onChange={(v) => {
          setBy('pitch');
          change({ sensorWidthMm: (sitesX * number(v)) / 1000, sensorHeightMm: (sitesY * number(v)) / 1000 });
        }}
        hint={by === 'pitch' ? 'the area follows from photosites and pitch' : 'follows from photosites and area'}
        testID="mode-pitch"
      />
      <Choice<string>
        label="Area of a standard format"
        value={SENSOR_FORMATS.find((f) => f.widthMm === mode.sensorWidthMm && f.heightMm === mode.sensorHeightMm)?.name ?? ''}
        options={SENSOR_FORMATS.map((f) => ({ value: f.name, title: f.name, detail: `${fixed(f.widthMm, 2)} × ${fixed(f.heightMm, 2)}` }))}
        onChange={(name) => {
          const f = SENSOR_FORMATS.find((q) => q.name === name)!;
          setBy('mm');
          change({ sensorWidthMm: f.widthMm, sensorHeightMm: f.heightMm });
        }}
      />
      <Pair
        a={<LiveNumber label="Frames a second" value={mode.fps} onChange={(v) => change({ fps: number(v) })} error={errorAt('fps')} />}
        b={<LiveNumber label="Readout of a frame" suffix="ms" optional value={mode.readoutMs} onChange={(readoutMs) => change({ readoutMs })} error={errorAt('readoutMs')} />}
      />
      <Choice<Knowledge> label="Readout is" value={mode.readoutSource ?? 'unknown'} options={KNOWLEDGE.map((k) => ({ value: k, title: k }))} onChange={(readoutSource) => change({ readoutSource })} />
      {mode.readoutMs && Number.isFinite(mode.readoutMs) && mode.readoutMs * mode.fps > 1000 ? (
        <Words look="small">{`▲ A frame of ${mode.fps} a second lasts only ${fixed(1000 / mode.fps, 1)} ms.`}</Words>
      ) : null}
    </Section>
  );
}

export function Pair({ a, b }: { a: ReactNode; b: ReactNode }) {
  return (
    <View style={{ flexDirection: 'row', gap: SPACE.m }}>
      <View style={{ flex: 1 }}>{a}</View>
      <View style={{ flex: 1 }}>{b}</View>
    </View>
  );
}
