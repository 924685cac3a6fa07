import { pieceCorners } from '@mesure/core';
import { useRef } from 'react';
import { Circle, G, Line, Path, Polygon } from 'react-native-svg';
import { Drawing } from '../../ui/drawing';
import { MetreBar } from '../../ui/metre-bar';
import { fixed } from '../../ui/format';
import { usePalette } from '../../ui/theme';
import { dragOnSide, groundBox, sideHandles } from './drag';
import { grabOf } from './grab-of';
import type { PlanViewProps } from './use-plan';

/** The set from the left: depth to the right, height upwards; heights of camera and marks are dragged here. */
export function SideView({ numbers, draft, share, chosen, onChoose, mayWrite }: PlanViewProps) {
  const p = usePalette();
  const drawn = { plan: draft.planBody, set: draft.setBody };
  const ground = groundBox(drawn);
  const high = Math.max(2.4, ...(draft.setBody.pieces ?? []).filter((q) => q.kind !== 'sky').map((q) => q.baseM + q.heightM), ...draft.planBody.move.stations.map((s) => s.heightM)) + 0.4;
  const low = Math.min(-0.4, ...(draft.setBody.pieces ?? []).map((q) => q.baseM - 0.2));
  const held = useRef({ x: -(ground.y + ground.height), y: -high, width: ground.height, height: high - low });
  if (!draft.dragging) held.current = { x: -(ground.y + ground.height), y: -high, width: ground.height, height: high - low };
  const box = held.current;
  const { study } = numbers;
  const now = study.moments[Math.round(share * (study.moments.length - 1))];
  const mm = now.focalMm * (study.setup.optics.adapterFactor ?? 1);
  const half = Math.atan(study.geometry.heightPx / 2 / (mm * study.geometry.pxPerMmY));
  const ray = (angle: number) => [-now.position[2] + 1.5 * box.width * Math.cos(now.tiltRad + angle), -now.position[1] - 1.5 * box.width * Math.sin(now.tiltRad + angle)];
  const say = `From the side, 1 m as the bar: the camera at ${fixed(now.position[1], 2)} m, tilted ${fixed((180 * now.tiltRad) / Math.PI, 0)}°; marks as crosses.`;
  return (
    <Drawing box={box} describe={say} maxHeight={260} grab={mayWrite ? grabOf(draft, sideHandles(drawn, chosen), (id, x, y) => dragOnSide(drawn, id, x, y), chosen, onChoose) : undefined}>
      {(px) => (
        <G>
          <Polygon points={[-now.position[2], -now.position[1], ...ray(half), ...ray(-half)].join(' ')} fill={p.blue} opacity={0.12} />
          <Line x1={box.x} y1={0} x2={box.x + box.width} y2={0} stroke={p.ink} strokeWidth={px(1.2)} />
          {(draft.setBody.pieces ?? []).map((q) => {
            if (q.kind === 'sky') return null;
            const corners = pieceCorners(q);
            const [z0, z1] = [Math.min(...corners.map((c) => -c[2])), Math.max(...corners.map((c) => -c[2]))];
            const flat = q.kind === 'floor' || q.kind === 'water';
            return (
              <Polygon
                key={q.id}
                points={`${z0},${-q.baseM} ${z1},${-q.baseM} ${z1},${-(q.baseM + q.heightM)} ${z0},${-(q.baseM + q.heightM)}`}
                fill={flat ? 'none' : p.ink}
                fillOpacity={flat ? 0 : 0.1}
                stroke={q.moves ? p.dim : p.ink}
                strokeWidth={px(1)}
                strokeDasharray={q.moves ? `${px(5)} ${px(4)}` : undefined}
              />
            );
          })}
          <Path d={study.moments.map((q, i) => `${i === 0 ? 'M' : 'L'}${(-q.position[2]).toFixed(3)} ${(-q.position[1]).toFixed(3)}`).join('')} stroke={p.blue} strokeWidth={px(2.5)} fill="none" />
          {(draft.setBody.sheet ?? []).map((k) => (
            <Path key={k.id} d={`M${-k.at[2] - px(5)} ${-k.at[1]}h${px(10)}M${-k.at[2]} ${-k.at[1] - px(5)}v${px(10)}`} stroke={p.tape} strokeWidth={px(1.8)} fill="none" />
          ))}
          <Circle cx={-now.position[2]} cy={-now.position[1]} r={px(6)} fill={p.ink} stroke={p.paper} strokeWidth={px(1)} />
          <MetreBar x={box.x + px(10)} y={box.y + box.height - px(8)} px={px} ink={p.ink} />
        </G>
      )}
    </Drawing>
  );
}
