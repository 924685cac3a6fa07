import { View } from 'react-native';
import { Explained, type Explanation } from './explain';
import { Figure, Words } from './text';

/** A computed number under its name, which explains itself on a tap. */
export function Fact({ label, value, unit, about, testID }: { label: string; value: string; unit?: string; about: Explanation; testID?: string }) {
  return (
    <View testID={testID}>
      <Words look="label" dim>
        {label}
      </Words>
      <Explained about={about} of={label}>
        <Figure value={value} unit={unit} origin="computed" />
      </Explained>
    </View>
  );
}
