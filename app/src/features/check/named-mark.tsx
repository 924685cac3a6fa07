import { G, Path, Text as SvgText } from 'react-native-svg';
import { FONT, usePalette } from '../../ui/theme';

interface Props {
  x: number;
  y: number;
  /** null: there is no room for it */
  name: string | null;
  /** a length of the drawing that looks so many px wide */
  px: (n: number) => number;
}

/** A mark of the set in a drawing of a solve. */
export function NamedMark({ x, y, name, px }: Props) {
  const p = usePalette();
  return (
    <G>
      <Path d={`M${x - px(5)} ${y}h${px(10)}M${x} ${y - px(5)}v${px(10)}`} stroke={p.tape} strokeWidth={px(2)} />
      {name !== null ? (
        <SvgText x={x + px(7)} y={y - px(4)} fontSize={px(12)} fontFamily={FONT.text} fill={p.ink}>
          {name}
        </SvgText>
      ) : null}
    </G>
  );
}
