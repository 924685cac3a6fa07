import { Pressable, View } from 'react-native';
import { Words } from '../../ui/text';
import { SPACE, TOUCH_PX, usePalette } from '../../ui/theme';

interface ChipsProps {
  ids: readonly string[];
  on: readonly string[];
  onPress: (id: string) => void;
  what: string;
  disabled?: boolean;
  /** ticked by something else, and not to be changed here */
  held?: readonly string[];
}

/** Short names to tick on and off. */
export function Chips({ ids, on, onPress, what, disabled, held = [] }: ChipsProps) {
  const p = usePalette();
  return (
    <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginVertical: SPACE.s }}>
      {ids.map((id) => {
        const active = on.includes(id);
        return (
          <Pressable
            key={id}
            disabled={disabled || held.includes(id)}
            role="checkbox"
            aria-checked={active}
            aria-label={`${what} ${id}`}
            onPress={() => onPress(id)}
            style={{
              minWidth: TOUCH_PX,
              minHeight: TOUCH_PX,
              paddingHorizontal: SPACE.s,
              alignItems: 'center',
              justifyContent: 'center',
              borderRadius: 6,
              borderWidth: active ? 2 : 1,
              borderColor: active ? p.tape : p.line,
              backgroundColor: active ? p.sunk : p.raised,
            }}
          >
            <Words look="small">{active ? `● ${id}` : id}</Words>
          </Pressable>
        );
      })}
    </View>
  );
}
