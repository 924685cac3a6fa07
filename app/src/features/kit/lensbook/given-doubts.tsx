import { givenDoubts, type GivenLens, type GridOutcome, type StoredRecord } from '@mesure/contract';
import { View } from 'react-native';
import { useAnalysesState, useMayWrite, useRecordsState } from '../../../data';
import { Action } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { useMeasuredPlates } from './use-book';

/** How it is read, in a line. */
export function givenWords(given: GivenLens): string {
  if (given.what === 'map') return `ST map that ${given.way}${given.stretch === 1 ? '' : `, pixels ${given.stretch} times as wide`}`;
  return `coefficients, ${given.formula === 'angle' ? 'of the angle' : given.formula}, over ${given.over === 'focal length' && given.focalMm ? `${given.focalMm} mm` : given.over}, ${given.direction}`;
}

/** What speaks against how it is read, each with the reading that would explain it. */
export function GivenDoubts({ plate, outcome }: { plate: StoredRecord<'plate'>; outcome: GridOutcome }) {
  const p = usePalette();
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const start = useAnalysesState((s) => s.start);
  const mayWrite = useMayWrite();
  const known = useMeasuredPlates().filter((m) => m.id !== plate.id && m.plate.lensId === plate.body.lensId);
  const doubts = givenDoubts(plate.body, outcome.report, outcome.count, known);
  if (doubts.length === 0) return null;
  async function read(given: GivenLens) {
    await write('plate', plate.id, (b) => ({ ...b, given }), `${plate.body.picture.name}: ${givenWords(given)}`);
    await send();
    await start('grid', plate.id);
  }
  return (
    <View style={{ borderLeftWidth: 4, borderColor: p.against, paddingLeft: SPACE.m, marginVertical: SPACE.s, gap: SPACE.s }} testID="given-doubts">
      {doubts.map((d) => (
        <View key={d.code} style={{ gap: SPACE.xs, alignItems: 'flex-start' }}>
          <Words color={p.against}>{`▲ ${d.words}`}</Words>
          {mayWrite && d.reading && d.title ? <Action title={d.title} icon="swap-horiz" onPress={() => void read(d.reading!)} testID={`read-${d.code}`} /> : null}
        </View>
      ))}
    </View>
  );
}
