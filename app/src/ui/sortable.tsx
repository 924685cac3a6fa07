import { View } from 'react-native';
import { IconAction } from './controls';
import { SortableWords } from './sortable-words';
import { SPACE, usePalette } from './theme';

export interface SortableProps {
  label: string;
  items: readonly { id: string; title: string; detail?: string }[];
  onMove: (id: string, to: number) => void;
}

/** A list that a person puts in order; where there is no pointer to drag with, by one step up or down. The web has its own (sortable.web). */
export function Sortable({ label, items, onMove }: SortableProps) {
  const p = usePalette();
  return (
    <View role="list" aria-label={label}>
      {items.map((item, i) => (
        <View key={item.id} role="listitem" style={{ flexDirection: 'row', alignItems: 'center', borderBottomWidth: 1, borderColor: p.line, gap: SPACE.s }}>
          <SortableWords {...item} />
          <IconAction icon="arrow-upward" label={`${item.title}: earlier`} disabled={i === 0} onPress={() => onMove(item.id, i - 1)} />
          <IconAction icon="arrow-downward" label={`${item.title}: later`} disabled={i === items.length - 1} onPress={() => onMove(item.id, i + 1)} />
        </View>
      ))}
    </View>
  );
}
