import { plateCauses, type MountedPackage, type StoredRecord } from '@mesure/contract';
import type { PlateFinding } from '@mesure/core';
import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { useAll, useAnalysesState, useFind, useMayWrite, useRecordsState } from '../../../data';
import { Action } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

interface Props {
  plate: StoredRecord<'plate'>;
  findings: readonly PlateFinding[];
  mounted: MountedPackage;
  onEntries: () => void;
}

/** Where a plate speaks against what was recorded: first of all, with what may be the cause and its correction. */
export function PlateFindings({ plate, findings, mounted, onEntries }: Props) {
  const p = usePalette();
  if (findings.length === 0) return null;
  return (
    <View style={{ borderLeftWidth: 4, borderColor: p.against, paddingLeft: SPACE.m, marginTop: SPACE.m, gap: SPACE.s }} testID="plate-findings">
      {findings.map((f) => (
        <View key={`${f.from} ${f.of}`} style={{ gap: SPACE.xs }}>
          <Words look="heading" level={2}>{`▲ ${f.words}`}</Words>
          <Causes plate={plate} finding={f} mounted={mounted} onEntries={onEntries} />
        </View>
      ))}
    </View>
  );
}

function Causes({ plate, finding, mounted, onEntries }: Omit<Props, 'findings'> & { finding: PlateFinding }) {
  const router = useRouter();
  const find = useFind();
  const mayWrite = useMayWrite();
  const packages = useAll('package');
  const adapters = useAll('adapter');
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const start = useAnalysesState((s) => s.start);
  const causes = plateCauses(finding, plate.body, mounted, { packages, adapters, find });
  const correct = async (change: object, words: string) => {
    await write('plate', plate.id, (now) => ({ ...now, ...change }), `${plate.body.picture.name}: ${words}`);
    await send();
    await start('grid', plate.id);
  };
  return (
    <>
      {causes.map((c, i) => (
        <View key={c.words} style={{ alignItems: 'flex-start', gap: SPACE.xs }}>
          <Words look="small">{`${i === 0 ? 'Likely' : 'Or'}: ${c.words}.`}</Words>
          {!mayWrite ? null : c.change ? (
            <Action title="It was so: correct it" label={`${c.words}: correct it`} icon="done" onPress={() => void correct(c.change!, c.words)} testID={`plate-cause-${i}`} />
          ) : (
            <Action title="Go to the package" label={`${c.words}: go to the package`} icon="arrow-forward" onPress={() => router.push(`/kit/${plate.body.packageId}`)} testID={`plate-cause-${i}`} />
          )}
        </View>
      ))}
      {causes.length === 0 && mayWrite ? (
        <View style={{ alignItems: 'flex-start' }}>
          <Words look="small">Nothing in Kit explains it. Look at what was entered.</Words>
          <Action title="What was entered" icon="edit" onPress={onEntries} />
        </View>
      ) : null}
    </>
  );
}
