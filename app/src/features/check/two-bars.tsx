import type { ReconcileItem } from '@mesure/core';
import { View } from 'react-native';
import Svg, { G, Line, Rect, Text as SvgText } from 'react-native-svg';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { FONT, SPACE, usePalette } from '../../ui/theme';
import { VerdictMark } from '../../ui/verdict-mark';

const WIDTH = 340;
const LEFT = 66;
const BAR = 20;

/** A round step that gives four to nine marks up to `max`. */
function stepFor(max: number): number {
  const power = 10 ** Math.floor(Math.log10(max / 4));
  return [1, 2, 5, 10].map((m) => m * power).find((s) => max / s <= 8) ?? max;
}

export const QUANTITY_WORDS: Record<ReconcileItem['quantity'], string> = { focalLength: 'Focal length', cameraHeight: 'Camera height', length: 'Tie' };

/** Recorded and solved as two strips of one tape, from zero, with their tolerances of two sigma; the verdict beside them. */
export function TwoBars({ item }: { item: ReconcileItem }) {
  const p = usePalette();
  const digits = item.unit === 'mm' ? 2 : 3;
  const max = Math.max(item.recorded + 2 * item.recordedSigma, (item.solved ?? 0) + 2 * (item.sigma ?? 0)) * 1.08;
  const x = (v: number) => LEFT + ((WIDTH - LEFT - 8) * v) / max;
  const step = stepFor(max);
  const marks = Array.from({ length: Math.floor(max / step) + 1 }, (_, i) => i * step);
  const whisker = (v: number, sigma: number, y: number) => (
    <G>
      <Line x1={x(Math.max(0, v - 2 * sigma))} x2={x(v + 2 * sigma)} y1={y} y2={y} stroke={p.ink} strokeWidth={2} />
      <Line x1={x(Math.max(0, v - 2 * sigma))} x2={x(Math.max(0, v - 2 * sigma))} y1={y - 5} y2={y + 5} stroke={p.ink} strokeWidth={2} />
      <Line x1={x(v + 2 * sigma)} x2={x(v + 2 * sigma)} y1={y - 5} y2={y + 5} stroke={p.ink} strokeWidth={2} />
    </G>
  );
  const name = `${QUANTITY_WORDS[item.quantity]}${item.quantity === 'focalLength' ? '' : `, ${item.about}`}`;
  return (
    <View style={{ paddingVertical: SPACE.m, borderBottomWidth: 1, borderColor: p.line }} testID={`item-${item.quantity}-${item.about}`}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center', flexWrap: 'wrap' }}>
        <Words look="heading" level={3}>
          {name}
        </Words>
        <VerdictMark verdict={item.verdict} />
      </View>
      <Svg width="100%" height={88} viewBox={`0 0 ${WIDTH} 88`} preserveAspectRatio="xMinYMid meet" role="img" aria-label={item.sentence}>
        <SvgText x={0} y={21} fontSize={13} fontFamily={FONT.text} fill={p.dim}>
          recorded
        </SvgText>
        <Rect x={LEFT} y={7} width={Math.max(1, x(item.recorded) - LEFT)} height={BAR} fill={p.tape} />
        {whisker(item.recorded, item.recordedSigma, 7 + BAR / 2)}
        <SvgText x={0} y={51} fontSize={13} fontFamily={FONT.text} fill={p.dim}>
          solved
        </SvgText>
        {item.solved !== null ? (
          <Rect x={LEFT} y={37} width={Math.max(1, x(item.solved) - LEFT)} height={BAR} fill="none" stroke={p.blue} strokeWidth={2.5} />
        ) : (
          <SvgText x={LEFT} y={51} fontSize={13} fontFamily={FONT.text} fill={p.dim}>
            not seen by this solve
          </SvgText>
        )}
        {item.solved !== null ? whisker(item.solved, item.sigma ?? 0, 37 + BAR / 2) : null}
        {marks.map((m) => (
          <G key={m}>
            <Line x1={x(m)} x2={x(m)} y1={62} y2={69} stroke={p.dim} strokeWidth={1} />
            <SvgText x={x(m)} y={83} fontSize={12} fontFamily={FONT.figures} fill={p.dim} textAnchor="middle">
              {fixed(m, step < 1 ? 1 : 0)}
            </SvgText>
          </G>
        ))}
        <Line x1={LEFT} x2={WIDTH - 8} y1={62} y2={62} stroke={p.dim} strokeWidth={1} />
      </Svg>
      <Words look="small" dim>
        {`recorded ${fixed(item.recorded, digits)} ± ${fixed(item.recordedSigma, digits)} ${item.unit}`}
        {item.solved !== null ? ` · solved ${fixed(item.solved, digits)} ± ${fixed(item.sigma, digits)} ${item.unit} · difference ${fixed(item.difference, digits)} ${item.unit}` : ''}
      </Words>
      {item.verdict === 'not observable' ? <Words look="small">{item.sentence}</Words> : null}
    </View>
  );
}
