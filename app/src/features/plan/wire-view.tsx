import { frameLines, watchMoments, wirePicture } from '@mesure/core';
import { useMemo, useState } from 'react';
import { Circle, G, Line, Path, Rect } from 'react-native-svg';
import { Choice } from '../../ui/controls';
import { Drawing } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { usePalette } from '../../ui/theme';
import type { PlanNumbers } from './use-plan';

/** What a camera sees at a moment: the set in lines, marks as large as they will be, features as dots; what is soft is drawn hollow. */
export function WireView({ numbers, share, frameAspect }: { numbers: PlanNumbers; share: number; frameAspect: number | null }) {
  const p = usePalette();
  const [through, setThrough] = useState<string | null>(null);
  const main = `${numbers.mounted.pack.camera}-cam`;
  const placed = numbers.facts.witnesses.flatMap((w, i) => (numbers.watch.witnesses[i] ? [w.name] : []));
  const { witness, study, moments } = useMemo(() => seenThrough(numbers, through), [numbers, through]);
  const m = Math.round(share * (study.moments.length - 1));
  const picture = useMemo(() => wirePicture(study, m), [study, m]);
  const watch = moments[m];
  const { widthPx: w, heightPx: h } = study.geometry;
  const soft = picture.points.filter((q) => q.seen && q.soft).length;
  const lines = frameAspect === null || witness ? null : frameLines(study.setup.optics, frameAspect);
  const say = `Through ${witness ?? 'the camera'}: ${watch.marks} mark${watch.marks === 1 ? '' : 's'} and ${watch.features} features in the frame${watch.smallestPx === null ? '' : `, marks of ${[...new Set([fixed(watch.smallestPx, 0), fixed(watch.largestPx, 0)])].join(' to ')} px`}${soft > 0 ? `, ${soft} of them out of focus (hollow)` : ''}${lines ? `; frame lines of ${fixed(frameAspect!, 2)}` : ''}.`;
  return (
    <>
      {placed.length > 0 ? <Choice<string> label="Through" value={witness ?? main} options={[main, ...placed].map((v) => ({ value: v, title: v }))} onChange={setThrough} /> : null}
      <Drawing box={{ x: 0, y: 0, width: w, height: h }} describe={say} maxHeight={320}>
        {(px) => (
          <G>
            {picture.edges.map((e, i) => (
              <Line key={i} x1={e.x1} y1={e.y1} x2={e.x2} y2={e.y2} stroke={e.moves ? p.dim : p.ink} strokeWidth={px(1.3)} strokeDasharray={e.moves ? `${px(5)} ${px(4)}` : undefined} />
            ))}
            {picture.points
              .filter((q) => q.seen)
              .map((q) =>
                q.mark ? (
                  <MarkSign key={q.id} x={q.xPx} y={q.yPx} size={Math.max(q.sizePx ?? 0, px(8))} soft={q.soft} px={px} ink={p.tape} />
                ) : (
                  <Circle key={q.id} cx={q.xPx} cy={q.yPx} r={px(2.5)} fill={q.soft ? 'none' : p.blue} stroke={p.blue} strokeWidth={px(1)} />
                ),
              )}
            {lines ? <Rect x={lines.xPx} y={lines.yPx} width={lines.widthPx} height={lines.heightPx} fill="none" stroke={p.dim} strokeWidth={px(1.4)} strokeDasharray={`${px(12)} ${px(5)}`} /> : null}
            <Rect x={px(1)} y={px(1)} width={w - px(2)} height={h - px(2)} fill="none" stroke={p.line} strokeWidth={px(2)} />
            <Path d={`M${w / 2 - px(7)} ${h / 2}h${px(14)}M${w / 2} ${h / 2 - px(7)}v${px(14)}`} stroke={p.dim} strokeWidth={px(1)} />
          </G>
        )}
      </Drawing>
    </>
  );
}

/** The study of the chosen camera: a placed witness by its name, else the main one. */
function seenThrough({ facts, watch, study }: PlanNumbers, name: string | null) {
  const i = facts.witnesses.findIndex((w) => w.name === name);
  const other = i >= 0 ? watch.witnesses[i] : null;
  return other ? { witness: name, study: other.study, moments: watchMoments(other.study) } : { witness: null, study, moments: watch.moments };
}

function MarkSign({ x, y, size, soft, px, ink }: { x: number; y: number; size: number; soft: boolean; px: (n: number) => number; ink: string }) {
  const r = size / 2;
  return (
    <G>
      {soft ? (
        <Circle cx={x} cy={y} r={r} fill="none" stroke={ink} strokeWidth={px(1.4)} strokeDasharray={`${px(2)} ${px(2)}`} />
      ) : (
        <Path d={`M${x - r} ${y}h${size}M${x} ${y - r}v${size}`} stroke={ink} strokeWidth={px(2)} fill="none" />
      )}
    </G>
  );
}
