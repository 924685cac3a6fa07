import { errorEllipse, netOnPlan, type NetResult, type Vec3 } from '@mesure/core';
import { Circle, Ellipse, G, Line, Text as SvgText } from 'react-native-svg';
import type { StoredRecord } from '@mesure/contract';
import { Drawing } from '../../../ui/drawing';
import { MetreBar } from '../../../ui/metre-bar';
import { FONT, usePalette } from '../../../ui/theme';

/** Error ellipses are drawn so many times as large as they are: millimetres on metres. */
function magnified(longestM: number, sizeM: number): number {
  const wanted = (0.06 * sizeM) / Math.max(1e-6, longestM);
  return [1000, 500, 200, 100, 50, 20, 10, 5, 2].find((m) => m <= wanted) ?? 1;
}

/** The net from above: good ties thin, one that contradicts drawn apart and broken, what is not determined hollow where the plan has it. */
export function NetDrawing({ result, ties, plan }: { result: NetResult; ties: readonly StoredRecord<'tie'>[]; plan: ReadonlyMap<string, Vec3> }) {
  const p = usePalette();
  const points = netOnPlan(result.points, plan);
  const at = new Map(points.map((q) => [q.id, q.at]));
  const open = result.open.flatMap((o) => (plan.has(o.id) ? [{ id: o.id, at: plan.get(o.id)! }] : []));
  const xs = [...points.map((q) => q.at[0]), ...open.map((q) => q.at[0])];
  const zs = [...points.map((q) => q.at[2]), ...open.map((q) => q.at[2])];
  const [x0, x1, z0, z1] = [Math.min(...xs) - 0.6, Math.max(...xs) + 0.6, Math.min(...zs) - 0.6, Math.max(...zs) + 0.6];
  const box = { x: x0, y: z0, width: Math.max(2, x1 - x0), height: Math.max(2, z1 - z0) };
  const ellipses = points.map((q) => ({ q, e: errorEllipse(q) }));
  const times = magnified(Math.max(1e-6, ...ellipses.map(({ e }) => e.longM)), Math.hypot(box.width, box.height));
  const bad = new Set(result.facts.filter((f) => f.suspect).map((f) => f.fact));
  const say = `From above, 1 m as the bar: ${points.length} marks that are determined, ellipses ${times} times as large as their sigma${open.length > 0 ? `; hollow: ${open.length} not determined yet, where the plan has them` : ''}${bad.size > 0 ? '; broken lines: what contradicts the rest' : ''}.`;
  return (
    <Drawing box={box} describe={say} maxHeight={420}>
      {(px) => (
        <G>
          {ties.map((t, i) => {
            const [a, b] = [at.get(t.body.from), at.get(t.body.to)];
            const one = a ?? b;
            if (!one) return null;
            if (a && b) {
              const apart = bad.has(i);
              const d = Math.hypot(b[0] - a[0], b[2] - a[2]) || 1;
              // drawn beside its place, so that it is seen apart from the good ones
              const [ox, oz] = apart ? [(px(5) * (b[2] - a[2])) / d, (-px(5) * (b[0] - a[0])) / d] : [0, 0];
              return (
                <G key={t.id}>
                  <Line
                    x1={a[0] + ox}
                    y1={a[2] + oz}
                    x2={b[0] + ox}
                    y2={b[2] + oz}
                    stroke={apart ? p.against : p.line}
                    strokeWidth={px(apart ? 3 : 1.2)}
                    strokeDasharray={apart ? `${px(7)} ${px(4)}` : undefined}
                  />
                  {apart ? (
                    <Said x={(a[0] + b[0]) / 2 + 2.5 * ox} y={(a[2] + b[2]) / 2 + 2.5 * oz} px={px} ink={p.ink} paper={p.sunk}>
                      {offWords(result.facts.find((f) => f.fact === i)!.residualM)}
                    </Said>
                  ) : null}
                </G>
              );
            }
            // its other end is not determined: open-ended towards where the plan has it
            const other = plan.get(a ? t.body.to : t.body.from) ?? [one[0] + 0.5, one[1], one[2] - 0.5];
            const d = Math.hypot(other[0] - one[0], other[2] - one[2]) || 1;
            return (
              <Line
                key={t.id}
                x1={one[0]}
                y1={one[2]}
                x2={one[0] + (0.35 * (other[0] - one[0])) / Math.min(1, d)}
                y2={one[2] + (0.35 * (other[2] - one[2])) / Math.min(1, d)}
                stroke={p.dim}
                strokeWidth={px(1.2)}
                strokeDasharray={`${px(3)} ${px(3)}`}
              />
            );
          })}
          {ellipses.map(({ q, e }) => (
            <G key={q.id}>
              <Ellipse
                cx={q.at[0]}
                cy={q.at[2]}
                rx={Math.max(px(1.5), times * e.longM)}
                ry={Math.max(px(1.5), times * e.shortM)}
                fill={p.blue}
                fillOpacity={0.25}
                stroke={p.blue}
                strokeWidth={px(1.4)}
                transform={`rotate(${(180 * e.turnRad) / Math.PI} ${q.at[0]} ${q.at[2]})`}
              />
              <Circle cx={q.at[0]} cy={q.at[2]} r={px(2.5)} fill={p.ink} />
              <SvgText x={q.at[0] + px(7)} y={q.at[2] - px(6)} fontSize={px(13)} fontFamily={FONT.figures} fill={p.ink}>
                {q.id}
              </SvgText>
            </G>
          ))}
          {open.map((o) => (
            <G key={o.id}>
              <Circle cx={o.at[0]} cy={o.at[2]} r={px(7)} fill="none" stroke={p.dim} strokeWidth={px(1.4)} strokeDasharray={`${px(3)} ${px(3)}`} />
              <SvgText x={o.at[0] + px(9)} y={o.at[2] - px(6)} fontSize={px(13)} fontFamily={FONT.figures} fill={p.dim}>
                {o.id}
              </SvgText>
            </G>
          ))}
          <MetreBar x={box.x + px(10)} y={box.y + box.height - px(10)} px={px} ink={p.ink} />
        </G>
      )}
    </Drawing>
  );
}

/** Words over lines: their rim keeps them readable. */
function Said({ x, y, px, ink, paper, children }: { x: number; y: number; px: (n: number) => number; ink: string; paper: string; children: string }) {
  const look = { x, y, fontSize: px(13), fontFamily: FONT.figures, textAnchor: 'middle' as const };
  return (
    <G>
      <SvgText {...look} fill={paper} stroke={paper} strokeWidth={px(5)}>
        {children}
      </SvgText>
      <SvgText {...look} fill={ink}>
        {children}
      </SvgText>
    </G>
  );
}

/** How much too long or too short a length is, in words that a hand on a tape understands. */
export const offWords = (residualM: number): string => {
  const mm = Math.abs(1000 * residualM);
  return `${mm >= 100 ? `${(mm / 10).toFixed(0)} cm` : `${mm.toFixed(0)} mm`} too ${residualM > 0 ? 'long' : 'short'}`;
};
