import type { StillsPlan, WalkOutcome } from '@mesure/contract';
import { pieceCorners, type SetPiece } from '@mesure/core';
import { Circle, G, Line, Polygon, Text as SvgText } from 'react-native-svg';
import { Drawing } from '../../../ui/drawing';
import { MetreBar } from '../../../ui/metre-bar';
import { FONT, usePalette } from '../../../ui/theme';
import type { Walk } from './use-walk';

/** From the middle of its arrow a station's number stands behind it, px. */
const NUMBER_PX = 17;

/** The walk from above: stations filled when taken, joined where neighbouring pictures tie, broken apart where they do not. */
export function WalkDrawing({ plan, walk, pieces, next, placed }: { plan: StillsPlan; walk: Walk; pieces: readonly SetPiece[]; next: number | null; placed: WalkOutcome | null }) {
  const p = usePalette();
  const { stations } = plan;
  const solid = pieces.filter((q) => q.kind !== 'sky');
  const corners = solid.filter((q) => q.kind !== 'floor' && q.kind !== 'water').flatMap((q) => pieceCorners(q).slice(0, 4));
  const taken = (placed?.placed.stills ?? []).flatMap((s) => (s && s.offStationM !== null ? [s.position] : []));
  const xs = [...stations.map((s) => s.at[0]), ...taken.map((t) => t[0]), ...corners.map((c) => c[0])];
  const zs = [...stations.map((s) => s.at[2]), ...taken.map((t) => t[2]), ...corners.map((c) => c[2])];
  const [x0, x1, z0, z1] = [Math.min(...xs) - 0.7, Math.max(...xs) + 0.7, Math.min(...zs) - 0.7, Math.max(...zs) + 0.7];
  const box = { x: x0, y: z0, width: Math.max(3, x1 - x0), height: Math.max(3, z1 - z0) };
  const tied = (walk.check?.pairs ?? []).filter((q) => !(walk.check?.gaps ?? []).some((g) => g.from === q.from && g.to === q.to));
  const apart = (walk.check?.gaps ?? []).filter((g) => g.why === 'little' || g.why === 'none' || g.why === 'plain');
  // only where they lie on the plan: a walk without a metre has a world of its own
  const really = (placed?.placed.stills ?? []).flatMap((s, i) => (s && s.offStationM !== null ? [{ station: placed!.stills[i].station, at: s.position }] : [])).filter((q) => stations[q.station]);
  const say = `From above, 1 m as the bar: ${stations.length} stations as arrows, those that are taken filled (${walk.taken.length}); lines join pictures that tie (${tied.length}), broken ones do not (${apart.length}).${really.length > 0 ? ` A dot with a line to its station: where a picture was really taken (${really.length}).` : ''}`;
  return (
    <Drawing box={box} describe={say} maxHeight={300}>
      {(px) => (
        <G>
          {solid.map((q) => {
            const flat = q.kind === 'floor' || q.kind === 'water' || q.kind === 'platform';
            return (
              <Polygon
                key={q.id}
                points={pieceCorners(q)
                  .slice(0, 4)
                  .map((c) => `${c[0]},${c[2]}`)
                  .join(' ')}
                fill={flat ? 'none' : p.ink}
                fillOpacity={flat ? 0 : 0.16}
                stroke={p.line}
                strokeWidth={px(1.2)}
              />
            );
          })}
          {tied.map((q) => (
            <Join key={`${q.from}-${q.to}`} a={stations[q.from].at} b={stations[q.to].at} ink={p.blue} width={px(2)} />
          ))}
          {apart.map((g) => (
            <Join key={`${g.from}-${g.to}`} a={stations[g.from].at} b={stations[g.to].at} ink={p.against} width={px(3)} dash={`${px(6)} ${px(4)}`} />
          ))}
          {really.map((q) => (
            <G key={`really ${q.station}`}>
              <Line x1={stations[q.station].at[0]} y1={stations[q.station].at[2]} x2={q.at[0]} y2={q.at[2]} stroke={p.tape} strokeWidth={px(2)} />
              <Circle cx={q.at[0]} cy={q.at[2]} r={px(4)} fill={p.tape} />
            </G>
          ))}
          {stations.map((s, i) => {
            const u = px(1);
            const [c, n] = [Math.cos(s.headingRad), Math.sin(s.headingRad)];
            const turn = (x: number, z: number) => `${s.at[0] + x * c + z * n},${s.at[2] - x * n + z * c}`;
            const taken = walk.taken.includes(i);
            return (
              <G key={i}>
                <Polygon
                  points={[turn(-6 * u, 6 * u), turn(6 * u, 6 * u), turn(0, -9 * u)].join(' ')}
                  fill={taken ? p.blue : p.paper}
                  stroke={i === next ? p.tape : p.blue}
                  strokeWidth={(i === next ? 3 : 1.6) * u}
                />
                <SvgText x={s.at[0] + NUMBER_PX * u * n} y={s.at[2] + NUMBER_PX * u * c + 4 * u} fontSize={12 * u} fontFamily={FONT.figures} fill={i === next ? p.tape : p.ink} textAnchor="middle">
                  {walk.names[i]}
                </SvgText>
              </G>
            );
          })}
          <MetreBar x={box.x + px(10)} y={box.y + box.height - px(10)} px={px} ink={p.ink} />
        </G>
      )}
    </Drawing>
  );
}

/** On the spot all stations are at one place: then there is nothing to join. */
function Join({ a, b, ink, width, dash }: { a: readonly number[]; b: readonly number[]; ink: string; width: number; dash?: string }) {
  return <Line x1={a[0]} y1={a[2]} x2={b[0]} y2={b[2]} stroke={ink} strokeWidth={width} strokeDasharray={dash} />;
}
