import { opticsOf, type PackageBody, type PlanBody, type StoredRecord } from '@mesure/contract';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { newId, onto, useAll, useClock, useEditing, useFind, useMayWrite, useRecordsState, type AnyOrder, useMounted } from '../../data';
import { CameBack, useKeptEntry } from '../../forms';
import { Action, Choice, Field, Row, Section, useIsWide } from '../../ui/controls';
import { fixed, focal, readNumber } from '../../ui/format';
import { Empty, Failing } from '../../ui/states';
import { Fact } from '../../ui/fact';
import { Figure, Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { Page, Split } from '../shell/pane';
import { FirstSteps } from '../begin/first-steps';
import { MountSheet } from '../begin/mount-sheet';
import { Explained } from '../../ui/explain';
import { EXPLANATIONS } from '../explanations';
import { RecordsGate } from '../shell/records-gate';
import { SensorDrawing, ViewCone } from './optics-drawings';
import { lensWords, nextCamera, opticsWords, packageParts, viewPackage } from './package-words';
import { BenchSection } from './bench-section';
import { LensPlates } from './lensbook/lens-plates';
import { HeightOffsets } from './height-offsets';
import { PackageHistory } from './package-history';
import { PartsList } from './parts-list';

/** Kit: the cameras as mounted now; one of them open. */
export function KitScreen({ packageId }: { packageId: string | null }) {
  const router = useRouter();
  const wide = useIsWide();
  const all = [...useAll('package')].sort((a, b) => (a.body.camera < b.body.camera ? -1 : 1));
  // what is on the cameras now; what was on them before is found from its takes, and below the list
  const packages = all.filter((q) => !q.body.until);
  const open = all.find((p) => p.id === (packageId ?? (wide ? packages[0]?.id : null)));
  return (
    <RecordsGate what="the kit">
      <Split
        showDetail={packageId !== null}
        list={<PackageList packages={packages} before={all.filter((q) => q.body.until)} selectedId={open?.id ?? null} />}
        detail={
          open ? (
            <PackageEditor key={open.id} record={open} />
          ) : (
            <Page>
              <Empty title="No such package" text="It may have been taken apart. Choose another one from the list." action={{ title: 'Go to the list', onPress: () => router.replace('/kit') }} />
            </Page>
          )
        }
      />
    </RecordsGate>
  );
}

function PackageList({ packages, before, selectedId }: { packages: StoredRecord<'package'>[]; before: StoredRecord<'package'>[]; selectedId: string | null }) {
  const clock = useClock();
  const router = useRouter();
  const find = useFind();
  const mayWrite = useMayWrite();
  const [mounting, setMounting] = useState(false);
  return (
    <Page>
      <Words look="title" level={1}>
        Cameras as mounted
      </Words>
      <FirstSteps place="kit" />
      {packages.length === 0 && mayWrite ? (
        <Empty
          title="No camera is mounted yet"
          text="A package is a body with its recording mode, a lens and an adapter, as mounted."
          action={{ title: 'Mount a camera', onPress: () => setMounting(true) }}
        />
      ) : null}
      {packages.length === 0 && !mayWrite ? <Empty title="No camera is mounted yet" text="As soon as somebody mounts one it stands here." /> : null}
      {mounting ? <MountSheet onClose={() => setMounting(false)} /> : null}
      <View style={{ marginTop: SPACE.s, marginHorizontal: -SPACE.m }}>
        {packages.map((p) => {
          const view = viewPackage(p.body, find);
          return (
            <Row
              key={p.id}
              testID={`package-${p.body.camera}`}
              selected={p.id === selectedId}
              title={`${p.body.camera}-cam`}
              detail={view.status === 'complete' ? `${packageParts(view.mounted)} → ${opticsWords(view.optics)}` : view.why}
              onPress={() => router.push(`/kit/${p.id}`)}
            />
          );
        })}
      </View>
      {before.length > 0 ? (
        <Section title="Before">
          <View style={{ marginHorizontal: -SPACE.m }}>
            {before.map((q) => {
              const view = viewPackage(q.body, find);
              return (
                <Row
                  key={q.id}
                  testID={`before-${q.body.camera}`}
                  selected={q.id === selectedId}
                  title={`${q.body.camera}-cam until ${clock.stamp(q.body.until!)}`}
                  detail={view.status === 'complete' ? packageParts(view.mounted) : view.why}
                  onPress={() => router.push(`/kit/${q.id}`)}
                />
              );
            })}
          </View>
        </Section>
      ) : null}
      {mayWrite ? (
        <View style={{ marginTop: SPACE.m }}>
          <Action title="Mount a new package" icon="add" onPress={() => setMounting(true)} testID="add-package" />
        </View>
      ) : null}
      <View style={{ marginTop: SPACE.s }}>
        <Action title="Lens day: what to shoot" icon="checklist" testID="open-lens-day" onPress={() => router.push('/kit/lens-day')} />
      </View>
      <View style={{ marginTop: SPACE.s }}>
        <Action title="Table of the lens set" icon="table-chart" testID="open-lens-set" onPress={() => router.push('/kit/lens-set')} />
      </View>
      <View style={{ marginTop: SPACE.s }}>
        <Action title="Kit of another film" icon="import-export" testID="open-kit-in" onPress={() => router.push('/kit/other-film')} />
      </View>
      <PartsList />
    </Page>
  );
}

/** The first letter that no camera has. */
function PackageEditor({ record }: { record: StoredRecord<'package'> }) {
  const p = usePalette();
  const find = useFind();
  const bodies = useAll('body');
  const lenses = useAll('lens');
  const adapters = useAll('adapter');
  const write = useRecordsState((s) => s.write);
  const { draft, set, revert, cameBack } = useEditing(record);
  const kept = useKeptEntry<{ focalText: string | null }>(`focal ${record.id}`, { focalText: null });
  const focalText = kept.entry.focalText ?? focal(record.body.focalMm);
  const setFocalText = (text: string) => kept.set({ focalText: text === focal(record.body.focalMm) ? null : text });
  const lens = find('lens', draft.lensId)?.body;
  const typedFocal = readNumber(focalText);
  const focalError =
    typedFocal === null || typedFocal < 1
      ? 'Enter a focal length in mm, such as 32'
      : lens && (typedFocal < lens.minFocalMm - 0.001 || typedFocal > lens.maxFocalMm + 0.001)
        ? `${lens.name} is marked ${lensWords(lens)}`
        : null;
  // offsets are kept by their own fields, at once
  const live: PackageBody = { ...draft, focalMm: typedFocal ?? draft.focalMm, ...(record.body.offsetsM ? { offsetsM: record.body.offsetsM } : {}) };
  const view = viewPackage(live, find);
  const changed = focalError !== null || JSON.stringify(live) !== JSON.stringify(record.body);
  const body = find('body', draft.bodyId)?.body;
  const mayWrite = useMayWrite();
  const router = useRouter();
  const packages = useMounted();
  const takes = useAll('take').filter((t) => t.body.packageId === record.id).length;
  const circle = lens?.imageCircleMm;
  const diagonalMm = view.status === 'complete' ? Math.hypot(view.optics.sensorWidthMm, view.optics.sensorHeightMm) : 0;
  const copy = async () => {
    const id = newId();
    const camera = nextCamera(packages);
    await write('package', id, { ...live, camera }, `${record.body.camera}-cam copied to ${camera}-cam`);
    router.push(`/kit/${id}`);
  };
  const plans = useAll('plan');
  const allTakes = useAll('take');
  const writeMany = useRecordsState((s) => s.writeMany);
  /** Something else is on the camera from this moment on; takes keep what was on it, and plans that were not shot yet take the new one. */
  const mountFromNow = async () => {
    const id = newId();
    const now = new Date().toISOString();
    const shot = new Set(allTakes.map((t) => t.body.setupId));
    const orders: AnyOrder[] = [
      { kind: 'package', id, change: { ...live, since: now, until: null } },
      { kind: 'package', id: record.id, change: (was: PackageBody) => ({ ...was, until: now }) },
      ...plans.filter((q) => q.body.packageId === record.id && !shot.has(q.body.setupId)).map((q) => ({ kind: 'plan' as const, id: q.id, change: (was: PlanBody) => ({ ...was, packageId: id }) })),
    ];
    await writeMany(orders, `${record.body.camera}-cam mounted anew`);
    // it is of the new one now
    revert();
    kept.done();
    router.replace(`/kit/${id}`);
  };
  const keepIt = async () => {
    await write('package', record.id, onto('package', record.body, live), `${record.body.camera}-cam saved`);
    kept.set({ focalText: null });
  };
  const choose = set;
  return (
    <Page
      action={
        changed && mayWrite ? (
          <View style={{ flexDirection: 'row', gap: SPACE.m }}>
            <View style={{ flex: 1, gap: SPACE.xs }}>
              {takes > 0 && !record.body.until ? (
                <Action kind="main" title="On it from now on" disabled={focalError !== null || view.status !== 'complete'} onPress={() => void mountFromNow()} testID="mount-from-now" />
              ) : null}
              <Action
                kind={takes > 0 && !record.body.until ? 'plain' : 'main'}
                title={takes > 0 ? `It was always so: correct ${takes} take${takes === 1 ? '' : 's'}` : `Save ${record.body.camera}-cam`}
                disabled={focalError !== null || view.status !== 'complete'}
                onPress={() => void keepIt()}
                testID="save-package"
              />
            </View>
            <Action
              title="Revert"
              onPress={() => {
                revert();
                kept.set({ focalText: null });
              }}
            />
          </View>
        ) : undefined
      }
    >
      <Words look="title" level={1}>{`${record.body.camera}-cam`}</Words>
      {(cameBack || kept.cameBack) && changed ? <CameBack /> : null}
      {view.status === 'complete' ? (
        <>
          <Words dim>{packageParts(view.mounted)}</Words>
          <View testID="effective-focal" style={{ marginTop: SPACE.s }}>
            <Explained about={EXPLANATIONS.effectiveFocal}>
              <Figure look="big" origin="computed" value={fixed(view.optics.effectiveFocalMm, 2)} unit="mm effective" />
            </Explained>
          </View>
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s, marginTop: SPACE.s }}>
            <Fact about={EXPLANATIONS.fieldOfView} label="Field of view" value={`${fixed(view.optics.fovHorizontalDeg, 1)}° × ${fixed(view.optics.fovVerticalDeg, 1)}°`} />
            <Fact about={EXPLANATIONS.diagonalView} label="Diagonal" value={`${fixed(view.optics.fovDiagonalDeg, 1)}°`} />
            <Fact about={EXPLANATIONS.pictureArea} label="Picture area" value={`${fixed(view.optics.sensorWidthMm, 2)} × ${fixed(view.optics.sensorHeightMm, 2)}`} unit="mm" />
            <Fact about={EXPLANATIONS.pitch} label="Pixel pitch" value={`${fixed(view.optics.pitchXUm, 2)} × ${fixed(view.optics.pitchYUm, 2)}`} unit="µm" />
            <Fact about={EXPLANATIONS.pitch} label="Crop to 36 × 24" value={fixed(view.optics.cropFactor, 2)} />
          </View>
          {circle && circle < diagonalMm ? (
            <Words look="small">{`▲ The lens's image circle of ${circle} mm is smaller than the picture area's diagonal of ${fixed(diagonalMm, 1)} mm: the corners will be dark.`}</Words>
          ) : null}
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.l }}>
            <View style={{ flexGrow: 1, flexBasis: 300 }}>
              <SensorDrawing optics={view.optics} />
            </View>
            <View style={{ flexGrow: 1, flexBasis: 300 }}>
              <ViewCone optics={view.optics} />
            </View>
          </View>
        </>
      ) : (
        <Failing title="This package is not complete" text={view.why} />
      )}
      <Section title="As mounted">
        <Field label="Focal length as marked" suffix="mm" value={focalText} onChangeText={setFocalText} error={focalError} keyboard="decimal-pad" testID="package-focal" />
        <Choice
          label="Body"
          value={draft.bodyId}
          options={bodies.map((b) => ({ value: b.id, title: b.body.name }))}
          onChange={(bodyId) => choose({ bodyId, modeId: find('body', bodyId)!.body.modes[0].id })}
        />
        <Choice
          label="Recording mode"
          value={draft.modeId}
          options={(body?.modes ?? []).map((m) => ({ value: m.id, title: m.name, detail: `${m.widthPx} × ${m.heightPx}, ${fixed(m.sensorWidthMm, 2)} × ${fixed(m.sensorHeightMm, 2)} mm` }))}
          onChange={(modeId) => choose({ modeId })}
        />
        <Choice
          label="Lens"
          value={draft.lensId}
          options={lenses.map((l) => ({ value: l.id, title: l.body.name, detail: l.body.serial ? `${lensWords(l.body)} · ${l.body.serial}` : lensWords(l.body) }))}
          onChange={(lensId) => {
            const next = find('lens', lensId)!.body;
            choose({ lensId });
            if (live.focalMm < next.minFocalMm || live.focalMm > next.maxFocalMm) setFocalText(focal(next.minFocalMm));
          }}
        />
        <Choice<string | null>
          label="Adapter"
          value={draft.adapterId}
          options={[{ value: null, title: 'none' }, ...adapters.map((a) => ({ value: a.id, title: a.body.name, detail: `focal length × ${a.body.factor}` }))]}
          onChange={(adapterId) => choose(adapterId ? { adapterId } : { adapterId, secondAdapterId: null })}
        />
        {draft.adapterId ? (
          <Choice<string | null>
            label="A second adapter behind it"
            value={draft.secondAdapterId ?? null}
            options={[{ value: null, title: 'none' }, ...adapters.map((a) => ({ value: a.id, title: a.body.name, detail: `× ${a.body.factor} more` }))]}
            onChange={(secondAdapterId) => choose({ secondAdapterId })}
          />
        ) : null}
      </Section>
      {mayWrite ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginBottom: SPACE.m }}>
          <Action title="Copy to another camera" icon="content-copy" onPress={() => void copy()} disabled={view.status !== 'complete' || focalError !== null} testID="copy-package" />
          <Action
            title={takes > 0 ? `Used by ${takes} take${takes === 1 ? '' : 's'}` : 'Take it apart'}
            icon="delete-outline"
            disabled={takes > 0}
            testID="remove-package"
            onPress={() => {
              void write('package', record.id, (now) => now, `${record.body.camera}-cam taken apart`, true);
              router.replace('/kit');
            }}
          />
        </View>
      ) : null}
      <View style={{ height: 1, backgroundColor: p.line }} />
      {view.status === 'complete' ? <BenchSection setup={opticsOf(view.mounted, live.focalMm)} optics={view.optics} packageId={record.id} body={live} /> : null}
      <LensPlates record={record} />
      <HeightOffsets record={record} />
      <PackageHistory record={record} />
    </Page>
  );
}
