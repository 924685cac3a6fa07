import { distort, type FrameLens } from '@mesure/core';
import { Path, Rect } from 'react-native-svg';
import { Drawing } from '../../../ui/drawing';
import { usePalette } from '../../../ui/theme';

const ACROSS = 12;
const STEPS = 40;

/** What the lens makes of straight lines: the picture as it is recorded, and where its lines would lie without the lens, dashed. */
export function GivenDrawing({ lens }: { lens: FrameLens }) {
  const p = usePalette();
  const { widthPx: w, heightPx: h, fxPx, fyPx, center } = lens;
  const out = new Float64Array(2);
  const down = Math.max(2, Math.round((ACROSS * h) / w));
  const bent = (x: number, y: number): string | null => {
    distort(lens.distortion, (x - center[0]) / fxPx, (y - center[1]) / fyPx, out);
    return Number.isFinite(out[0]) ? `${(center[0] + out[0] * fxPx).toFixed(1)} ${(center[1] + out[1] * fyPx).toFixed(1)}` : null;
  };
  const line = (at: (s: number) => [number, number]): string => {
    const places = Array.from({ length: STEPS + 1 }, (_, i) => bent(...at(i / STEPS))).filter((q) => q !== null);
    return places.length > 1 ? `M${places.join('L')}` : '';
  };
  const numbers = (n: number) => Array.from({ length: n + 1 }, (_, i) => i / n);
  const curves = [...numbers(ACROSS).map((a) => line((s) => [a * w, s * h])), ...numbers(down).map((a) => line((s) => [s * w, a * h]))].join('');
  const straight = [...numbers(ACROSS).map((a) => `M${a * w} 0V${h}`), ...numbers(down).map((a) => `M0 ${a * h}H${w}`)].join('');
  return (
    <Drawing box={{ x: 0, y: 0, width: w, height: h }} describe="Straight lines as this lens records them; dashed where they would lie without it." maxHeight={420}>
      {(px) => (
        <>
          <Path d={straight} stroke={p.dim} strokeWidth={px(1)} strokeDasharray={`${px(4)} ${px(4)}`} fill="none" />
          <Path d={curves} stroke={p.ink} strokeWidth={px(1.6)} fill="none" />
          <Rect x={0} y={0} width={w} height={h} fill="none" stroke={p.ink} strokeWidth={px(1)} />
        </>
      )}
    </Drawing>
  );
}
