import type { CornerRow } from '@mesure/contract';
import { Circle, G, Image as SvgImage, Line, Path, Rect } from 'react-native-svg';
import { Drawing } from '../../../ui/drawing';
import { PICTURE_INK, usePalette } from '../../../ui/theme';

/** More arrows than this make a drawing slow on a phone and grey to the eye. */
const MAX_ARROWS = 900;
const ARROW_GOAL_PX = 26;

function magnification(corners: readonly CornerRow[], widthPx: number): number {
  const lengths = corners.map((c) => Math.hypot(c[4], c[5])).sort((a, b) => a - b);
  const typical = lengths[Math.floor(lengths.length * 0.7)] || 0.01;
  // so that a typical arrow is ARROW_GOAL_PX long on a drawing 1000 px wide, to a round figure
  const raw = (ARROW_GOAL_PX * widthPx) / 1000 / typical;
  const power = 10 ** Math.floor(Math.log10(raw));
  return (
    [1, 2, 5, 10]
      .map((m) => m * power)
      .filter((m) => m <= raw)
      .pop() ?? power
  );
}

function latticePath(corners: readonly CornerRow[]): string {
  const at = new Map(corners.map((c) => [`${c[0]},${c[1]}`, c]));
  const parts: string[] = [];
  for (const c of corners) {
    for (const other of [at.get(`${c[0]},${c[1] + 1}`), at.get(`${c[0] + 1},${c[1]}`)]) if (other) parts.push(`M${c[2].toFixed(1)} ${c[3].toFixed(1)}L${other[2].toFixed(1)} ${other[3].toFixed(1)}`);
  }
  return parts.join('');
}

interface Props {
  corners: readonly CornerRow[];
  size: { width: number; height: number };
  pictureUrl: string;
  /** what it shows; the arrows' factor is added */
  describe: string;
  crosses?: readonly { x: number; y: number }[];
  rings?: readonly { x: number; y: number }[];
  onPlace?: (x: number, y: number) => void;
}

/** The plate itself with lattice and magnified residual arrows. */
export function PlateDrawing({ corners, size, pictureUrl, describe, crosses = [], rings = [], onPlace }: Props) {
  const p = usePalette();
  const { width, height } = size;
  const factor = magnification(corners, width);
  const stride = Math.max(1, Math.ceil(corners.length / MAX_ARROWS));
  const shown = corners.filter((_, i) => i % stride === 0);
  const arrows = corners.length > 0 ? ` Residual arrows magnified ${factor.toLocaleString('en')} times${stride > 1 ? `, one in ${stride} shown` : ''}.` : '';
  return (
    <Drawing box={{ x: 0, y: 0, width, height }} describe={`${describe}${arrows}`} maxHeight={620} aim={onPlace ? { pictureUrl, pictureWidth: width, pictureHeight: height, onPlace } : undefined}>
      {(px) => (
        <G>
          <SvgImage href={pictureUrl as never} x={0} y={0} width={width} height={height} opacity={0.75} preserveAspectRatio="none" />
          <Rect x={0} y={0} width={width} height={height} fill="none" stroke={p.line} strokeWidth={px(1)} />
          <Path d={latticePath(corners)} stroke={PICTURE_INK.lattice} strokeWidth={px(1.2)} fill="none" opacity={0.85} />
          {shown.map((c) => (
            <Line
              key={`${c[0]},${c[1]}`}
              x1={c[2]}
              y1={c[3]}
              x2={c[2] + c[4] * factor}
              y2={c[3] + c[5] * factor}
              stroke={c[6] ? PICTURE_INK.mark : PICTURE_INK.light}
              strokeWidth={px(c[6] ? 2.4 : 1.2)}
              strokeDasharray={c[6] ? undefined : `${px(3)} ${px(2)}`}
            />
          ))}
          {crosses.map((c) => (
            <Path
              key={`x${c.x},${c.y}`}
              d={`M${c.x - px(5)} ${c.y - px(5)}L${c.x + px(5)} ${c.y + px(5)}M${c.x - px(5)} ${c.y + px(5)}L${c.x + px(5)} ${c.y - px(5)}`}
              stroke={PICTURE_INK.light}
              strokeWidth={px(2)}
              fill="none"
            />
          ))}
          {rings.map((c, i) => (
            <Circle key={`o${c.x},${c.y}`} cx={c.x} cy={c.y} r={px(i === 0 ? 9 : 6)} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(2.5)} />
          ))}
        </G>
      )}
    </Drawing>
  );
}
