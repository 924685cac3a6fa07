import { stationsTaken, type LightPlan } from '@mesure/contract';
import { objectPoseAt, pieceCorners, sharpZone, shadowOutline, sunAt, type SetPiece, type Vec3 } from '@mesure/core';
import { useRef } from 'react';
import { Circle, G, Line, Path, Polygon, Text as SvgText } from 'react-native-svg';
import { Drawing } from '../../ui/drawing';
import { MetreBar } from '../../ui/metre-bar';
import { fixed } from '../../ui/format';
import { FONT, usePalette } from '../../ui/theme';
import { useStills } from '../floor/stills/use-walk';
import { dragOnTop, groundBox, topHandles } from './drag';
import { grabOf } from './grab-of';
import type { Help } from './use-help';
import type { ForecastState, PlanViewProps } from './use-plan';

/** The set from above, to scale: pieces, marks, the camera's way and what it sees at the moment. */
export function TopView({ numbers, draft, share, chosen, onChoose, forecast, help, mayWrite }: PlanViewProps & { forecast: ForecastState; help: Help }) {
  const p = usePalette();
  const drawn = { plan: draft.planBody, set: draft.setBody };
  // the sheet stays as it is while something is dragged over it
  const held = useRef(groundBox(drawn));
  if (!draft.dragging) held.current = groundBox(drawn);
  const box = held.current;
  const { study } = numbers;
  const m = Math.round(share * (study.moments.length - 1));
  const now = study.moments[m];
  const mm = now.focalMm * (study.setup.optics.adapterFactor ?? 1);
  const halfView = Math.atan(study.geometry.widthPx / 2 / (mm * study.geometry.pxPerMmX));
  const pose = objectPoseAt(study.setup.move, now.timeS);
  const path = study.moments.map((q, i) => `${i === 0 ? 'M' : 'L'}${q.position[0].toFixed(3)} ${q.position[2].toFixed(3)}`).join('');
  const worst = forecast.status === 'done' ? forecast.forecast.worstPlace : null;
  // said while it is computed too: the drawing's words must not grow under a finger that is on its way to what stands below
  const ringed = worst !== null || forecast.status === 'pending';
  const seen = new Set(study.points.filter((_, k) => study.seen[m * study.points.length + k]).map((q) => q.id));
  const marks = draft.setBody.sheet ?? [];
  const pictures = useStills(draft.planBody.setupId);
  const taken = draft.planBody.stills ? stationsTaken(draft.planBody.stills, pictures) : [];
  const sharp = sharpZone(study, m);
  /** on a border of the view, so far before the camera */
  const along = (angle: number, depthM: number): [number, number] => {
    const reach = Math.min(depthM, 1.6 * Math.hypot(box.width, box.height)) / Math.cos(angle);
    return [now.position[0] - reach * Math.sin(now.headingRad + angle), now.position[2] - reach * Math.cos(now.headingRad + angle)];
  };
  const say = `From above, 1 m as the bar: ${draft.setBody.pieces?.length ?? 0} pieces, ${marks.length} marks (crosses; filled ones are seen now), the camera's way and its view at ${fixed(now.timeS, 1)} s${sharp ? `, tinted where it is sharp (${fixed(sharp.nearM, 1)} m to ${Number.isFinite(sharp.farM) ? `${fixed(sharp.farM, 1)} m` : 'infinity'})` : ''}.${help.status === 'done' ? ' Numbered flags: what would help.' : ''}${ringed ? ' The ring shows where a still object slips most.' : ''}${numbers.facts.witnesses.some((w) => w.camera) ? ' Hollow boxes: witness cameras.' : ''}${(draft.planBody.panoramas ?? []).length > 0 ? ' Numbers in rays: panoramas of the light.' : ''}${draft.planBody.stills ? ' Small arrows: the stills walk, filled when taken.' : ''}${draft.planBody.light ? ' Grey: shadows at the start; broken outlines: at the end.' : ''}`;
  return (
    <Drawing box={box} describe={say} maxHeight={380} grab={mayWrite ? grabOf(draft, topHandles(drawn, chosen), (id, x, y) => dragOnTop(drawn, id, x, y), chosen, onChoose) : undefined}>
      {(px) => (
        <G>
          <Polygon points={[now.position[0], now.position[2], ...along(halfView, Infinity), ...along(-halfView, Infinity)].join(' ')} fill={p.blue} opacity={0.12} />
          {sharp ? (
            <Polygon
              points={[...along(halfView, sharp.nearM), ...along(halfView, sharp.farM), ...along(-halfView, sharp.farM), ...along(-halfView, sharp.nearM)].join(' ')}
              fill={p.blue}
              opacity={0.14}
            />
          ) : null}
          {draft.planBody.light ? <Shadows light={draft.planBody.light} pieces={draft.setBody.pieces ?? []} px={px} ink={p.ink} /> : null}
          {(draft.setBody.pieces ?? []).map((q) =>
            q.kind === 'sky' ? null : <PieceFromAbove key={q.id} piece={q} px={px} ink={p.ink} dim={p.dim} move={pose && q.id === study.setup.move.objectId ? pose : null} />,
          )}
          <Path d={path} stroke={p.blue} strokeWidth={px(2.5)} fill="none" />
          {study.moments
            .filter((_, i) => i % 10 === 0)
            .map((q) => (
              <Circle key={q.timeS} cx={q.position[0]} cy={q.position[2]} r={px(2.5)} fill={p.blue} />
            ))}
          {marks.map((k) => (
            <Path
              key={k.id}
              d={`M${k.at[0] - px(5)} ${k.at[2]}h${px(10)}M${k.at[0]} ${k.at[2] - px(5)}v${px(10)}`}
              stroke={seen.has(k.id) ? p.tape : p.dim}
              strokeWidth={px(seen.has(k.id) ? 2.6 : 1.4)}
              fill="none"
            />
          ))}
          {worst ? <Circle cx={worst[0]} cy={worst[2]} r={px(13)} fill="none" stroke={p.against} strokeWidth={px(2)} strokeDasharray={`${px(4)} ${px(3)}`} /> : null}
          {help.status === 'done' ? help.list.map((n, i) => (n.at ? <HelpSign key={`${n.kind}${i}`} number={i + 1} at={n.at} px={px} ink={p.ink} paper={p.tape} onPaper={p.onTape} /> : null)) : null}
          {(draft.planBody.stills?.stations ?? []).map((q, i) => (
            <StillSign key={i} at={q.at} headingRad={q.headingRad} taken={taken.includes(i)} px={px} ink={p.blue} />
          ))}
          {draft.planBody.light ? <NorthSign light={draft.planBody.light} box={box} px={px} ink={p.ink} /> : null}
          {(draft.planBody.panoramas ?? []).map((q, i) => (
            <PanoramaSign key={i} number={i + 1} x={q.xM} z={q.zM} px={px} ink={p.ink} />
          ))}
          {numbers.facts.witnesses.map((w, i) => {
            const there = numbers.watch.witnesses[i]?.study.moments[m];
            return there ? <WitnessSign key={w.name} name={w.name} at={there.position} headingRad={there.headingRad} px={px} ink={p.ink} paper={p.paper} /> : null;
          })}
          <CameraSign at={now.position} headingRad={now.headingRad} px={px} ink={p.ink} paper={p.paper} />
          <MetreBar x={box.x + px(10)} y={box.y + box.height - px(10)} px={px} ink={p.ink} />
        </G>
      )}
    </Drawing>
  );
}

function PieceFromAbove({ piece, px, ink, dim, move }: { piece: SetPiece; px: (n: number) => number; ink: string; dim: string; move: { rotation: readonly number[]; translation: Vec3 } | null }) {
  const corners = pieceCorners(piece)
    .slice(0, 4)
    .map((c): Vec3 => {
      if (!move) return c;
      const r = move.rotation;
      return [r[0] * c[0] + r[2] * c[2] + move.translation[0], c[1], r[6] * c[0] + r[8] * c[2] + move.translation[2]];
    });
  const flat = piece.kind === 'floor' || piece.kind === 'water' || piece.kind === 'platform';
  const [cx, cz] = [corners.reduce((s, c) => s + c[0], 0) / 4, corners.reduce((s, c) => s + c[2], 0) / 4];
  return (
    <G>
      <Polygon
        points={corners.map((c) => `${c[0]},${c[2]}`).join(' ')}
        fill={flat ? 'none' : ink}
        fillOpacity={flat ? 0 : 0.16}
        stroke={piece.moves ? dim : ink}
        strokeWidth={px(flat ? 0.8 : 1.6)}
        strokeDasharray={piece.moves ? `${px(5)} ${px(4)}` : undefined}
      />
      {flat ? null : (
        <SvgText x={cx} y={cz - px(14)} fontSize={px(11)} fontFamily={FONT.text} fill={dim} textAnchor="middle">
          {piece.moves ? `${piece.name}, moves` : piece.name}
        </SvgText>
      )}
    </G>
  );
}

function CameraSign({ at, headingRad, px, ink, paper }: { at: Vec3; headingRad: number; px: (n: number) => number; ink: string; paper: string }) {
  const turn = (x: number, z: number) => `${at[0] + x * Math.cos(headingRad) + z * Math.sin(headingRad)},${at[2] - x * Math.sin(headingRad) + z * Math.cos(headingRad)}`;
  const u = px(1);
  return <Polygon points={[turn(-6 * u, 8 * u), turn(6 * u, 8 * u), turn(6 * u, -4 * u), turn(0, -10 * u), turn(-6 * u, -4 * u)].join(' ')} fill={ink} stroke={paper} strokeWidth={u} />;
}

/** Where a panorama of the light is taken: a round of short rays, with its number. */
function PanoramaSign({ number, x, z, px, ink }: { number: number; x: number; z: number; px: (n: number) => number; ink: string }) {
  const rays = Array.from({ length: 8 }, (_, i) => {
    const [c, s] = [Math.cos((i * Math.PI) / 4), Math.sin((i * Math.PI) / 4)];
    return `M${x + px(7) * c} ${z + px(7) * s}L${x + px(12) * c} ${z + px(12) * s}`;
  }).join('');
  return (
    <G>
      <Path d={rays} stroke={ink} strokeWidth={px(1.6)} fill="none" />
      <SvgText x={x + px(15)} y={z + px(4)} fontSize={px(12)} fontFamily={FONT.figures} fill={ink}>
        {String(number)}
      </SvgText>
    </G>
  );
}

/** A witness camera: hollow, with its name and two short lines the way it looks. */
function WitnessSign({ name, at, headingRad, px, ink, paper }: { name: string; at: Vec3; headingRad: number; px: (n: number) => number; ink: string; paper: string }) {
  const u = px(1);
  const turn = (x: number, z: number) => `${at[0] + x * Math.cos(headingRad) + z * Math.sin(headingRad)} ${at[2] - x * Math.sin(headingRad) + z * Math.cos(headingRad)}`;
  return (
    <G>
      <Path d={`M${turn(-4 * u, -8 * u)}L${turn(-12 * u, -26 * u)}M${turn(4 * u, -8 * u)}L${turn(12 * u, -26 * u)}`} stroke={ink} strokeWidth={1.4 * u} fill="none" />
      <Polygon
        points={[turn(-6 * u, 8 * u), turn(6 * u, 8 * u), turn(6 * u, -8 * u), turn(-6 * u, -8 * u)].map((q) => q.replace(' ', ',')).join(' ')}
        fill={paper}
        stroke={ink}
        strokeWidth={1.8 * u}
      />
      <SvgText x={at[0]} y={at[2] + 22 * u} fontSize={px(11)} fontFamily={FONT.text} fill={ink} textAnchor="middle">
        {name}
      </SvgText>
    </G>
  );
}

/** Where something that would help would go: its number in the list on a small flag. */
function HelpSign({ number, at, px, ink, paper, onPaper }: { number: number; at: Vec3; px: (n: number) => number; ink: string; paper: string; onPaper: string }) {
  const [x, z] = [at[0], at[2]];
  return (
    <G>
      <Path d={`M${x} ${z}L${x} ${z - px(26)}h${px(16)}v${px(15)}h${-px(16)}`} stroke={ink} strokeWidth={px(1.4)} fill={paper} />
      <SvgText x={x + px(8)} y={z - px(14)} fontSize={px(12)} fontFamily={FONT.figures} fill={onPaper} textAnchor="middle">
        {String(number)}
      </SvgText>
    </G>
  );
}

/** A station of the stills walk: a small arrow the way it looks, filled when it is taken. */
function StillSign({ at, headingRad, taken, px, ink }: { at: Vec3; headingRad: number; taken: boolean; px: (n: number) => number; ink: string }) {
  const u = px(1);
  const turn = (x: number, z: number) => `${at[0] + x * Math.cos(headingRad) + z * Math.sin(headingRad)},${at[2] - x * Math.sin(headingRad) + z * Math.cos(headingRad)}`;
  return <Polygon points={[turn(-4 * u, 4 * u), turn(4 * u, 4 * u), turn(0, -6 * u)].join(' ')} fill={taken ? ink : 'none'} stroke={ink} strokeWidth={1.4 * u} />;
}

/** Shadows of what stands on the set, filled at the start of the light plan, outlined at its end. */
function Shadows({ light, pieces, px, ink }: { light: LightPlan; pieces: readonly SetPiece[]; px: (n: number) => number; ink: string }) {
  return (
    <G>
      {[light.from, light.to].map((iso, i) => {
        const sun = sunAt(light.latitudeDeg, light.longitudeDeg, Date.parse(iso));
        return pieces.map((q) => {
          const outline = shadowOutline(q, sun, light.northDeg);
          return outline.length > 2 ? (
            <Polygon
              key={`${i}${q.id}`}
              points={outline.map((c) => `${c.x},${c.y}`).join(' ')}
              fill={i === 0 ? ink : 'none'}
              opacity={i === 0 ? 0.22 : 0.9}
              stroke={i === 0 ? 'none' : ink}
              strokeWidth={px(1.2)}
              strokeDasharray={`${px(6)} ${px(4)}`}
            />
          ) : null;
        });
      })}
    </G>
  );
}

function NorthSign({ light, box, px, ink }: { light: LightPlan; box: { x: number; y: number; width: number; height: number }; px: (n: number) => number; ink: string }) {
  const north = (light.northDeg * Math.PI) / 180;
  const [nx, nz] = [box.x + box.width - px(26), box.y + px(30)];
  const [ax, az] = [px(16) * Math.sin(north), -px(16) * Math.cos(north)];
  return (
    <G>
      <Line x1={nx - ax} y1={nz - az} x2={nx + ax} y2={nz + az} stroke={ink} strokeWidth={px(1.6)} />
      <SvgText x={nx + 1.5 * ax} y={nz + 1.5 * az + px(4)} fontSize={px(11)} fontFamily={FONT.figures} fill={ink} textAnchor="middle">
        N
      </SvgText>
    </G>
  );
}
