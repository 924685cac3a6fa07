import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useData, useMayWrite, useMounted } from '../../data';
import { Action, IconAction } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { NewSetupSheet } from '../setups/new-setup-sheet';
import { MountSheet } from './mount-sheet';

type Step = 'camera' | 'grid' | 'setup';
const key = (productionId: string): string => `mesure-skipped:${productionId}`;

function skippedIn(productionId: string): Step[] {
  try {
    return JSON.parse(globalThis.localStorage?.getItem(key(productionId)) ?? '[]') as Step[];
  } catch {
    return [];
  }
}

/** Does the list of first steps say that a setup comes next? Then nothing else on the page says it again. */
export function useSetupIsFirst(): boolean {
  const { session } = useData();
  const mayWrite = useMayWrite();
  return useAll('setup').length === 0 && mayWrite && !skippedIn(session.production.id).includes('setup');
}

/** What comes first on an empty production: three steps, each done for real or skipped, and gone for good when they are. */
export function FirstSteps({ place }: { place: 'kit' | 'plan' | 'floor' }) {
  const p = usePalette();
  const router = useRouter();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const packages = useMounted();
  const plates = useAll('plate').length;
  const setups = useAll('setup').length;
  const [skipped, setSkipped] = useState<Step[]>(() => skippedIn(session.production.id));
  const [sheet, setSheet] = useState<'camera' | 'setup' | null>(null);
  const steps: { step: Step; title: string; why: string; button: string; done: boolean; ready: boolean; act: () => void }[] = [
    {
      step: 'camera',
      title: 'Mount the first camera',
      why: 'Body, the mode that is used, lens: what the camera sees follows from them.',
      button: 'Mount a camera',
      done: packages.length > 0,
      ready: true,
      act: () => setSheet('camera'),
    },
    {
      step: 'grid',
      title: 'Shoot its first lens grid',
      why: 'A flat chart, square on, filling the frame: how this lens bends.',
      button: 'Add a grid picture',
      done: plates > 0,
      ready: packages.length > 0,
      act: () => router.push(`/kit/${packages[0]?.id}` as Href),
    },
    {
      step: 'setup',
      title: 'Open the first setup',
      why: 'Scene and kind of move. It can be planned, or shot at once.',
      button: 'Open a setup',
      done: setups > 0,
      ready: true,
      act: () => setSheet('setup'),
    },
  ];
  const open = steps.filter((s) => !s.done && !skipped.includes(s.step));
  if (!mayWrite || open.length === 0) return sheetOf();
  const skip = (step: Step) => {
    const next = [...skipped, step];
    setSkipped(next);
    try {
      globalThis.localStorage?.setItem(key(session.production.id), JSON.stringify(next));
    } catch {
      // skipped until the page is loaded again
    }
  };
  const first = open.find((s) => s.ready);
  function sheetOf() {
    if (sheet === 'camera') return <MountSheet onClose={() => setSheet(null)} />;
    return sheet === 'setup' ? <NewSetupSheet place={place === 'plan' ? 'plan' : 'floor'} onClose={() => setSheet(null)} /> : null;
  }
  return (
    <View style={{ borderTopWidth: 4, borderColor: p.tape, backgroundColor: p.raised, padding: SPACE.m, marginVertical: SPACE.m, gap: SPACE.m }} testID="first-steps">
      <Words look="heading" level={2}>
        What comes first
      </Words>
      {steps.map((s, i) => (
        <View key={s.step} style={{ flexDirection: 'row', gap: SPACE.m, alignItems: 'flex-start', opacity: s.done || skipped.includes(s.step) ? 0.75 : 1 }}>
          <Words look="figure" accessibilityLabel={s.done ? 'done' : `step ${i + 1}`} style={{ width: 22 }}>
            {s.done ? '✓' : String(i + 1)}
          </Words>
          <View style={{ flex: 1, gap: SPACE.xs }}>
            <Words>{s.title}</Words>
            {s.done || skipped.includes(s.step) ? null : (
              <>
                <Words look="small" dim>
                  {s.why}
                </Words>
                <View style={{ alignItems: 'flex-start' }}>
                  <Action kind={s === first ? 'main' : 'plain'} title={s.button} disabled={!s.ready} onPress={s.act} testID={`step-${s.step}`} />
                </View>
              </>
            )}
          </View>
          {s.done || skipped.includes(s.step) ? null : <IconAction icon="close" label={`Skip: ${s.title}`} onPress={() => skip(s.step)} />}
        </View>
      ))}
      {sheetOf()}
    </View>
  );
}
