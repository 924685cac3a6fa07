import { View } from 'react-native';
import { Words } from './text';
import { SPACE } from './theme';

/** One line of a list that is put in order. */
export function SortableWords({ title, detail }: { title: string; detail?: string }) {
  return (
    <View style={{ flex: 1, minWidth: 0, paddingVertical: SPACE.s }}>
      <Words>{title}</Words>
      {detail ? (
        <Words look="small" dim>
          {detail}
        </Words>
      ) : null}
    </View>
  );
}
