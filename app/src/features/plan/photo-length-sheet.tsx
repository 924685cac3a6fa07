import type { MeasuredLength } from '@mesure/contract';
import type { PhotoLength } from '@mesure/core';
import { useState } from 'react';
import { Action, Choice, Sheet } from '../../ui/controls';
import { LengthEntry } from '../../ui/length-entry';
import { useLengthUnit } from '../floor/use-floor';

/** A tape over a few metres, held by one person. */
const TOLERANCE_M = 0.01;

/** What was measured between the two ends that were just marked. */
export function PhotoLengthSheet({ number, onKeep, onClose }: { number: number; onKeep: (kind: PhotoLength['kind'], length: MeasuredLength) => void; onClose: () => void }) {
  const unit = useLengthUnit();
  const [kind, setKind] = useState<PhotoLength['kind']>('ground');
  const [length, setLength] = useState<MeasuredLength | null>(null);
  return (
    <Sheet title={`Length ${number}`} open onClose={onClose}>
      <Choice
        label="It lies"
        value={kind}
        options={[
          { value: 'ground', title: 'on the floor', detail: 'both ends' },
          { value: 'upright', title: 'upright', detail: 'stands on the floor' },
        ]}
        onChange={setKind}
      />
      <LengthEntry
        label="As measured"
        quantity="distance"
        value={length}
        unit={unit}
        startM={1}
        chooseUnit
        draft={['recce', `length ${number}`]}
        onCommit={(l) => setLength({ typed: l.typed, unit: l.unit, valueM: l.valueM, toleranceM: TOLERANCE_M })}
      />
      <Action kind="main" title="Keep this length" disabled={!length || length.valueM <= 0} onPress={() => length && onKeep(kind, length)} testID="keep-photo-length" />
    </Sheet>
  );
}
