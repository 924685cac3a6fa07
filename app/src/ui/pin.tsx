import { Circle, G, Line, Rect, Text as SvgText } from 'react-native-svg';
import { FONT, PICTURE_INK } from './theme';

interface Props {
  name: string;
  at: { x: number; y: number };
  px: (n: number) => number;
  strong?: boolean;
  /** a line from the place towards where it should be, in the drawing's units */
  off?: { dx: number; dy: number };
}

/** A ring round the mark, so that it stays seen, and its name on a plate beside it. */
export function Pin({ name, at, px, strong = false, off }: Props) {
  const width = px(9 + 8 * name.length);
  return (
    <G>
      {off ? <Line x1={at.x} y1={at.y} x2={at.x + off.dx} y2={at.y + off.dy} stroke={PICTURE_INK.mark} strokeWidth={px(2)} /> : null}
      <Circle cx={at.x} cy={at.y} r={px(8)} fill="none" stroke={strong ? PICTURE_INK.mark : PICTURE_INK.light} strokeWidth={px(strong ? 3 : 2)} />
      <Rect x={at.x + px(11)} y={at.y - px(10)} width={width} height={px(20)} fill="#000000" fillOpacity={0.65} />
      <SvgText x={at.x + px(11) + width / 2} y={at.y + px(5)} fontSize={px(14)} fontFamily={FONT.figures} fill={PICTURE_INK.light} textAnchor="middle">
        {name}
      </SvgText>
    </G>
  );
}
