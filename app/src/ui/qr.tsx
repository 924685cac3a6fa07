import QRCode from 'qrcode';
import Svg, { Path, Rect } from 'react-native-svg';

const QUIET = 4;

/** A code that a phone's camera reads. Dark on light in both lights: cameras expect it so. */
export function Qr({ text, sizePx = 220, label }: { text: string; sizePx?: number; label: string }) {
  const { size, data } = QRCode.create(text, { errorCorrectionLevel: 'M' }).modules;
  let d = '';
  for (let y = 0; y < size; y += 1) for (let x = 0; x < size; x += 1) if (data[y * size + x]) d += `M${x + QUIET} ${y + QUIET}h1v1h-1z`;
  const all = size + 2 * QUIET;
  return (
    <Svg width={sizePx} height={sizePx} viewBox={`0 0 ${all} ${all}`} accessibilityRole="image" accessibilityLabel={label}>
      <Rect x={0} y={0} width={all} height={all} fill="#ffffff" />
      <Path d={d} fill="#15171a" />
    </Svg>
  );
}
