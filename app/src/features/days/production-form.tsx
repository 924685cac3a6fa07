import { SLATINGS, type ProductionBody, type Slating } from '@mesure/contract';
import { LENGTH_UNITS, type LengthUnit } from '@mesure/core';
import { View } from 'react-native';
import { deviceZone } from '../../data/clock';
import { bodyProblems, ChoiceField, FormNotes, LeaveForm, TextField, useKeptForm, type KeptForm } from '../../forms';
import { Action } from '../../ui/controls';
import { readNumber } from '../../ui/format';
import { SPACE } from '../../ui/theme';

export interface ProductionText {
  name: string;
  fps: string;
  lengthUnit: LengthUnit;
  timeZone: string;
  slating: Slating;
}
/** Those that films and television play at. */
export const FRAME_RATES = ['23.976', '24', '25', '29.97', '30', '48', '50', '60'];
export const SLATING_WORDS: Record<Slating, { title: string; detail: string }> = {
  scene: { title: 'by scene', detail: '41, 41A, 41B' },
  running: { title: 'running', detail: '112, 113, 114' },
};
const UNIT_WORDS: Record<LengthUnit, string> = { m: 'm', cm: 'cm', mm: 'mm', in: 'in', ft: 'ft', 'ft-in': 'ft in' };

export const productionText = (b: ProductionBody): ProductionText => ({ name: b.name, fps: String(b.fps), lengthUnit: b.lengthUnit, timeZone: b.timeZone, slating: b.slating });
/** A rate that is no number becomes one that no schema takes, so that the field says so. */
export const productionOf = (t: ProductionText): ProductionBody => ({
  name: t.name.trim(),
  fps: readNumber(t.fps) ?? Number.NaN,
  lengthUnit: t.lengthUnit,
  timeZone: t.timeZone.trim(),
  slating: t.slating,
});

/** What a new production begins with: this phone's clock, and what most crews use. */
export const usualProduction = (): ProductionText => ({ name: '', fps: '24', lengthUnit: 'm', timeZone: deviceZone(), slating: 'scene' });

/** The fields of it, for any form that has them. */
export function ProductionFields<V extends ProductionText>({ form }: { form: KeptForm<V> }) {
  const f = form as unknown as KeptForm<ProductionText>;
  return (
    <>
      <TextField form={f} name="name" label="Name of the production" testID="production-name" />
      <ChoiceField form={f} name="fps" label="Frame rate of the film" options={FRAME_RATES.map((r) => ({ value: r, title: r }))} />
      <ChoiceField form={f} name="lengthUnit" label="Lengths are measured in" options={LENGTH_UNITS.filter((u) => u !== 'mm' && u !== 'ft').map((u) => ({ value: u, title: UNIT_WORDS[u] }))} />
      <ChoiceField form={f} name="slating" label="Slates are numbered" options={SLATINGS.map((s) => ({ value: s, ...SLATING_WORDS[s] }))} />
      <TextField form={f} name="timeZone" label="Time zone of the set" hint="Days change at its midnight" testID="production-zone" />
    </>
  );
}

export function ProductionForm({
  draft,
  initial,
  title,
  onKeep,
  onBack,
}: {
  draft: string;
  initial: ProductionBody;
  title: string;
  onKeep: (body: ProductionBody) => Promise<void>;
  onBack: () => void;
}) {
  const form = useKeptForm<ProductionText>(draft, productionText(initial), (v) => bodyProblems('production', productionOf(v)));
  const keep = form.handleSubmit(async (v) => {
    await onKeep(productionOf(v));
    form.done();
  });
  return (
    <View>
      <ProductionFields form={form} />
      <FormNotes form={form} />
      <View style={{ gap: SPACE.s }}>
        <Action kind="main" title={title} onPress={() => void keep()} testID="keep-production" />
        <LeaveForm form={form} onLeave={onBack} />
      </View>
    </View>
  );
}
