import { BREATHING, KNOWLEDGE, type Breathing, type Knowledge } from '@mesure/contract';
import { View } from 'react-native';
import { Choice, Field, Section } from '../../ui/controls';
import { LiveNumber } from '../../ui/live-number';
import { Words } from '../../ui/text';
import { Pair } from './body-editor';
import type { PartForm } from './use-part-form';

/** A lens as it is marked, and what is known of it beyond its marks. */
export function LensEditor({ form }: { form: PartForm<'lens'> }) {
  const { draft, set, errorAt, generation } = form;
  const number = (v: number | null) => v ?? Number.NaN;
  return (
    <View key={generation}>
      <Field label="Name" value={draft.name} onChangeText={(name) => set({ name })} error={errorAt('name')} testID="part-name" />
      <Field label="Serial number" value={draft.serial} onChangeText={(serial) => set({ serial })} error={errorAt('serial')} />
      <Choice
        label="Kind"
        value={draft.kind}
        options={[
          { value: 'prime', title: 'prime' },
          { value: 'zoom', title: 'zoom' },
        ]}
        onChange={(kind) => set(kind === 'prime' ? { kind, maxFocalMm: draft.minFocalMm } : { kind })}
      />
      {draft.kind === 'prime' ? (
        <LiveNumber
          label="Focal length as marked"
          suffix="mm"
          value={draft.minFocalMm}
          onChange={(v) => set({ minFocalMm: number(v), maxFocalMm: number(v) })}
          error={errorAt('minFocalMm')}
          testID="lens-focal"
        />
      ) : (
        <Pair
          a={<LiveNumber label="From" suffix="mm" value={draft.minFocalMm} onChange={(v) => set({ minFocalMm: number(v) })} error={errorAt('minFocalMm')} testID="lens-from" />}
          b={
            <LiveNumber
              label="To"
              suffix="mm"
              value={draft.maxFocalMm}
              onChange={(v) => set({ maxFocalMm: number(v) })}
              error={errorAt('maxFocalMm') ? 'must not be below the shortest focal length' : null}
              testID="lens-to"
            />
          }
        />
      )}
      <LiveNumber
        label="Squeeze"
        value={draft.squeeze}
        onChange={(v) => set({ squeeze: number(v) })}
        error={errorAt('squeeze')}
        hint="1 for a spherical lens; 1.33, 1.8, 2 … for an anamorphic one"
        testID="lens-squeeze"
      />
      {draft.squeeze > 1 ? (
        <LiveNumber
          label="Axis against the picture's width"
          suffix="°"
          optional
          value={draft.axisDeg}
          onChange={(axisDeg) => set({ axisDeg })}
          error={errorAt('axisDeg')}
          hint="0 when the squeeze is level; a grid plate measures it"
          testID="lens-axis"
        />
      ) : null}
      <Section title="Range">
        <Pair
          a={<LiveNumber label="Widest T-stop" optional value={draft.tStopMin} onChange={(tStopMin) => set({ tStopMin })} error={errorAt('tStopMin')} />}
          b={<LiveNumber label="Smallest T-stop" optional value={draft.tStopMax} onChange={(tStopMax) => set({ tStopMax })} error={errorAt('tStopMax')} />}
        />
        <Pair
          a={<LiveNumber label="Close focus" suffix="m" optional value={draft.closeFocusM} onChange={(closeFocusM) => set({ closeFocusM })} error={errorAt('closeFocusM')} />}
          b={
            <LiveNumber
              label="Image circle"
              suffix="mm"
              optional
              value={draft.imageCircleMm}
              onChange={(imageCircleMm) => set({ imageCircleMm })}
              error={errorAt('imageCircleMm')}
              testID="lens-circle"
            />
          }
        />
      </Section>
      <Section title="For the solve">
        <Choice<Breathing> label="Breathing" value={draft.breathing ?? 'unknown'} options={BREATHING.map((b) => ({ value: b, title: b }))} onChange={(breathing) => set({ breathing })} />
        <LiveNumber label="Entrance pupil before the sensor mark" suffix="mm" optional value={draft.pupilMm} onChange={(pupilMm) => set({ pupilMm })} error={errorAt('pupilMm')} />
        <Choice<Knowledge> label="The pupil is" value={draft.pupilSource ?? 'unknown'} options={KNOWLEDGE.map((k) => ({ value: k, title: k }))} onChange={(pupilSource) => set({ pupilSource })} />
        {draft.kind === 'zoom' ? (
          <Words look="small" dim>
            A zoom needs grid plates at several focal lengths.
          </Words>
        ) : null}
      </Section>
    </View>
  );
}

/** What multiplies the focal length, or an empty tube. */
export function AdapterEditor({ form }: { form: PartForm<'adapter'> }) {
  const { draft, set, errorAt, generation } = form;
  return (
    <View key={generation}>
      <Field label="Name" value={draft.name} onChangeText={(name) => set({ name })} error={errorAt('name')} testID="part-name" />
      <LiveNumber
        label="Focal length is multiplied by"
        value={draft.factor}
        onChange={(v) => set({ factor: v ?? Number.NaN })}
        error={errorAt('factor')}
        hint="below 1 a focal reducer, above 1 an extender, 1 an empty tube"
        testID="adapter-factor"
      />
    </View>
  );
}
