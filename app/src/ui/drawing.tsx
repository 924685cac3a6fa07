import { useRef, useState, type PropsWithChildren } from 'react';
import { PanResponder, View, type LayoutChangeEvent } from 'react-native';
import Svg, { G } from 'react-native-svg';
import { useAim, type Aim } from './aim';
import { useBrush, type Brush } from './brush';
import { Handles, type Grab } from './handles';
import { IconAction } from './controls';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * A drawing to scale that pans (drag), zooms (wheel, buttons) and can be read by its sentence. Children draw in the units of `box`;
 * `strokeFor(px)` gives a length in those units that looks `px` wide on screen. With `aim` a press chooses a place instead of moving the
 * drawing, which then moves by its buttons.
 */
export function Drawing({
  box,
  aspect,
  describe,
  children,
  maxHeight = 420,
  aim,
  grab,
  onTurn,
  brush,
}: {
  box: Box;
  aspect?: number;
  describe: string;
  maxHeight?: number;
  aim?: Aim;
  /** things in it that can be dragged */
  grab?: Grab;
  /** it is turned by dragging it while it is shown whole: by how many pixels since the last time */
  onTurn?: (dx: number, dy: number) => void;
  /** it is painted on */
  brush?: Brush;
  children: (strokeFor: (px: number) => number) => PropsWithChildren['children'];
}) {
  const p = usePalette();
  const [width, setWidth] = useState(358);
  const [view, setView] = useState({ zoom: 1, dx: 0, dy: 0 });
  const height = Math.min(maxHeight, width / (aspect ?? box.width / box.height));
  const unitsPerPx = Math.max(box.width / width, box.height / height) / view.zoom;
  const start = useRef({ dx: 0, dy: 0 });
  const live = useRef({ view, unitsPerPx, onTurn });
  live.current = { view, unitsPerPx, onTurn };
  const turned = useRef({ dx: 0, dy: 0 });
  const pan = useRef(
    PanResponder.create({
      onMoveShouldSetPanResponder: (_e, g) => (live.current.view.zoom > 1 || live.current.onTurn !== undefined) && Math.hypot(g.dx, g.dy) > 4,
      onPanResponderGrant: () => {
        start.current = { dx: live.current.view.dx, dy: live.current.view.dy };
        turned.current = { dx: 0, dy: 0 };
      },
      onPanResponderMove: (_e, g) => {
        const { onTurn: turn, view: v0 } = live.current;
        if (turn && v0.zoom === 1) {
          turn(g.dx - turned.current.dx, g.dy - turned.current.dy);
          turned.current = { dx: g.dx, dy: g.dy };
          return;
        }
        setView((v) => ({ ...v, dx: start.current.dx - g.dx * live.current.unitsPerPx, dy: start.current.dy - g.dy * live.current.unitsPerPx }));
      },
    }),
  ).current;
  const zoomBy = (factor: number) =>
    setView((v) => {
      const zoom = Math.min(40, Math.max(1, v.zoom * factor));
      return zoom === 1 ? { zoom, dx: 0, dy: 0 } : { ...v, zoom };
    });
  const onWheel = {
    onWheel: (e: { deltaY: number }) => {
      // only while zoomed: the page scrolls first
      if (live.current.view.zoom > 1) zoomBy(e.deltaY < 0 ? 1.15 : 1 / 1.15);
    },
  } as object;
  const w = width * unitsPerPx;
  const h = height * unitsPerPx;
  const cx = box.x + box.width / 2 + view.dx;
  const cy = box.y + box.height / 2 + view.dy;
  const look = () => ({ left: cx - w / 2, top: cy - h / 2, width: w, height: h, unitsPerPx });
  const { handlers, overlay } = useAim(aim, look);
  const painting = useBrush(brush, look);
  const shift = (x: number, y: number) => setView((v) => ({ ...v, dx: v.dx + x * 0.3 * w, dy: v.dy + y * 0.3 * h }));
  return (
    <View style={{ marginVertical: SPACE.s }}>
      <View
        onLayout={(e: LayoutChangeEvent) => setWidth(Math.max(120, e.nativeEvent.layout.width))}
        style={{
          borderWidth: 1,
          borderColor: p.line,
          backgroundColor: p.sunk,
          borderRadius: 4,
          overflow: 'hidden',
          ...(aim || brush ? ({ touchAction: 'none', cursor: 'crosshair' } as object) : grab ? ({ userSelect: 'none' } as object) : {}),
          // a finger that goes up or down scrolls the page
          ...(onTurn ? ({ touchAction: 'pan-y', userSelect: 'none', cursor: 'grab' } as object) : {}),
        }}
        {...(aim || brush ? {} : pan.panHandlers)}
        {...onWheel}
        {...handlers}
        {...painting.handlers}
        {...(brush ? { testID: 'brush' } : {})}
        {...(aim ? { role: 'application' as never, 'aria-label': `${describe} Arrow keys move the cross, Enter places it.`, testID: 'aim' } : {})}
      >
        <Svg width="100%" height={height} viewBox={`${cx - w / 2} ${cy - h / 2} ${w} ${h}`} role="img" aria-label={describe}>
          <G>{children((px) => px * unitsPerPx)}</G>
          {overlay}
          {painting.overlay}
        </Svg>
        {grab ? <Handles grab={grab} left={cx - w / 2} top={cy - h / 2} unitsPerPx={unitsPerPx} width={width} height={height} /> : null}
      </View>
      <View style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.s }}>
        <Words look="small" dim style={{ flex: 1, marginTop: SPACE.xs }}>
          {describe}
        </Words>
        {view.zoom > 1 ? <IconAction icon="zoom-out-map" label="Show the whole drawing" onPress={() => setView({ zoom: 1, dx: 0, dy: 0 })} /> : null}
        {(aim || grab || brush) && view.zoom > 1 ? (
          <>
            <IconAction icon="arrow-back" label="Move the view left" onPress={() => shift(-1, 0)} />
            <IconAction icon="arrow-forward" label="Move the view right" onPress={() => shift(1, 0)} />
            <IconAction icon="arrow-upward" label="Move the view up" onPress={() => shift(0, -1)} />
            <IconAction icon="arrow-downward" label="Move the view down" onPress={() => shift(0, 1)} />
          </>
        ) : null}
        <IconAction icon="zoom-in" label="Zoom in" onPress={() => zoomBy(1.6)} />
      </View>
    </View>
  );
}
