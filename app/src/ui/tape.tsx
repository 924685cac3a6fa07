import { formatLength, METRES_PER, type LengthUnit } from '@mesure/core';
import { useRef, useState } from 'react';
import { PanResponder, View } from 'react-native';
import Svg, { G, Line, Path, Polygon, Rect, Text as SvgText } from 'react-native-svg';
import { FONT, usePalette } from './theme';

/** Graduation of the tape by unit: smallest mark and pixels for it; marks of several heights; a figure at the largest. */
const GRADUATION: Record<LengthUnit, { stepM: number; px: number; middle: number; large: number; figure: (m: number) => string }> = {
  m: { stepM: 0.01, px: 12, middle: 5, large: 10, figure: (m) => m.toFixed(1) },
  cm: { stepM: 0.01, px: 12, middle: 5, large: 10, figure: (m) => (m * 100).toFixed(0) },
  mm: { stepM: 0.001, px: 8, middle: 5, large: 10, figure: (m) => (m * 1000).toFixed(0) },
  in: { stepM: METRES_PER.in / 8, px: 12, middle: 4, large: 8, figure: (m) => (m / METRES_PER.in).toFixed(0) },
  ft: { stepM: METRES_PER.ft / 10, px: 14, middle: 5, large: 10, figure: (m) => (m / METRES_PER.ft).toFixed(0) },
  'ft-in': {
    stepM: METRES_PER.in / 8,
    px: 12,
    middle: 4,
    large: 8,
    figure: (m) => {
      const inches = Math.round(m / METRES_PER.in);
      return inches % 12 === 0 ? `${inches / 12}′` : `${inches % 12}″`;
    },
  },
};
const HEIGHT = 76;
const tallOf = (i: number, g: { middle: number; large: number }): number => (i % g.large === 0 ? 34 : i % g.middle === 0 ? 24 : 14);

interface TapeProps {
  valueM: number;
  unit: LengthUnit;
  onChange: (valueM: number) => void;
  onDone?: (valueM: number) => void;
  label: string;
  /** other values of the same thing, marked along the tape */
  ticks?: readonly { valueM: number; label: string }[];
}

/** Where the ticks and their words stand: those at one place share a word, those beyond the edge are shown at it with an arrow. */
function together(ticks: readonly { label: string; x: number }[], width: number): { label: string; x: number; anchor: 'start' | 'end' }[] {
  const placed: { labels: string[]; x: number; far: -1 | 0 | 1 }[] = [];
  for (const t of ticks) {
    const far = t.x < 4 ? -1 : t.x > width - 4 ? 1 : 0;
    const x = Math.min(width - 4, Math.max(4, t.x));
    const near = placed.find((q) => q.far === far && Math.abs(q.x - x) < 36);
    if (near) near.labels.push(t.label);
    else placed.push({ labels: [t.label], x, far });
  }
  // words stand away from the pointer in the middle
  return placed.map(({ labels, x, far }) => ({ label: `${far < 0 ? '← ' : ''}${labels.join(', ')}${far > 0 ? ' →' : ''}`, x, anchor: far < 0 || (far === 0 && x > width / 2 + 4) ? 'start' : 'end' }));
}

/** A tape measure that the thumb drags; arrow keys move it by one mark. It gives lengths on its own graduation. */
export function Tape({ valueM, unit, onChange, onDone, label, ticks = [] }: TapeProps) {
  const p = usePalette();
  const [width, setWidth] = useState(340);
  const g = GRADUATION[unit];
  const now = useRef({ valueM, unit, onChange, onDone });
  now.current = { valueM, unit, onChange, onDone };
  const start = useRef(valueM);
  const dragged = useRef(valueM);
  const pan = useRef(
    PanResponder.create({
      onStartShouldSetPanResponder: () => true,
      onMoveShouldSetPanResponder: () => true,
      onPanResponderTerminationRequest: () => false,
      onPanResponderGrant: () => {
        start.current = now.current.valueM;
        dragged.current = now.current.valueM;
      },
      onPanResponderMove: (_e, gesture) => {
        const grade = GRADUATION[now.current.unit];
        const marks = Math.round((start.current - (gesture.dx / grade.px) * grade.stepM) / grade.stepM);
        dragged.current = Math.max(0, marks * grade.stepM);
        now.current.onChange(dragged.current);
      },
      onPanResponderRelease: () => now.current.onDone?.(dragged.current),
    }),
  ).current;
  const step = (marks: number) => {
    const next = Math.max(0, (Math.round(valueM / g.stepM) + marks) * g.stepM);
    onChange(next);
    onDone?.(next);
  };
  const half = Math.ceil(width / 2 / g.px) + 1;
  const center = Math.round(valueM / g.stepM);
  const shift = (valueM / g.stepM - center) * g.px;
  const marks: number[] = [];
  for (let i = Math.max(0, center - half); i <= center + half; i += 1) marks.push(i);
  const keys = {
    onKeyDown: (e: { key: string; preventDefault: () => void }) => {
      const move = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: g.large, PageDown: -g.large }[e.key];
      if (move === undefined) return;
      e.preventDefault();
      step(move);
    },
  } as object;
  return (
    <View
      onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
      {...pan.panHandlers}
      {...keys}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Number(valueM.toFixed(4))}
      aria-valuetext={[formatLength(valueM, unit), ...ticks.map((t) => `${t.label} ${formatLength(t.valueM, unit)}`)].join(', ')}
      style={{ height: HEIGHT, backgroundColor: p.tape, borderRadius: 4, overflow: 'hidden', cursor: 'grab', touchAction: 'none', userSelect: 'none' } as object}
    >
      <Svg width="100%" height={HEIGHT} viewBox={`0 0 ${width} ${HEIGHT}`} aria-hidden>
        <Rect x={0} y={0} width={width} height={HEIGHT} fill={p.tape} />
        <G x={width / 2 - shift}>
          {/* marks of one height are one line: hundreds of elements are slow on a phone */}
          {[14, 24, 34].map((tall) => (
            <Path
              key={tall}
              d={marks
                .filter((i) => tallOf(i, g) === tall)
                .map((i) => `M${(i - center) * g.px} 0V${tall}`)
                .join('')}
              stroke={p.onTape}
              strokeWidth={tall === 34 ? 2 : 1}
            />
          ))}
          {marks
            .filter((i) => i % g.large === 0)
            .map((i) => (
              <SvgText key={i} x={(i - center) * g.px + 4} y={52} fontSize={17} fontFamily={FONT.figures} fill={p.onTape}>
                {g.figure(i * g.stepM)}
              </SvgText>
            ))}
        </G>
        {together(
          ticks.map((t) => ({ label: t.label, x: width / 2 + ((t.valueM - valueM) / g.stepM) * g.px })),
          width,
        ).map((t) => (
          <G key={t.label}>
            <Line x1={t.x} y1={60} x2={t.x} y2={HEIGHT} stroke={p.onTape} strokeWidth={3} />
            <SvgText x={t.x + (t.anchor === 'start' ? 6 : -10)} y={HEIGHT - 5} fontSize={13} fontFamily={FONT.figures} fill={p.onTape} textAnchor={t.anchor}>
              {t.label}
            </SvgText>
          </G>
        ))}
        <Polygon points={`${width / 2 - 8},${HEIGHT} ${width / 2 + 8},${HEIGHT} ${width / 2},${HEIGHT - 16}`} fill={p.onTape} />
        <Line x1={width / 2} y1={0} x2={width / 2} y2={HEIGHT} stroke={p.onTape} strokeWidth={2} strokeDasharray="3 4" />
      </Svg>
    </View>
  );
}
