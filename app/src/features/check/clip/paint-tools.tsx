import type { FootageBody } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { Action, Choice } from '../../../ui/controls';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

const TIPS = { thin: 0.02, middle: 0.045, wide: 0.1 } as const;
export type Tip = keyof typeof TIPS;
/** Of the picture's width, px. */
export const brushWidth = ({ widthPx }: Pick<FootageBody, 'widthPx'>, tip: Tip): number => TIPS[tip] * widthPx;

interface Props {
  tip: Tip;
  strokes: number;
  onTip: (tip: Tip) => void;
  onBack: () => void;
  /** why it cannot be kept; null: it was */
  onKeep: () => string | null;
}

/** How wide the brush is, and what becomes of what was painted. */
export function PaintTools({ tip, strokes, onTip, onBack, onKeep }: Props) {
  const p = usePalette();
  const [fault, setFault] = useState<string | null>(null);
  return (
    <View style={{ marginTop: SPACE.s, gap: SPACE.s }}>
      <Choice<Tip> label="The brush is" value={tip} options={(Object.keys(TIPS) as Tip[]).map((value) => ({ value, title: value }))} onChange={onTip} />
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        <Action kind="main" title="Mask what was painted" disabled={strokes === 0} onPress={() => setFault(onKeep())} testID="keep-paint" />
        <Action title="Take the last stroke back" disabled={strokes === 0} onPress={onBack} testID="paint-back" />
      </View>
      {fault ? <Words role="alert" color={p.against}>{`▲ ${fault}`}</Words> : null}
      <Words look="small" dim>
        With the keyboard a mask is set by corners.
      </Words>
    </View>
  );
}
