import { View } from 'react-native';
import { Action } from './controls';
import { Words } from './text';
import { SPACE } from './theme';

/** What a text can be meant as: what to write instead, and that in words. */
export interface Reading {
  write: string;
  words: string;
}

/** The question that these readings answer. */
export const askedWords = (why: string, readings: readonly unknown[]): string => `${why}. ${readings.length === 1 ? 'Is it meant?' : 'Which is it?'}`;

/** Under a field whose text can be meant in more than one way, or in one that nobody would expect. */
export function Readings({ readings, onChoose, testID }: { readings: readonly Reading[]; onChoose: (write: string) => void; testID?: string }) {
  return (
    <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }} testID={testID ? `${testID}-asked` : undefined}>
      {readings.map((r) => (
        <Action
          key={r.write}
          title={readings.length === 1 && !r.words.startsWith('Keep ') ? `Keep ${r.words}` : r.words}
          onPress={() => onChoose(r.write)}
          testID={`reading-${r.write.replace(/!$/, '')}`}
        />
      ))}
      <Words look="small" dim style={{ width: '100%' }}>
        Nothing is kept until you choose; or type it again.
      </Words>
    </View>
  );
}
