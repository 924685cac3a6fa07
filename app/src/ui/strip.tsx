import { useRef, useState, type ReactNode } from 'react';
import { View, type LayoutChangeEvent } from 'react-native';
import Svg from 'react-native-svg';
import { SPACE, usePalette } from './theme';

interface PointerLike {
  clientX: number;
  pointerId?: number;
  currentTarget: { getBoundingClientRect(): { left: number; width: number }; setPointerCapture?: (id: number) => void };
}

/** A strip of time that a thumb scrubs: drag, or arrow keys. Children draw in 0…1 across and 0…1 upwards, `at(share)` and `up(share)` in px. */
export function Strip({
  label,
  valueText,
  value,
  steps,
  onChange,
  height = 64,
  children,
}: {
  label: string;
  valueText: string;
  /** 0…1 */
  value: number;
  steps: number;
  onChange: (value: number) => void;
  height?: number;
  children?: (at: (share: number) => number, up: (share: number) => number) => ReactNode;
}) {
  const p = usePalette();
  const [width, setWidth] = useState(358);
  const pressed = useRef(false);
  const clamp = (v: number) => Math.min(1, Math.max(0, v));
  const tell = (e: PointerLike) => {
    const rect = e.currentTarget.getBoundingClientRect();
    onChange(clamp((e.clientX - rect.left) / Math.max(1, rect.width)));
  };
  const handlers = {
    onPointerDown: (e: PointerLike) => {
      pressed.current = true;
      if (e.pointerId !== undefined) e.currentTarget.setPointerCapture?.(e.pointerId);
      tell(e);
    },
    onPointerMove: (e: PointerLike) => pressed.current && tell(e),
    onPointerUp: () => {
      pressed.current = false;
    },
    onPointerCancel: () => {
      pressed.current = false;
    },
    onKeyDown: (e: { key: string; shiftKey: boolean; preventDefault(): void }) => {
      const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[e.key];
      const to = e.key === 'Home' ? 0 : e.key === 'End' ? 1 : by === undefined ? null : value + (by * (e.shiftKey ? 10 : 1)) / Math.max(1, steps);
      if (to === null) return;
      e.preventDefault();
      onChange(clamp(to));
    },
  };
  return (
    <View
      {...(handlers as object)}
      {...({ tabIndex: 0, role: 'slider', 'aria-label': label, 'aria-valuemin': 0, 'aria-valuemax': 100, 'aria-valuenow': Math.round(100 * value), 'aria-valuetext': valueText } as object)}
      testID="strip"
      onLayout={(e: LayoutChangeEvent) => setWidth(Math.max(120, e.nativeEvent.layout.width))}
      style={{
        height,
        borderWidth: 1,
        borderColor: p.line,
        backgroundColor: p.sunk,
        borderRadius: 4,
        overflow: 'hidden',
        marginVertical: SPACE.xs,
        ...({ touchAction: 'none', cursor: 'ew-resize' } as object),
      }}
    >
      <Svg width={width} height={height} aria-hidden>
        {children?.(
          (share) => share * (width - 2),
          (share) => height - 2 - share * (height - 8),
        )}
      </Svg>
      <View style={{ position: 'absolute', left: value * (width - 2) - 2, top: 0, bottom: 0, width: 5, backgroundColor: p.tape, borderRadius: 2 }} pointerEvents="none" />
    </View>
  );
}
