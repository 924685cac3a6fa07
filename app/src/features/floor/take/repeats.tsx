import type { MeasuredLength } from '@mesure/contract';
import { averageReadings, formatLength } from '@mesure/core';
import { View } from 'react-native';
import { Action } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';

/** The readings of one quantity: each of them, their spread, and the one that does not fit. */
export function Repeats({ reading, again, disabled, onAgain, onTakeOut }: { reading: MeasuredLength; again: boolean; disabled: boolean; onAgain: () => void; onTakeOut: (index: number) => void }) {
  const all = reading.repeatsM ?? null;
  const series = all ? averageReadings(all, reading.toleranceM) : null;
  return (
    <View style={{ marginVertical: SPACE.xs }} testID="repeats">
      {all && series ? (
        <>
          <Words look="small">{`${all.length} readings: ${all.map((m) => formatLength(m, reading.unit)).join(', ')}. They spread by ${formatLength(series.spread ?? 0, 'mm')}.`}</Words>
          {series.outlier ? (
            <View testID="outlier">
              <Words look="small">{`◆ Reading ${series.outlier.index + 1} does not fit the others: it is ${formatLength(Math.abs(series.outlier.off), 'mm')} ${series.outlier.off > 0 ? 'above' : 'below'} them.`}</Words>
              {disabled ? null : <Action title={`Take reading ${series.outlier.index + 1} out`} onPress={() => onTakeOut(series.outlier!.index)} testID="take-outlier-out" />}
            </View>
          ) : null}
        </>
      ) : null}
      {disabled ? null : (
        <View style={{ flexDirection: 'row', marginLeft: -SPACE.l }}>
          <Action kind="quiet" icon="replay" title={again ? 'Leave it at what was read' : 'Read again'} onPress={onAgain} testID="read-again" />
        </View>
      )}
    </View>
  );
}
