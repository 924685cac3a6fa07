import { bookRange, factorOf, mountPackage, type Analysis, type PlateBody } from '@mesure/contract';
import { lensDay, type DayShot } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useAnalysesState, useMounted, useFind, useMayWrite, usePicturesState } from '../../../data';
import { Action, Progress, Row, Section } from '../../../ui/controls';
import { fixed, focal } from '../../../ui/format';
import { pickFiles } from '../../../ui/pick-file';
import { Empty } from '../../../ui/states';
import { Figure, Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { focusWords } from './book-field';
import { OnTheWay } from '../../pictures/on-the-way';
import { NewPlates } from './new-plates';
import { PLATE_FILES } from './picture-words';

/** The lens day: what to shoot, ticked off by the pictures that arrive. One thumb: the next one is always at the bottom. */
export function LensDayScreen() {
  return (
    <RecordsGate what="the lens day">
      <LensDayList />
    </RecordsGate>
  );
}

function LensDayList() {
  const router = useRouter();
  const find = useFind();
  const mayWrite = useMayWrite();
  const lenses = [...useAll('lens')].sort((a, b) => a.body.minFocalMm - b.body.minFocalMm);
  const packages = useMounted();
  const plates = useAll('plate');
  const bySubject = useAnalysesState((s) => s.bySubject);
  const waiting = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'plate');
  const [picked, setPicked] = useState<{ files: File[]; shot: DayShot } | null>(null);
  const [skipped, setSkipped] = useState<ReadonlySet<string>>(new Set());

  const cameras = packages.flatMap((p) => {
    const m = mountPackage(p.body, find);
    return 'missing' in m ? [] : [{ packageId: p.id, lensId: p.body.lensId, bodyId: p.body.bodyId, modeId: p.body.modeId, factor: factorOf(m) }];
  });
  // a picture that is still on its way, or not measured yet, is shot all the same; one that cannot be used is to be shot again
  const shot = [...plates.filter((p) => !isRefused(bySubject[p.id])).map((p) => p.body), ...waiting.map((w) => w.body as PlateBody)];
  const day = lensDay(
    lenses.map((l) => ({ lensId: l.id, closeFocusM: l.body.closeFocusM ?? null, ...rangeOf(l.body) })),
    cameras,
    shot,
  );
  const left = day.shots.filter((s) => !s.done);
  const next = left.find((s) => !skipped.has(s.id)) ?? left[0];
  const record = picked ? packages.find((p) => p.id === picked.shot.packageId) : undefined;
  const idle = lenses.filter((l) => !cameras.some((c) => c.lensId === l.id));
  const shoot = (s: DayShot) => void pickFiles(PLATE_FILES).then((files) => files.length > 0 && setPicked({ files, shot: s }));
  const cameraOf = (s: DayShot) => packages.find((p) => p.id === s.packageId);
  const words = (s: DayShot) => `${focal(s.focalMm)} mm${s.focusM === null ? '' : ` at ${focusWords(s.focusM)}`}`;

  return (
    <Page
      action={
        mayWrite && next ? (
          <View style={{ gap: SPACE.s }}>
            <Words testID="next-shot">{`${find('lens', next.lensId)?.body.name}, ${words(next)}, on ${cameraOf(next)?.body.camera}-cam`}</Words>
            <View style={{ flexDirection: 'row', gap: SPACE.m }}>
              <View style={{ flex: 1 }}>
                <Action kind="main" title="Shoot next plate" icon="add-a-photo" onPress={() => shoot(next)} testID="shoot-next" />
              </View>
              {left.length > 1 ? (
                <Action title="Later" onPress={() => setSkipped((s) => (s.size >= left.length - 1 ? new Set() : new Set([...s, next.id])))} testID="later" label="Shoot this one later" />
              ) : null}
            </View>
          </View>
        ) : (
          <Action title="Back to the kit" icon="arrow-back" onPress={() => router.push('/kit')} />
        )
      }
    >
      <Words look="title" level={1}>
        Lens day
      </Words>
      {day.shots.length === 0 ? (
        <Empty title="Nothing to shoot" text="The list is made from the kit: mount each lens on the camera that it is shot with." action={{ title: 'Go to Kit', onPress: () => router.push('/kit') }} />
      ) : (
        <>
          <View testID="day-left" style={{ marginTop: SPACE.s }}>
            <Figure look="big" origin="computed" value={String(left.length)} unit={left.length === 1 ? 'plate left' : 'plates left'} />
          </View>
          <Progress
            fraction={day.done / day.shots.length}
            label={`${day.done} of ${day.shots.length} shot${left.length > 0 ? `, about ${minutes(day.minutesLeft)} left at ${fixed(day.paceMin, day.paceMin < 10 ? 1 : 0)} min a plate${day.paceFrom === 'assumed' ? ' (assumed until there is a pace)' : ''}` : ': all done'}`}
          />
        </>
      )}
      {waiting.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {lenses.map((l) => {
        const mine = day.shots.filter((s) => s.lensId === l.id);
        if (mine.length === 0) return null;
        const open = mine.filter((s) => !s.done).length;
        return (
          <Section
            key={l.id}
            title={l.body.name}
            right={
              <Words look="small" dim>
                {open === 0 ? 'complete' : `${open} of ${mine.length} left`}
              </Words>
            }
          >
            <View style={{ marginHorizontal: -SPACE.m }}>
              {[...mine]
                .sort((a, b) => Number(a.done) - Number(b.done))
                .map((s) => (
                  <Row
                    key={s.id}
                    testID={`shot-${l.body.name}-${s.focalMm}-${s.focusM ?? 'any'}-${cameraOf(s)?.body.camera}`}
                    title={`${s.done ? '● ' : '○ '}${words(s)}`}
                    detail={`${cameraOf(s)?.body.camera}-cam, ${modeName(find, cameraOf(s)?.body)}${s.done ? ' · shot' : ''}`}
                    onPress={mayWrite && !s.done ? () => shoot(s) : undefined}
                  />
                ))}
            </View>
          </Section>
        );
      })}
      {idle.length > 0 ? <Words look="small" dim style={{ marginTop: SPACE.l }}>{`Not mounted, and so not in the list: ${idle.map((l) => l.body.name).join(', ')}.`}</Words> : null}
      {picked && record ? (
        <NewPlates
          files={picked.files}
          record={record}
          preset={{ focalMm: picked.shot.focalMm, focusM: picked.shot.focusM }}
          last={[...plates].sort((a, b) => (a.body.shotAt < b.body.shotAt ? 1 : -1))[0]?.body}
          onClose={() => setPicked(null)}
        />
      ) : null}
    </Page>
  );
}

const isRefused = (a: Analysis | undefined): boolean => a?.status === 'failed' || (a?.outcome?.kind === 'grid' && a.outcome.report.status === 'unusable');

const rangeOf = (lens: Parameters<typeof bookRange>[0]) => {
  const { minFocalMm, maxFocalMm, focusMatters } = bookRange(lens);
  return { minFocalMm, maxFocalMm, focusMatters };
};

function modeName(find: ReturnType<typeof useFind>, pack: { bodyId: string; modeId: string } | undefined): string {
  const body = pack ? find('body', pack.bodyId)?.body : undefined;
  return `${body?.name ?? ''} ${body?.modes.find((m) => m.id === pack?.modeId)?.name ?? ''}`.trim();
}

const minutes = (m: number): string => (m < 90 ? `${Math.round(m)} min` : `${Math.floor(m / 60)} h ${Math.round(m % 60)} min`);
