import { useRouter } from 'expo-router';
import { usualPlacement, type PlannedWitness } from '@mesure/contract';
import { median, quantile, STABILISER, SYNCS, type WitnessPlacement, type WitnessWatch } from '@mesure/core';
import { View } from 'react-native';
import { useMounted, useFind } from '../../data';
import { EXPLANATIONS } from '../explanations';
import { Choice, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { LiveNumber } from '../../ui/live-number';
import { Empty } from '../../ui/states';
import { Fact } from '../../ui/fact';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { Chips } from './chips';
import type { PlanDraft, PlanNumbers } from './use-plan';

const DEG = Math.PI / 180;
const WAYS = { rigid: 'rigid to the camera', free: 'standing on the set', open: 'not placed yet' } as const;

/** Further cameras on the same shot: where they are, and what they add to the one that is solved. */
export function WitnessSection({ numbers, draft, share, mayWrite }: { numbers: PlanNumbers; draft: PlanDraft; share: number; mayWrite: boolean }) {
  const router = useRouter();
  const find = useFind();
  const packages = useMounted();
  const plan = draft.planBody;
  const witnesses = plan.witnesses ?? [];
  const others = packages.filter((q) => q.id !== plan.packageId);
  const nameOf = (packageId: string) => `${find('package', packageId)?.body.camera ?? '?'}-cam`;
  const keep = (label: string, list: PlannedWitness[]) => draft.keep(label, { plan: { ...plan, witnesses: list } });
  const toggle = (name: string) => {
    const { id } = others.find((q) => nameOf(q.id) === name)!;
    const there = witnesses.some((w) => w.packageId === id);
    keep(`${name} ${there ? 'no longer' : 'as'} witness`, there ? witnesses.filter((w) => w.packageId !== id) : [...witnesses, { packageId: id, stabiliser: 'unknown' }]);
  };
  return (
    <Section title="Witness cameras">
      {others.length === 0 ? (
        <Empty title="No other camera" text="Put another package together in Kit; it can then watch this shot." action={{ title: 'Go to Kit', onPress: () => router.push('/kit') }} />
      ) : null}
      {mayWrite && others.length > 0 ? (
        <>
          <Words look="small" dim>
            Tap the cameras that watch the same shot beside the one that is solved.
          </Words>
          <Chips what="Witness" ids={others.map((q) => nameOf(q.id))} on={witnesses.map((w) => nameOf(w.packageId))} onPress={toggle} />
        </>
      ) : null}
      {witnesses.map((w) => (
        <OneWitness
          key={w.packageId}
          witness={w}
          name={nameOf(w.packageId)}
          watch={watchOf(numbers, nameOf(w.packageId))}
          draft={draft}
          share={share}
          mayWrite={mayWrite}
          packFocalMm={find('package', w.packageId)?.body.focalMm ?? null}
        />
      ))}
      {witnesses.length > 0 && mayWrite ? (
        <Choice label="Sync between cameras" value={plan.sync} options={SYNCS.map((v) => ({ value: v, title: v }))} onChange={(sync) => draft.keep('Sync', { plan: { ...plan, sync } })} />
      ) : null}
    </Section>
  );
}

/** What a witness sees; null when it is not placed, or a part of its package is gone. */
export function watchOf({ facts, watch }: Pick<PlanNumbers, 'facts' | 'watch'>, name: string): WitnessWatch | null {
  const i = facts.witnesses.findIndex((w) => w.name === name);
  return i < 0 ? null : watch.witnesses[i];
}

function OneWitness({
  witness,
  name,
  watch,
  draft,
  share,
  mayWrite,
  packFocalMm,
}: {
  witness: PlannedWitness;
  name: string;
  watch: WitnessWatch | null;
  draft: PlanDraft;
  share: number;
  mayWrite: boolean;
  packFocalMm: number | null;
}) {
  const plan = draft.planBody;
  const withChange = (change: Partial<PlannedWitness>) => ({ plan: { ...plan, witnesses: (plan.witnesses ?? []).map((w) => (w.packageId === witness.packageId ? { ...w, ...change } : w)) } });
  const place = (way: keyof typeof WAYS) => draft.keep(`${name} ${WAYS[way]}`, withChange({ placement: way === 'open' ? undefined : usualPlacement(way, plan.move.stations[0]) }));
  return (
    <View testID={`witness-${name}`} style={{ marginTop: SPACE.m }}>
      <Words look="heading" level={3}>
        {name}
      </Words>
      {watch ? <WhatItAdds watch={watch} share={share} name={name} /> : null}
      {mayWrite ? (
        <>
          <Choice label={`Where ${name} is`} value={witness.placement?.way ?? 'open'} options={(['rigid', 'free', 'open'] as const).map((v) => ({ value: v, title: WAYS[v] }))} onChange={place} />
          {witness.placement ? (
            <PlacementFields
              name={name}
              placement={witness.placement}
              focalMm={witness.focalMm ?? packFocalMm}
              onShow={(placement) => draft.show(withChange({ placement }))}
              onFocal={(focalMm) => draft.show(withChange({ focalMm }))}
              onDone={() => draft.dragging && draft.keep(`${name} moved`)}
            />
          ) : null}
          <Choice
            label={`Stabiliser of ${name}`}
            value={witness.stabiliser}
            options={STABILISER.map((v) => ({ value: v, title: v }))}
            onChange={(stabiliser) => draft.keep(`Stabiliser of ${name}`, withChange({ stabiliser }))}
          />
        </>
      ) : (
        <Words dim>{WAYS[witness.placement?.way ?? 'open']}</Words>
      )}
    </View>
  );
}

function PlacementFields({
  name,
  placement,
  focalMm,
  onShow,
  onFocal,
  onDone,
}: {
  name: string;
  placement: WitnessPlacement;
  focalMm: number | null;
  onShow: (placement: WitnessPlacement) => void;
  onFocal: (focalMm: number) => void;
  onDone: () => void;
}) {
  const field = (label: string, suffix: string, value: number, tell: (v: number) => WitnessPlacement, most = 10_000) => (
    <View style={{ width: '31%' }} key={label}>
      <LiveNumber label={label} suffix={suffix} signed digits={3} value={value} onChange={(v) => v !== null && Math.abs(v) <= most && onShow(tell(v))} onDone={onDone} testID={`${name}-${label}`} />
    </View>
  );
  return (
    <View style={{ flexDirection: 'row', flexWrap: 'wrap', justifyContent: 'space-between' }}>
      {placement.way === 'rigid' ? (
        <>
          {field('Right of it', 'mm', 1000 * placement.rightM, (v) => ({ ...placement, rightM: v / 1000 }), 20_000)}
          {field('Above it', 'mm', 1000 * placement.upM, (v) => ({ ...placement, upM: v / 1000 }), 20_000)}
          {field('Before it', 'mm', 1000 * placement.forwardM, (v) => ({ ...placement, forwardM: v / 1000 }), 20_000)}
          {field('Turned left', '°', placement.turnRad / DEG, (v) => ({ ...placement, turnRad: v * DEG }), 360)}
        </>
      ) : (
        <>
          {field('To the right', 'm', placement.xM, (v) => ({ ...placement, xM: v }))}
          {field('Height', 'm', placement.heightM, (v) => ({ ...placement, heightM: v }))}
          {field('Back', 'm', placement.zM, (v) => ({ ...placement, zM: v }))}
          {field('Turned left', '°', placement.headingRad / DEG, (v) => ({ ...placement, headingRad: v * DEG }), 360)}
        </>
      )}
      {field('Tilted up', '°', placement.tiltRad / DEG, (v) => ({ ...placement, tiltRad: v * DEG }), 90)}
      <View style={{ width: '31%' }}>
        <LiveNumber label="Focal length" suffix="mm" value={focalMm} onChange={(v) => v !== null && v >= 1 && v <= 3000 && onFocal(v)} onDone={onDone} />
      </View>
    </View>
  );
}

/** At this moment of the move, and over the whole of it. */
function WhatItAdds({ watch, share, name }: { watch: WitnessWatch; share: number; name: string }) {
  const now = watch.moments[Math.round(share * (watch.moments.length - 1))];
  const range = (values: number[], digits: number) => [...new Set([quantile(values, 0), quantile(values, 1)].map((v) => fixed(v, digits)))].join(' to ');
  const marks = watch.shared.filter((s) => s.mark);
  const overlaps = watch.moments.flatMap((m) => (m.overlap === null ? [] : [100 * m.overlap]));
  return (
    <View>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }}>
        <Fact
          about={EXPLANATIONS.witness}
          label="A point seen by both"
          value={now.sigmaM === null ? 'none now' : fixed(1000 * now.sigmaM, 1)}
          unit={now.sigmaM === null ? undefined : '± mm'}
          testID={`${name}-precision`}
        />
        <Fact about={EXPLANATIONS.witness} label="Rays meet at" value={fixed(now.angleDeg, 0)} unit="°" testID={`${name}-angle`} />
        <Fact about={EXPLANATIONS.witness} label="Of the view in common" value={now.overlap === null ? '–' : fixed(100 * now.overlap, 0)} unit="%" testID={`${name}-overlap`} />
        <Fact about={EXPLANATIONS.witness} label="Both see" value={String(now.both)} unit={`of ${now.seen}`} testID={`${name}-both`} />
      </View>
      <Words look="small" dim style={{ marginTop: SPACE.xs }}>
        {`Over the move: both see ${range(
          watch.moments.map((m) => m.both),
          0,
        )} points${overlaps.length > 0 ? `, ${range(overlaps, 0)} % of the view in common` : ''}, rays meet at ${range(
          watch.moments.map((m) => m.angleDeg),
          0,
        )}°.`}
      </Words>
      <Words look="small" dim testID={`${name}-marks`}>
        {marks.length === 0
          ? 'No mark is seen by both.'
          : `Marks that both see: ${marks
              .slice(0, 12)
              .map((s) => `${s.id} ±${fixed(1000 * s.sigmaM, 1)}`)
              .join(
                ', ',
              )} mm${marks.length > 12 ? ` and ${marks.length - 12} more, ±${fixed(1000 * median(marks.map((s) => s.sigmaM)), 1)} mm in the middle` : ''}. In the worst direction, with both cameras known.`}
      </Words>
    </View>
  );
}
