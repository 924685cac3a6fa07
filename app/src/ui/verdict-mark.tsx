import { View } from 'react-native';
import Svg, { Circle, Line } from 'react-native-svg';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

export type VerdictName = 'agrees' | 'drifts' | 'contradicts' | 'not observable' | 'not checked';
const WORDS: Record<VerdictName, string> = { agrees: 'agrees', drifts: 'drifts', contradicts: 'contradicts', 'not observable': 'not observable', 'not checked': 'not checked' };

/** Two rules laid side by side: level they agree, shifted they drift, crossed they contradict; a broken ring was not seen. */
export function VerdictMark({ verdict, large }: { verdict: VerdictName; large?: boolean }) {
  const p = usePalette();
  const color = { agrees: p.blue, drifts: p.tape, contradicts: p.against, 'not observable': p.dim, 'not checked': p.dim }[verdict];
  const ink = p.light === 'daylight' && verdict === 'drifts' ? p.ink : color;
  const size = large ? 30 : 20;
  return (
    <View style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.xs }}>
      <Svg width={size} height={size} viewBox="0 0 20 20" aria-hidden>
        {verdict === 'agrees' ? (
          <>
            <Line x1={2} y1={7} x2={18} y2={7} stroke={ink} strokeWidth={3} />
            <Line x1={2} y1={13} x2={18} y2={13} stroke={ink} strokeWidth={3} />
          </>
        ) : null}
        {verdict === 'drifts' ? (
          <>
            <Line x1={1} y1={7} x2={13} y2={7} stroke={ink} strokeWidth={3} />
            <Line x1={7} y1={13} x2={19} y2={13} stroke={ink} strokeWidth={3} />
          </>
        ) : null}
        {verdict === 'contradicts' ? (
          <>
            <Line x1={3} y1={3} x2={17} y2={17} stroke={ink} strokeWidth={3} />
            <Line x1={17} y1={3} x2={3} y2={17} stroke={ink} strokeWidth={3} />
          </>
        ) : null}
        {verdict === 'not observable' ? <Circle cx={10} cy={10} r={7} stroke={ink} strokeWidth={2.5} strokeDasharray="4 3.3" fill="none" /> : null}
        {verdict === 'not checked' ? <Circle cx={10} cy={10} r={2.5} fill={ink} /> : null}
      </Svg>
      <Words look={large ? 'title' : 'small'} color={ink}>
        {WORDS[verdict]}
      </Words>
    </View>
  );
}
