import { bookField, type BookFieldCell, type BookRange, type LensBook, type NextPlate, isFocusInfinity } from '@mesure/core';
import { Circle, G, Line, Path, Rect, Text as SvgText } from 'react-native-svg';
import { Drawing } from '../../../ui/drawing';
import { fixed, focal } from '../../../ui/format';
import { labelsThatFit } from '../../../ui/label-room';
import { FONT, usePalette } from '../../../ui/theme';

const FOCUS_TICKS_M = [0.3, 0.5, 0.7, 1, 1.5, 2, 3, 5, 10, 15];
const FOCAL_TICKS_MM = [8, 10, 12, 14, 16, 18, 21, 24, 28, 32, 35, 40, 50, 60, 75, 85, 100, 135, 150, 200, 300, 400];
const WIDTH = 340;
const HEIGHT = 210;
const LEFT = 40;
const BELOW = 30;
/** A lens that is known to so much over the frame needs no further plate there. */
const COVERED_PX = 0.5;

/**
 * The lens as a field: focal length across, focus upwards (far above). Dots are plates; where the field is hatched densely nothing is known
 * yet; the ring is the plate that would help most; the cross is the setting that is asked for.
 */
export function BookField({ book, range, next, asked }: { book: LensBook | null; range: BookRange; next: NextPlate | null; asked: { focalMm: number; focusM: number } }) {
  const p = usePalette();
  const field = bookField(book, range);
  const [f0, f1] = [Math.log(range.minFocalMm), Math.log(range.maxFocalMm)];
  const [d0, d1] = [1 / 15, 1 / range.closeFocusM];
  const clamp = (v: number) => Math.min(1, Math.max(0, v));
  const xOf = (focalMm: number) => LEFT + (f1 > f0 ? clamp((Math.log(focalMm) - f0) / (f1 - f0)) : 0.5) * (WIDTH - LEFT - 16);
  const yOf = (focusM: number) => 12 + (d1 > d0 ? clamp((1 / focusM - d0) / (d1 - d0)) : 0.5) * (HEIGHT - BELOW - 12);
  const plates = book?.plates ?? [];
  const cellW = (WIDTH - LEFT - 16) / Math.max(1, field.across - 1) || 60;
  const cellH = (HEIGHT - BELOW - 12) / Math.max(1, field.down - 1) || 60;
  // without two plates nobody knows how much the lens changes: then all is open but the plate itself
  const opennessOf = (c: BookFieldCell) => (c.sigmaPx === null ? (c.openShare < 0.1 ? 0 : 1) : c.sigmaPx / COVERED_PX / 4);
  const open = field.cells.filter((c) => opennessOf(c) > 0.25).length / field.cells.length;
  const say = `${plates.length} plate${plates.length === 1 ? '' : 's'}; ${Math.round(100 * (1 - open))} % of what this lens can be set to is known to half a pixel (no hatching)${next ? `. The plate that would help most: ${focal(next.focalMm)} mm at ${focusWords(next.focusM)} (ring)` : ''}. The cross is the setting below.`;
  const focalTicks = [...new Set([range.minFocalMm, ...FOCAL_TICKS_MM.filter((t) => t > range.minFocalMm && t < range.maxFocalMm), range.maxFocalMm])];
  const focusTicks = FOCUS_TICKS_M.filter((t) => t >= range.closeFocusM * 0.99);
  return (
    <Drawing box={{ x: 0, y: 0, width: WIDTH, height: HEIGHT }} describe={say} maxHeight={330}>
      {(px) => {
        const fit = labelsThatFit(
          focalTicks.map((t) => ({ text: focal(t), x: xOf(t) - px(8), y: HEIGHT - 6 })),
          px(1),
        );
        const fitFocus = labelsThatFit(
          focusTicks.map((t) => ({ text: `${t} m`, x: 2, y: yOf(t) })),
          px(1),
        );
        return (
          <G>
            {field.cells.map((c) => (
              <Hatch key={`${c.focalMm},${c.focusM}`} x={xOf(c.focalMm) - cellW / 2} y={yOf(c.focusM) - cellH / 2} w={cellW} h={cellH} open={opennessOf(c)} stroke={p.dim} px={px} />
            ))}
            <Rect x={LEFT - 4} y={6} width={WIDTH - LEFT - 8} height={HEIGHT - BELOW} fill="none" stroke={p.line} strokeWidth={px(1)} />
            {focalTicks.map((t) => (
              <G key={`f${t}`}>
                <Line x1={xOf(t)} y1={HEIGHT - BELOW + 6} x2={xOf(t)} y2={HEIGHT - BELOW + 11} stroke={p.ink} strokeWidth={px(1)} />
                {fit.has(focal(t)) ? (
                  <SvgText x={xOf(t)} y={HEIGHT - 7} fontSize={px(12)} fontFamily={FONT.figures} fill={p.ink} textAnchor="middle">
                    {t === range.minFocalMm ? `${focal(t)} mm` : focal(t)}
                  </SvgText>
                ) : null}
              </G>
            ))}
            {focusTicks.map((t) => (
              <G key={`s${t}`}>
                <Line x1={LEFT - 9} y1={yOf(t)} x2={LEFT - 4} y2={yOf(t)} stroke={p.ink} strokeWidth={px(1)} />
                {fitFocus.has(`${t} m`) ? <SvgText x={LEFT - 11} y={yOf(t) + px(4)} fontSize={px(11)} fontFamily={FONT.figures} fill={p.ink} textAnchor="end">{`${t} m`}</SvgText> : null}
              </G>
            ))}
            {next ? <Circle cx={xOf(next.focalMm)} cy={yOf(next.focusM)} r={px(11)} fill="none" stroke={p.tape} strokeWidth={px(3)} /> : null}
            {plates.map((q) => (
              <Circle key={q.id} cx={xOf(q.focalMm)} cy={yOf(q.focusM ?? book!.middleFocusM)} r={px(5)} fill={q.focusM === null ? p.paper : p.blue} stroke={p.blue} strokeWidth={px(2)} />
            ))}
            <Path d={`M${xOf(asked.focalMm) - px(9)} ${yOf(asked.focusM)}h${px(18)}M${xOf(asked.focalMm)} ${yOf(asked.focusM) - px(9)}v${px(18)}`} stroke={p.ink} strokeWidth={px(2)} fill="none" />
          </G>
        );
      }}
    </Drawing>
  );
}

/** Uncertainty as the density of a hatching, so that it reads in grey and in print: none where it is covered. */
function Hatch({ x, y, w, h, open, stroke, px }: { x: number; y: number; w: number; h: number; open: number; stroke: string; px: (n: number) => number }) {
  const lines = open <= 0.25 ? 0 : Math.min(4, Math.ceil(3 * open));
  if (lines === 0) return null;
  const parts = Array.from({ length: lines }, (_, i) => {
    const t = (i + 0.5) / lines;
    return `M${x + t * w} ${y + h}L${x + t * w + 0.3 * h} ${y}`;
  });
  return <Path d={parts.join('')} stroke={stroke} strokeWidth={px(0.9)} opacity={0.6} fill="none" />;
}

export const focusWords = (m: number): string => (isFocusInfinity(m) ? 'infinity' : `${fixed(m, m < 1 ? 2 : 1)} m`);
