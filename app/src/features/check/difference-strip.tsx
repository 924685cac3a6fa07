import type { ReconcileItem } from '@mesure/core';
import { View } from 'react-native';
import Svg, { G, Line, Rect, Text as SvgText } from 'react-native-svg';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { FONT, SPACE, usePalette } from '../../ui/theme';
import { VerdictMark } from '../../ui/verdict-mark';

const WIDTH = 340;
const EDGE = 14;
const MIDDLE = WIDTH / 2;
const BAND = { y: 18, height: 26 };

export const QUANTITY_WORDS: Record<ReconcileItem['quantity'], string> = {
  focalLength: 'Focal length',
  cameraHeight: 'Camera height',
  length: 'Tie',
  distance: 'Distance to',
  tilt: 'Tilt',
  roll: 'Roll',
  squeeze: 'Squeeze',
  principalX: 'Principal point across',
  principalY: 'Principal point down',
  witnessOffset: 'Witness',
  witnessAngle: 'Witness',
};
/** What a take has one of needs no word about which. */
const ALONE: readonly ReconcileItem['quantity'][] = ['focalLength', 'squeeze', 'principalX', 'principalY'];
const DIGITS: Record<ReconcileItem['unit'], number> = { mm: 2, m: 3, '°': 2, '×': 3, px: 1 };

/** A round step that leaves two to four marks on each side. */
function stepFor(reach: number): number {
  const power = 10 ** Math.floor(Math.log10(reach / 2));
  return [1, 2, 5, 10].map((m) => m * power).find((s) => reach / s <= 4) ?? reach;
}

/**
 * What the solve says against what was recorded, as the difference: in the middle the record with its tolerance (two sigma) as a strip of
 * tape, on the line the solved value with its own. Two bars from zero would be of nearly equal length and say nothing.
 */
export function DifferenceStrip({ item }: { item: ReconcileItem }) {
  const p = usePalette();
  const digits = DIGITS[item.unit];
  const { difference, recordedSigma } = item;
  const sigma = item.sigma ?? 0;
  const reach = 1.15 * Math.max(2 * recordedSigma, Math.abs(difference ?? 0) + 2 * sigma, 1e-9);
  const x = (v: number) => MIDDLE + ((MIDDLE - EDGE) * v) / reach;
  const step = stepFor(reach);
  const count = Math.floor(reach / step);
  const marks = Array.from({ length: 2 * count + 1 }, (_, i) => (i - count) * step);
  const name = `${QUANTITY_WORDS[item.quantity]}${ALONE.includes(item.quantity) ? '' : `${item.quantity === 'distance' ? ' ' : ', '}${item.about}`}`;
  const y = BAND.y + BAND.height / 2;
  return (
    <View style={{ paddingVertical: SPACE.m, borderBottomWidth: 1, borderColor: p.line }} testID={`item-${item.quantity}-${item.about}`}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center', flexWrap: 'wrap' }}>
        <Words look="heading" level={3}>
          {name}
        </Words>
        <VerdictMark verdict={item.verdict} />
      </View>
      <Svg width="100%" height={76} viewBox={`0 0 ${WIDTH} 76`} preserveAspectRatio="xMinYMid meet" role="img" aria-label={item.sentence}>
        <Rect x={x(-2 * recordedSigma)} y={BAND.y} width={Math.max(2, x(2 * recordedSigma) - x(-2 * recordedSigma))} height={BAND.height} fill={p.tape} />
        <Line x1={MIDDLE} x2={MIDDLE} y1={BAND.y} y2={BAND.y + BAND.height} stroke={p.onTape} strokeWidth={2} />
        <SvgText x={MIDDLE} y={12} fontSize={12} fontFamily={FONT.text} fill={p.dim} textAnchor="middle">
          recorded
        </SvgText>
        {difference === null ? null : (
          <G>
            <Line x1={x(difference - 2 * sigma)} x2={x(difference + 2 * sigma)} y1={y} y2={y} stroke={p.blue} strokeWidth={3} />
            <Line x1={x(difference - 2 * sigma)} x2={x(difference - 2 * sigma)} y1={y - 6} y2={y + 6} stroke={p.blue} strokeWidth={2} />
            <Line x1={x(difference + 2 * sigma)} x2={x(difference + 2 * sigma)} y1={y - 6} y2={y + 6} stroke={p.blue} strokeWidth={2} />
            <Line x1={x(difference)} x2={x(difference)} y1={BAND.y - 3} y2={BAND.y + BAND.height + 3} stroke={p.blue} strokeWidth={4} />
          </G>
        )}
        <Line x1={EDGE} x2={WIDTH - EDGE} y1={52} y2={52} stroke={p.dim} strokeWidth={1} />
        {marks.map((m) => (
          <G key={m}>
            <Line x1={x(m)} x2={x(m)} y1={52} y2={58} stroke={p.dim} strokeWidth={1} />
            <SvgText x={x(m)} y={72} fontSize={12} fontFamily={FONT.figures} fill={p.dim} textAnchor="middle">
              {m === 0 ? '0' : `${m > 0 ? '+' : '−'}${Number(Math.abs(m).toPrecision(3))}`}
            </SvgText>
          </G>
        ))}
      </Svg>
      <Words look="small" dim>
        {`recorded ${fixed(item.recorded, digits)} ± ${fixed(recordedSigma, digits)} ${item.unit}`}
        {item.solved !== null ? ` · solved ${fixed(item.solved, digits)} ± ${fixed(item.sigma, digits)} ${item.unit} · difference ${fixed(difference, digits)} ${item.unit}` : ''}
      </Words>
      {item.verdict === 'not observable' ? <Words look="small">{item.sentence}</Words> : null}
    </View>
  );
}
