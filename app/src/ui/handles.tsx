import { useRef } from 'react';
import { View } from 'react-native';
import { TOUCH_PX, usePalette } from './theme';

/** Something in a drawing that can be taken hold of. Places are in the drawing's units. */
export interface Handle {
  id: string;
  label: string;
  x: number;
  y: number;
  /** a small one for a thing of which there are many */
  small?: boolean;
}
export interface Grab {
  handles: readonly Handle[];
  /** one press of an arrow key */
  step: number;
  /** while it is being dragged */
  onMove: (id: string, x: number, y: number) => void;
  /** when it is let go */
  onDrop: (id: string, x: number, y: number) => void;
  onChoose?: (id: string) => void;
  chosenId?: string | null;
}

interface PointerLike {
  clientX: number;
  clientY: number;
  pointerId?: number;
  currentTarget: { setPointerCapture?: (id: number) => void };
}
interface KeyLike {
  key: string;
  shiftKey: boolean;
  preventDefault(): void;
}

/** The handles over a drawing: dragged by finger or mouse, moved by arrow keys (ten steps with Shift), each named for those who listen. */
export function Handles({ grab, left, top, unitsPerPx, width, height }: { grab: Grab; left: number; top: number; unitsPerPx: number; width: number; height: number }) {
  const p = usePalette();
  const held = useRef<{ id: string; fromX: number; fromY: number; x: number; y: number; moved: boolean } | null>(null);
  return (
    <>
      {grab.handles.map((h) => {
        const size = h.small ? 24 : TOUCH_PX;
        const ring = h.small ? 12 : 20;
        const [px, py] = [(h.x - left) / unitsPerPx, (h.y - top) / unitsPerPx];
        if (px < 0 || py < 0 || px > width || py > height) return null;
        const at = (e: PointerLike) => ({ x: held.current!.x + (e.clientX - held.current!.fromX) * unitsPerPx, y: held.current!.y + (e.clientY - held.current!.fromY) * unitsPerPx });
        const handlers = {
          onPointerDown: (e: PointerLike) => {
            if (e.pointerId !== undefined) e.currentTarget.setPointerCapture?.(e.pointerId);
            held.current = { id: h.id, fromX: e.clientX, fromY: e.clientY, x: h.x, y: h.y, moved: false };
            grab.onChoose?.(h.id);
          },
          onPointerMove: (e: PointerLike) => {
            if (held.current?.id !== h.id) return;
            // a tap that trembles is no drag
            if (!held.current.moved && Math.hypot(e.clientX - held.current.fromX, e.clientY - held.current.fromY) < 4) return;
            held.current.moved = true;
            const q = at(e);
            grab.onMove(h.id, q.x, q.y);
          },
          onPointerUp: (e: PointerLike) => {
            if (held.current?.id !== h.id) return;
            const q = at(e);
            const { moved } = held.current;
            held.current = null;
            if (moved) grab.onDrop(h.id, q.x, q.y);
          },
          onPointerCancel: () => {
            if (held.current?.moved) grab.onDrop(h.id, held.current.x, held.current.y);
            held.current = null;
          },
          onKeyDown: (e: KeyLike) => {
            const step = grab.step * (e.shiftKey ? 10 : 1);
            const by: Record<string, [number, number]> = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
            if (e.key in by) {
              e.preventDefault();
              grab.onDrop(h.id, h.x + by[e.key][0], h.y + by[e.key][1]);
            } else if (e.key === 'Enter') grab.onChoose?.(h.id);
          },
        };
        const chosen = grab.chosenId === h.id;
        return (
          <View
            key={h.id}
            testID={`handle-${h.id}`}
            {...(handlers as object)}
            {...({ tabIndex: 0, role: 'button', 'aria-label': `${h.label}. Drag it, or move it with the arrow keys.` } as object)}
            style={{
              position: 'absolute',
              left: px - size / 2,
              top: py - size / 2,
              width: size,
              height: size,
              alignItems: 'center',
              justifyContent: 'center',
              ...({ touchAction: 'none', cursor: 'grab' } as object),
            }}
          >
            <View style={{ width: ring, height: ring, borderRadius: ring / 2, borderWidth: chosen ? 4 : 2, borderColor: p.tape, backgroundColor: chosen ? 'transparent' : `${p.paper}66` }} />
          </View>
        );
      })}
    </>
  );
}
