import { useRef, useState } from 'react';
import { PanResponder, View } from 'react-native';
import Svg, { G, Line, Rect, Text as SvgText } from 'react-native-svg';
import { FONT, TOUCH_PX, usePalette } from './theme';

/** From one value to the next along the wheel. */
const PITCH_PX = 58;
/** A finger that moved by less than this pressed. */
const PRESS_PX = 6;

interface WheelProps {
  /** in order */
  values: readonly number[];
  /** null: nothing is noted yet, and the wheel stands at `usual` */
  value: number | null;
  usual: number;
  text: (value: number) => string;
  onPick: (value: number) => void;
  label: string;
  testID?: string;
}

/** Where a value stands among the others: between two where it is none of them. */
export function placeOn(values: readonly number[], value: number): number {
  const above = values.findIndex((v) => v >= value);
  if (above < 0) return values.length - 1;
  if (above === 0) return 0;
  const [low, high] = [values[above - 1], values[above]];
  return above - 1 + (value - low) / (high - low);
}

/** A wheel with the values that a camera or a lens has: dragged, pressed on a value, or moved by arrow keys; kept when it comes to rest. */
export function Wheel({ values, value, usual, text, onPick, label, testID }: WheelProps) {
  const p = usePalette();
  const [width, setWidth] = useState(340);
  const [dragPx, setDragPx] = useState(0);
  const place = placeOn(values, value ?? usual);
  const nearest = (at: number) => Math.min(values.length - 1, Math.max(0, Math.round(at)));
  const pick = (index: number) => {
    if (values[index] !== value) onPick(values[index]);
  };
  const now = useRef({ place, pick, nearest, width });
  now.current = { place, pick, nearest, width };
  const pan = useRef(
    PanResponder.create({
      onStartShouldSetPanResponder: () => true,
      onMoveShouldSetPanResponder: (_e, g) => Math.abs(g.dx) > Math.abs(g.dy),
      onPanResponderTerminationRequest: () => true,
      onPanResponderMove: (_e, g) => setDragPx(g.dx),
      onPanResponderTerminate: () => setDragPx(0),
      onPanResponderRelease: (e, g) => {
        setDragPx(0);
        const w = now.current;
        // a press chooses what is under the finger; a drag what came into the middle
        const movedPx = Math.abs(g.dx) < PRESS_PX ? w.width / 2 - e.nativeEvent.locationX : g.dx;
        w.pick(w.nearest(w.place - movedPx / PITCH_PX));
      },
    }),
  ).current;
  const keys = {
    onKeyDown: (e: { key: string; preventDefault: () => void }) => {
      const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
      if (way === undefined) return;
      e.preventDefault();
      pick(nearest(way > 0 ? Math.floor(place + 1e-9) + 1 : Math.ceil(place - 1e-9) - 1));
    },
  } as object;
  const shown = place - dragPx / PITCH_PX;
  const half = Math.ceil(width / 2 / PITCH_PX) + 1;
  const from = Math.max(0, Math.floor(shown) - half);
  const seen = values.slice(from, Math.ceil(shown) + half + 1);
  const middle = nearest(shown);
  const said = value === null ? 'not noted' : text(value);
  return (
    <View
      onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
      {...pan.panHandlers}
      {...keys}
      testID={testID}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={values.length - 1}
      aria-valuenow={Math.round(place)}
      aria-valuetext={said}
      style={{ height: TOUCH_PX, backgroundColor: p.sunk, borderRadius: 4, overflow: 'hidden', cursor: 'grab', touchAction: 'pan-y', userSelect: 'none' } as object}
    >
      <Svg width="100%" height={TOUCH_PX} viewBox={`0 0 ${width} ${TOUCH_PX}`} aria-hidden pointerEvents="none">
        <Rect x={width / 2 - PITCH_PX / 2} y={0} width={PITCH_PX} height={TOUCH_PX} fill={p.raised} />
        {seen.map((v, k) => {
          const i = from + k;
          const x = width / 2 + (i - shown) * PITCH_PX;
          const strong = i === middle && value !== null;
          return (
            <G key={v}>
              <Line x1={x + PITCH_PX / 2} y1={TOUCH_PX - 8} x2={x + PITCH_PX / 2} y2={TOUCH_PX} stroke={p.line} strokeWidth={1} />
              <SvgText x={x} y={TOUCH_PX / 2 + 6} fontSize={strong ? 19 : 16} fontFamily={FONT.figures} fill={strong ? p.ink : p.dim} textAnchor="middle">
                {text(v)}
              </SvgText>
            </G>
          );
        })}
        <Line x1={width / 2 - PITCH_PX / 2} y1={0} x2={width / 2 - PITCH_PX / 2} y2={TOUCH_PX} stroke={p.tape} strokeWidth={2} />
        <Line x1={width / 2 + PITCH_PX / 2} y1={0} x2={width / 2 + PITCH_PX / 2} y2={TOUCH_PX} stroke={p.tape} strokeWidth={2} />
      </Svg>
    </View>
  );
}
