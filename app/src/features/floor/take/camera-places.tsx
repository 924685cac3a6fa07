import { HEIGHT_PLACES, type HeightPlace } from '@mesure/contract';
import { Pressable, View } from 'react-native';
import Svg, { Circle, Line, Path, Rect } from 'react-native-svg';
import { Words } from '../../../ui/text';
import { FONT, SPACE, TOUCH_PX, usePalette } from '../../../ui/theme';

/** Height of each place in the drawing, px. */
const AT: Record<HeightPlace, number> = { 'lens axis': 30, 'body base': 62, 'dolly head': 100 };
const HEIGHT = 132;

/** A camera on its head, from the side: touch the place that the tape was held to. */
export function CameraPlaces({ value, onChange, disabled }: { value: HeightPlace; onChange: (place: HeightPlace) => void; disabled: boolean }) {
  const p = usePalette();
  return (
    <View role="radiogroup" aria-label="Taken at" style={{ flexDirection: 'row', marginVertical: SPACE.s, gap: SPACE.s }}>
      <Svg width={132} height={HEIGHT} viewBox={`0 0 132 ${HEIGHT}`} aria-hidden>
        <Rect x={34} y={10} width={62} height={52} rx={4} fill={p.sunk} stroke={p.blue} strokeWidth={2} />
        <Rect x={8} y={18} width={26} height={24} rx={2} fill={p.sunk} stroke={p.blue} strokeWidth={2} />
        <Circle cx={64} cy={30} r={3} fill={p.blue} />
        <Path d="M 54 62 L 78 62 L 74 84 L 84 100 L 48 100 L 58 84 Z" fill={p.sunk} stroke={p.blue} strokeWidth={2} />
        <Path d="M 50 100 L 34 130 M 66 100 L 66 130 M 82 100 L 98 130" stroke={p.blue} strokeWidth={2} fill="none" />
        {HEIGHT_PLACES.map((place) => (
          <Line
            key={place}
            x1={0}
            y1={AT[place]}
            x2={132}
            y2={AT[place]}
            stroke={place === value ? p.tape : p.line}
            strokeWidth={place === value ? 4 : 1}
            strokeDasharray={place === value ? undefined : '4 4'}
          />
        ))}
      </Svg>
      <View style={{ flex: 1, justifyContent: 'space-between' }}>
        {HEIGHT_PLACES.map((place) => {
          const on = place === value;
          return (
            <Pressable
              key={place}
              role="radio"
              aria-checked={on}
              aria-label={place}
              disabled={disabled}
              onPress={() => onChange(place)}
              style={{
                minHeight: TOUCH_PX - 6,
                justifyContent: 'center',
                paddingHorizontal: SPACE.m,
                borderRadius: 6,
                borderWidth: on ? 2 : 1,
                borderColor: on ? p.tape : p.line,
                backgroundColor: on ? p.sunk : p.raised,
              }}
            >
              <Words look="small" style={on ? { fontFamily: FONT.strong } : undefined}>{`${on ? '● ' : '○ '}${place}`}</Words>
            </Pressable>
          );
        })}
      </View>
    </View>
  );
}
