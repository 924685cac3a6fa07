import { type RigBody, type StoredRecord } from '@mesure/contract';
import { degToRad, radToDeg, type WitnessPlacement } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useClock, useMayWrite, useRecordsState } from '../../../data';
import { CameBack, useKeptEntry } from '../../../forms';
import { Action, Choice, Field, Section, Sheet } from '../../../ui/controls';
import { LiveNumber } from '../../../ui/live-number';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { byCamera } from '../use-floor';

/** "fixed 120 mm right, 40 mm up, 15 mm forward, turned 2.0°" */
export function placementWords(w: WitnessPlacement): string {
  const mm = (m: number, plus: string, minus: string) => (Math.abs(m) < 0.0005 ? null : `${Math.abs(1000 * m).toFixed(0)} mm ${m > 0 ? plus : minus}`);
  const turn = (rad: number, what: string) => (Math.abs(rad) < 0.0009 ? null : `${what} ${radToDeg(rad).toFixed(1)}°`);
  if (w.way === 'rigid') {
    const parts = [mm(w.rightM, 'right', 'left'), mm(w.upM, 'up', 'down'), mm(w.forwardM, 'forward', 'back'), turn(w.turnRad, 'turned'), turn(w.tiltRad, 'tilted')].filter(Boolean);
    return `fixed to the main camera, ${parts.join(', ') || 'at its lens'}`;
  }
  return `standing at x ${w.xM.toFixed(2)} m, z ${w.zM.toFixed(2)} m, ${w.heightM.toFixed(2)} m high, facing ${radToDeg(w.headingRad).toFixed(0)}°`;
}

/** How each witness camera is mounted now, since when; "somebody touched it" begins a new state, and takes before it keep the old one. */
export function RigSection({ setup, planned }: { setup: StoredRecord<'setup'>; planned: readonly { packageId: string; placement?: WitnessPlacement }[] }) {
  const clock = useClock();
  const mayWrite = useMayWrite();
  const packages = [...useAll('package')].sort(byCamera);
  const rigs = useAll('rig')
    .filter((r) => r.body.setupId === setup.id)
    .sort((a, b) => (a.body.since < b.body.since ? 1 : -1));
  const [open, setOpen] = useState<string | null>(null);
  const ids = [...new Set([...planned.map((w) => w.packageId), ...rigs.map((r) => r.body.packageId)])];
  if (ids.length === 0 && !mayWrite) return null;
  const name = (id: string) => packages.find((p) => p.id === id)?.body.camera ?? '?';
  return (
    <Section title="Witness cameras" right={mayWrite ? <Action kind="quiet" icon="add" title="Add one" onPress={() => setOpen('')} testID="add-rig" /> : undefined}>
      {ids.length === 0 ? <Words dim>None runs beside the main camera.</Words> : null}
      {ids.map((id) => {
        const states = rigs.filter((r) => r.body.packageId === id);
        return (
          <View key={id} style={{ marginBottom: SPACE.s }} testID={`rig-${name(id)}`}>
            <Words>{`${name(id)}-cam`}</Words>
            {states.length === 0 ? (
              <Words look="small" dim>
                {planned.find((w) => w.packageId === id)?.placement ? `planned: ${placementWords(planned.find((w) => w.packageId === id)!.placement!)}; not measured yet` : 'not measured yet'}
              </Words>
            ) : null}
            {states.map((r, i) => (
              <Words
                key={r.id}
                look="small"
                dim={i > 0}
              >{`${i === 0 ? 'now' : 'before'}, since ${clock.time(r.body.since)}: ${placementWords(r.body.placement)}${r.body.why ? ` (${r.body.why})` : ''}`}</Words>
            ))}
            {mayWrite ? (
              <View style={{ flexDirection: 'row', marginTop: SPACE.xs }}>
                <Action icon="touch-app" title={states.length > 0 ? 'Somebody touched it' : 'Measure where it is'} onPress={() => setOpen(id)} testID={`new-rig-${name(id)}`} />
              </View>
            ) : null}
          </View>
        );
      })}
      {open === null ? null : (
        <RigSheet
          setup={setup}
          packageId={open}
          packages={packages}
          last={rigs.find((r) => r.body.packageId === open)?.body ?? null}
          planned={planned.find((w) => w.packageId === open)?.placement ?? null}
          onClose={() => setOpen(null)}
        />
      )}
    </Section>
  );
}

const START: Extract<WitnessPlacement, { way: 'rigid' }> = { way: 'rigid', rightM: 0.12, upM: 0, forwardM: 0, turnRad: 0, tiltRad: 0 };
const STANDING: Extract<WitnessPlacement, { way: 'free' }> = { way: 'free', xM: 2, zM: 0, heightM: 1.5, headingRad: 0, tiltRad: 0 };

function RigSheet({
  setup,
  packageId: given,
  packages,
  last,
  planned,
  onClose,
}: {
  setup: StoredRecord<'setup'>;
  packageId: string;
  packages: StoredRecord<'package'>[];
  last: RigBody | null;
  planned: WitnessPlacement | null;
  onClose: () => void;
}) {
  const p = usePalette();
  const write = useRecordsState((s) => s.write);
  const kept = useKeptEntry<{ packageId: string; placement: WitnessPlacement; why: string }>(`rig ${setup.id} ${given}`, {
    packageId: given || (packages[packages.length - 1]?.id ?? ''),
    placement: last?.placement ?? planned ?? START,
    why: '',
  });
  const { packageId, placement, why } = kept.entry;
  // a field that is no number comes back from the device as null
  const bad = Object.values(placement).some((v) => v === null || (typeof v === 'number' && !Number.isFinite(v)));
  const change = (part: Partial<WitnessPlacement>) => kept.set({ placement: { ...placement, ...part } as WitnessPlacement });
  const mm = (value: number, label: string, key: string, hint: string) => (
    <LiveNumber
      label={label}
      suffix="mm"
      value={1000 * value}
      signed
      digits={0}
      hint={hint}
      testID={`rig-${key}`}
      onChange={(v) => change({ [key]: (v ?? Number.NaN) / 1000 } as Partial<WitnessPlacement>)}
    />
  );
  const deg = (value: number, label: string, key: string, hint: string) => (
    <LiveNumber
      label={label}
      suffix="°"
      value={radToDeg(value)}
      signed
      digits={1}
      hint={hint}
      testID={`rig-${key}`}
      onChange={(v) => change({ [key]: degToRad(v ?? Number.NaN) } as Partial<WitnessPlacement>)}
    />
  );
  const metres = (value: number, label: string, key: string) => (
    <LiveNumber label={label} suffix="m" value={value} signed onChange={(v) => change({ [key]: v ?? Number.NaN } as Partial<WitnessPlacement>)} testID={`rig-${key}`} />
  );
  async function keep() {
    await write(
      'rig',
      newId(),
      { setupId: setup.id, packageId, since: new Date().toISOString(), placement, toleranceM: 0.005, why: why.trim() },
      `${packages.find((q) => q.id === packageId)?.body.camera ?? ''}-cam: new mounting kept`,
    );
    kept.done();
    onClose();
  }
  return (
    <Sheet title={last ? 'Mounted anew' : 'Where it is'} open onClose={onClose}>
      {kept.cameBack ? <CameBack /> : null}
      {given ? null : <Choice label="Witness camera" value={packageId} options={packages.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))} onChange={(v) => kept.set({ packageId: v })} />}
      <Choice<WitnessPlacement['way']>
        label="Placement"
        value={placement.way}
        options={[
          { value: 'rigid', title: 'fixed to the main camera' },
          { value: 'free', title: 'standing by itself' },
        ]}
        onChange={(way) => kept.set({ placement: way === 'rigid' ? START : STANDING })}
      />
      {placement.way === 'rigid' ? (
        <>
          {mm(placement.rightM, 'Right of the main lens', 'rightM', 'minus: left, from behind the camera')}
          {mm(placement.upM, 'Above the main lens', 'upM', 'minus: below')}
          {mm(placement.forwardM, 'In front of the main lens', 'forwardM', 'minus: behind')}
          {deg(placement.turnRad, 'Turned', 'turnRad', 'plus: to the left, seen from above')}
          {deg(placement.tiltRad, 'Tilted', 'tiltRad', 'plus: up')}
        </>
      ) : (
        <>
          {metres(placement.xM, 'To the right on the plan', 'xM')}
          {metres(placement.zM, 'Towards the viewer on the plan', 'zM')}
          {metres(placement.heightM, 'Height', 'heightM')}
          {deg(placement.headingRad, 'Facing', 'headingRad', '0 is away from the viewer of the plan, plus turns left')}
          {deg(placement.tiltRad, 'Tilted', 'tiltRad', 'plus: up')}
        </>
      )}
      <Field label="What happened" value={why} onChangeText={(v) => kept.set({ why: v })} hint="bumped at the door; lens changed" testID="rig-why" />
      {bad ? (
        <Words role="alert" color={p.against}>
          {'▲ Every distance and angle needs a number.'}
        </Words>
      ) : null}
      <Action kind="main" title="Keep from now on" disabled={bad || packageId === ''} onPress={() => void keep()} testID="keep-rig" />
      <Words look="small" dim style={{ marginTop: SPACE.xs }}>
        Takes logged before now keep how it was mounted then.
      </Words>
    </Sheet>
  );
}
