import { useRef, useState, type ReactNode } from 'react';
import { Path } from 'react-native-svg';
import { usePalette } from './theme';

export type Stroke = [number, number][];

/** What a drawing needs to be painted on: all places in its units. */
export interface Brush {
  radius: number;
  strokes: readonly Stroke[];
  onStroke: (stroke: Stroke) => void;
}

interface Look {
  left: number;
  top: number;
  unitsPerPx: number;
}
interface PointerLike {
  clientX: number;
  clientY: number;
  pointerId?: number;
  currentTarget: { getBoundingClientRect(): { left: number; top: number }; setPointerCapture?: (id: number) => void };
}

/** Nearer than this on screen a place tells nothing new. */
const STEP_PX = 2;

/** Painting with a finger or a mouse: handlers for the drawing's surface, and what was painted on top of it. */
export function useBrush(brush: Brush | undefined, look: () => Look): { handlers: object; overlay: ReactNode } {
  const p = usePalette();
  const [live, setLive] = useState<Stroke | null>(null);
  const stroke = useRef<Stroke | null>(null);
  if (!brush) return { handlers: {}, overlay: null };
  const { left, top, unitsPerPx } = look();
  const placeOf = (e: PointerLike): [number, number] => {
    const rect = e.currentTarget.getBoundingClientRect();
    return [left + (e.clientX - rect.left) * unitsPerPx, top + (e.clientY - rect.top) * unitsPerPx];
  };
  const handlers = {
    onPointerDown: (e: PointerLike) => {
      if (e.pointerId !== undefined) e.currentTarget.setPointerCapture?.(e.pointerId);
      stroke.current = [placeOf(e)];
      setLive(stroke.current);
    },
    onPointerMove: (e: PointerLike) => {
      if (!stroke.current) return;
      const at = placeOf(e);
      const last = stroke.current[stroke.current.length - 1];
      if (Math.hypot(at[0] - last[0], at[1] - last[1]) < STEP_PX * unitsPerPx) return;
      stroke.current = [...stroke.current, at];
      setLive(stroke.current);
    },
    onPointerUp: () => {
      const done = stroke.current;
      stroke.current = null;
      setLive(null);
      if (done) brush.onStroke(done);
    },
    onPointerCancel: () => {
      stroke.current = null;
      setLive(null);
    },
  };
  const all = [...brush.strokes, ...(live ? [live] : [])];
  const d = all.map((s) => `M${s.map((q) => q.map((v) => v.toFixed(1)).join(' ')).join('L')}${s.length === 1 ? 'h0.1' : ''}`).join('');
  return {
    handlers,
    overlay: d === '' ? null : <Path d={d} fill="none" stroke={p.tape} strokeOpacity={0.5} strokeWidth={2 * brush.radius} strokeLinecap="round" strokeLinejoin="round" />,
  };
}
