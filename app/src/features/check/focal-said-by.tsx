import { focalWitnesses, sameOrOther, type FocalWitness } from '@mesure/contract';
import { countOf, type ReconcileItem } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { View } from 'react-native';
import { useAll, useAnalysesState } from '../../data';
import { Row } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

const WAY: Record<FocalWitness['kind'], (w: FocalWitness) => Href> = {
  plate: (w) => `/kit/plate/${w.id}` as Href,
  walk: (w) => `/floor/stills/${w.id}` as Href,
  take: (w) => `/check/${w.id}` as Href,
};
/** Of many that say the same these are enough; plates and walks, which know nothing of the tracks, come first. Whoever says otherwise is always shown. */
const SHOWN = 3;
const NOUN: Record<FocalWitness['kind'], string> = { plate: 'Plate', walk: 'Stills of', take: '' };

/** Plates, stills walks and other takes of the package that say the same of its focal length, and those that say something else: one finding with its witnesses. */
export function FocalSaidBy({ item, packageId, takeId }: { item: ReconcileItem; packageId: string; takeId: string }) {
  const router = useRouter();
  const bySubject = useAnalysesState((s) => s.bySubject);
  const [plates, plans, setups, takes] = [useAll('plate'), useAll('plan'), useAll('setup'), useAll('take')];
  const lists = { plate: plates, plan: plans, setup: setups, take: takes };
  const { same, other } = sameOrOther(item, focalWitnesses(packageId, takeId, bySubject, ((kind: keyof typeof lists) => lists[kind]) as Parameters<typeof focalWitnesses>[3]));
  if (same.length + other.length === 0) return null;
  const list = (witnesses: FocalWitness[], mark: string) =>
    witnesses.map((w) => (
      <Row
        key={`${w.kind} ${w.id}`}
        testID={`said-by-${w.name}`}
        title={`${mark} ${NOUN[w.kind] ? `${NOUN[w.kind]} ` : ''}${w.name}`}
        detail={`${fixed(w.foundMm, 2)} ± ${fixed(w.sigmaMm, 2)} mm where ${fixed(w.recordedMm, 2)} was noted${w.stale ? ', of the record before a change' : ''}`}
        onPress={() => router.push(WAY[w.kind](w))}
      />
    ));
  return (
    <View testID="focal-said-by" style={{ marginTop: SPACE.s }}>
      <Words look="small" dim>
        {same.length === 0
          ? `${countOf(other.length, 'other witness of this lens says', 'other witnesses of this lens say')} something else of the record.`
          : `${countOf(same.length, 'other witness says', 'other witnesses say')} the same of the record${other.length > 0 ? `, ${other.length} something else` : ''}${same.length > SHOWN ? `; the first ${SHOWN} of them` : ''}.`}
      </Words>
      <View style={{ marginHorizontal: -SPACE.m }}>
        {list(same.slice(0, SHOWN), '=')}
        {list(other, '≠')}
      </View>
    </View>
  );
}
