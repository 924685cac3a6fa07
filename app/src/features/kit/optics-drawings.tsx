import { REFERENCE_FRAME_MM, type Optics } from '@mesure/core';
import { Circle, G, Line, Path, Polygon, Rect, Text as SvgText } from 'react-native-svg';
import { Drawing } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { FONT, usePalette } from '../../ui/theme';

/** The picture area inside the 36 × 24 reference, both to scale. */
export function SensorDrawing({ optics }: { optics: Optics }) {
  const p = usePalette();
  const { widthMm, heightMm } = REFERENCE_FRAME_MM;
  const w = Math.max(widthMm, optics.sensorWidthMm);
  const h = Math.max(heightMm, optics.sensorHeightMm);
  const say = `Picture area ${fixed(optics.sensorWidthMm, 2)} × ${fixed(optics.sensorHeightMm, 2)} mm inside 36 × 24 mm: crop ${fixed(optics.cropFactor, 2)} by the diagonal.`;
  return (
    <Drawing box={{ x: -w / 2 - 3, y: -h / 2 - 3, width: w + 6, height: h + 8 }} describe={say} maxHeight={250}>
      {(px) => (
        <G>
          <Rect x={-widthMm / 2} y={-heightMm / 2} width={widthMm} height={heightMm} fill="none" stroke={p.dim} strokeWidth={px(1.5)} strokeDasharray={`${px(6)} ${px(4)}`} />
          <Rect
            x={-optics.sensorWidthMm / 2}
            y={-optics.sensorHeightMm / 2}
            width={optics.sensorWidthMm}
            height={optics.sensorHeightMm}
            fill={p.blue}
            fillOpacity={0.16}
            stroke={p.blue}
            strokeWidth={px(2.5)}
          />
          <Line x1={-optics.sensorWidthMm / 2} y1={-optics.sensorHeightMm / 2} x2={optics.sensorWidthMm / 2} y2={optics.sensorHeightMm / 2} stroke={p.blue} strokeWidth={px(1)} />
          <SvgText x={-widthMm / 2 + px(6)} y={-heightMm / 2 + px(18)} fontSize={px(13)} fontFamily={FONT.text} fill={p.dim}>
            36 × 24
          </SvgText>
          <Line x1={-5} y1={h / 2 + 2.4} x2={5} y2={h / 2 + 2.4} stroke={p.ink} strokeWidth={px(2)} />
          <SvgText x={5 + px(6)} y={h / 2 + 2.4 + px(5)} fontSize={px(13)} fontFamily={FONT.text} fill={p.ink}>
            10 mm
          </SvgText>
        </G>
      )}
    </Drawing>
  );
}

const REACH_M = 5;

/** The horizontal view cone from above, with the width of the field every metre. */
export function ViewCone({ optics }: { optics: Optics }) {
  const p = usePalette();
  const half = Math.tan((optics.fovHorizontalDeg * Math.PI) / 360);
  const side = Math.min(REACH_M * half, REACH_M * 2.2);
  const width = 2 * Math.max(side, 1.4);
  const say = `From above: ${fixed(optics.fovHorizontalDeg, 1)}° wide; at ${REACH_M} m the field is ${fixed(2 * REACH_M * half, 2)} m wide.`;
  return (
    <Drawing box={{ x: -width / 2 - 0.3, y: -REACH_M - 0.5, width: width + 0.6, height: REACH_M + 1 }} describe={say} maxHeight={300}>
      {(px) => (
        <G>
          <Polygon points={`0,0 ${-REACH_M * half},${-REACH_M} ${REACH_M * half},${-REACH_M}`} fill={p.blue} fillOpacity={0.14} stroke={p.blue} strokeWidth={px(2)} />
          {[1, 2, 3, 4, 5].map((m) => (
            <G key={m}>
              <Line x1={-m * half} x2={m * half} y1={-m} y2={-m} stroke={p.blue} strokeWidth={px(1)} strokeDasharray={`${px(3)} ${px(3)}`} />
              {/* in the middle, where it fits at any angle of view */}
              <SvgText x={0} y={-m - px(4)} textAnchor="middle" fontSize={px(12)} fontFamily={FONT.text} fill={p.dim}>{`${m} m · ${fixed(2 * m * half, 2)} m`}</SvgText>
            </G>
          ))}
          <Path d={`M ${-px(9)} ${px(4)} h ${px(18)} v ${px(14)} h ${-px(18)} Z`} fill={p.ink} />
          <Circle cx={0} cy={0} r={px(3)} fill={p.tape} />
        </G>
      )}
    </Drawing>
  );
}
