import { useRef, useState, type ReactNode } from 'react';
import { Circle, ClipPath, Defs, G, Image as SvgImage, Line, Rect } from 'react-native-svg';
import { usePalette } from './theme';

/** What a drawing needs to let a place in it be chosen to a fraction of a pixel. */
export interface Aim {
  /** the picture that is aimed at, drawn over the box from 0, 0 */
  pictureUrl: string;
  pictureWidth: number;
  pictureHeight: number;
  onPlace: (x: number, y: number) => void;
}

interface Look {
  /** corner of what is seen, in the drawing's units */
  left: number;
  top: number;
  width: number;
  height: number;
  unitsPerPx: number;
}

/** A finger hides what it points at: the place is so far above it. A mouse points exactly. */
const ABOVE_FINGER_PX = 56;
const LOUPE_RADIUS_PX = 62;
const LOUPE_TIMES = 4;

interface PointerLike {
  clientX: number;
  clientY: number;
  pointerType?: string;
  pointerId?: number;
  currentTarget: { getBoundingClientRect(): { left: number; top: number }; setPointerCapture?: (id: number) => void };
  nativeEvent?: PointerLike;
}
interface KeyLike {
  key: string;
  shiftKey: boolean;
  preventDefault(): void;
}

/**
 * Aiming with a loupe: press and drag to aim, let go to place; or with the keyboard: arrows move, Enter places. Gives the handlers for the
 * drawing's surface and what is drawn on top of it.
 */
export function useAim(aim: Aim | undefined, look: () => Look): { handlers: object; overlay: ReactNode } {
  const p = usePalette();
  const [at, setAt] = useState<{ x: number; y: number } | null>(null);
  const pressed = useRef(false);
  if (!aim) return { handlers: {}, overlay: null };
  const view = look();
  const placeOf = (e: PointerLike) => {
    const rect = e.currentTarget.getBoundingClientRect();
    const lift = (e.pointerType ?? e.nativeEvent?.pointerType) === 'touch' ? ABOVE_FINGER_PX : 0;
    return inside(view.left + (e.clientX - rect.left) * view.unitsPerPx, view.top + (e.clientY - lift - rect.top) * view.unitsPerPx, aim);
  };
  const handlers = {
    tabIndex: 0,
    onPointerDown: (e: PointerLike) => {
      pressed.current = true;
      if (e.pointerId !== undefined) e.currentTarget.setPointerCapture?.(e.pointerId);
      setAt(placeOf(e));
    },
    onPointerMove: (e: PointerLike) => {
      if (pressed.current) setAt(placeOf(e));
    },
    onPointerUp: (e: PointerLike) => {
      if (!pressed.current) return;
      pressed.current = false;
      const place = placeOf(e);
      setAt(null);
      aim.onPlace(place.x, place.y);
    },
    onPointerCancel: () => {
      pressed.current = false;
      setAt(null);
    },
    onKeyDown: (e: KeyLike) => {
      const step = (e.shiftKey ? 10 : 1) * view.unitsPerPx;
      const move: Record<string, [number, number]> = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
      if (e.key in move) {
        e.preventDefault();
        const from = at ?? { x: view.left + view.width / 2, y: view.top + view.height / 2 };
        setAt(inside(from.x + move[e.key][0], from.y + move[e.key][1], aim));
      } else if (e.key === 'Enter' && at) {
        e.preventDefault();
        aim.onPlace(at.x, at.y);
      } else if (e.key === 'Escape') setAt(null);
    },
  };
  return { handlers, overlay: at ? loupe(at, aim, view, p) : null };
}

const inside = (x: number, y: number, aim: Aim) => ({ x: Math.min(aim.pictureWidth, Math.max(0, x)), y: Math.min(aim.pictureHeight, Math.max(0, y)) });

/** The surroundings of the place, enlarged, in the corner away from the hand. */
function loupe(at: { x: number; y: number }, aim: Aim, view: Look, p: ReturnType<typeof usePalette>): ReactNode {
  const u = view.unitsPerPx;
  const r = LOUPE_RADIUS_PX * u;
  const onLeft = at.x < view.left + view.width / 2;
  const cx = onLeft ? view.left + view.width - r - 6 * u : view.left + r + 6 * u;
  const cy = view.top + r + 6 * u;
  const arm = 14 * u;
  return (
    <G>
      <Defs>
        <ClipPath id="loupe">
          <Circle cx={cx} cy={cy} r={r} />
        </ClipPath>
      </Defs>
      <G clipPath="url(#loupe)">
        <Rect x={cx - r} y={cy - r} width={2 * r} height={2 * r} fill={p.paper} />
        <SvgImage
          href={aim.pictureUrl as never}
          x={cx - at.x * LOUPE_TIMES}
          y={cy - at.y * LOUPE_TIMES}
          width={aim.pictureWidth * LOUPE_TIMES}
          height={aim.pictureHeight * LOUPE_TIMES}
          preserveAspectRatio="none"
        />
        <Line x1={cx - r} y1={cy} x2={cx - 4 * u} y2={cy} stroke={p.tape} strokeWidth={1.5 * u} />
        <Line x1={cx + 4 * u} y1={cy} x2={cx + r} y2={cy} stroke={p.tape} strokeWidth={1.5 * u} />
        <Line x1={cx} y1={cy - r} x2={cx} y2={cy - 4 * u} stroke={p.tape} strokeWidth={1.5 * u} />
        <Line x1={cx} y1={cy + 4 * u} x2={cx} y2={cy + r} stroke={p.tape} strokeWidth={1.5 * u} />
      </G>
      <Circle cx={cx} cy={cy} r={r} fill="none" stroke={p.ink} strokeWidth={2 * u} />
      <Line x1={at.x - arm} y1={at.y} x2={at.x + arm} y2={at.y} stroke={p.tape} strokeWidth={2 * u} />
      <Line x1={at.x} y1={at.y - arm} x2={at.x} y2={at.y + arm} stroke={p.tape} strokeWidth={2 * u} />
    </G>
  );
}
