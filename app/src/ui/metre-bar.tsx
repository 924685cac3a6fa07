import { G, Line, Text as SvgText } from 'react-native-svg';
import { FONT } from './theme';

/** One metre, in a drawing whose units are metres. */
export function MetreBar({ x, y, px, ink }: { x: number; y: number; px: (n: number) => number; ink: string }) {
  return (
    <G>
      <Line x1={x} y1={y} x2={x + 1} y2={y} stroke={ink} strokeWidth={px(2)} />
      <Line x1={x} y1={y - px(4)} x2={x} y2={y + px(4)} stroke={ink} strokeWidth={px(2)} />
      <Line x1={x + 1} y1={y - px(4)} x2={x + 1} y2={y + px(4)} stroke={ink} strokeWidth={px(2)} />
      <SvgText x={x + 0.5} y={y - px(6)} fontSize={px(11)} fontFamily={FONT.figures} fill={ink} textAnchor="middle">
        1 m
      </SvgText>
    </G>
  );
}
