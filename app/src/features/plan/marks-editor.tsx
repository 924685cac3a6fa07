import {
  CoreError,
  distance,
  layGrid,
  layRing,
  layScatter,
  lifeFrames,
  markDiameterFor,
  markSizePx,
  MARK_FACES,
  MARK_GROUNDS,
  MARK_KINDS,
  spareMarks,
  type MarkFace,
  type MarkKind,
  type PlannedMark,
} from '@mesure/core';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { useAll } from '../../data';
import { Action, Choice, Row, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { LiveNumber } from '../../ui/live-number';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { MarkSheet } from '../setups/mark-sheet';
import { MarksOverTime } from './marks-over-time';
import { PrintMarks } from './print-marks';
import type { PlanDraft, PlanNumbers, PlanViewProps } from './use-plan';

/** A list longer than this is cut; the drawing shows all. */
const LISTED = 40;

/** The mark sheet: what is there, how it will be seen, and new marks by hand or in a pattern. */
export function MarksEditor({ numbers, draft, share, chosen, onChoose, mayWrite }: Omit<PlanViewProps, 'onChoose'> & { onChoose: (id: string | null) => void }) {
  const sheet = draft.setBody.sheet ?? [];
  const { study } = numbers;
  const [naming, setNaming] = useState<string | null>(null);
  const set = useAll('set').find((q) => q.id === draft.setId);
  const spare = useMemo(() => new Set(spareMarks(study)), [study]);
  const index = new Map(study.points.map((p, i) => [p.id, i]));
  const m = Math.round(share * (study.moments.length - 1));
  const open = sheet.find((k) => `mark:${k.id}` === chosen);
  const put = (label: string, marks: PlannedMark[]) => draft.keep(label, { set: { ...draft.setBody, sheet: marks, marks: [...new Set([...draft.setBody.marks, ...marks.map((k) => k.id)])] } });
  return (
    <View>
      {sheet.length === 0 ? <Empty title="No marks yet" text="Lay some on a piece of the set; the count below the drawing and the forecast follow." /> : null}
      {mayWrite ? <LayMarks numbers={numbers} draft={draft} onLaid={(laid) => put(`${laid.length} mark${laid.length === 1 ? '' : 's'} laid`, [...sheet, ...laid])} /> : null}
      {open && mayWrite ? <MarkForm mark={open} draft={draft} onGone={() => onChoose(null)} onName={() => setNaming(open.id)} /> : null}
      {naming && set ? <MarkSheet set={set} mark={naming} onClose={() => setNaming(null)} /> : null}
      <MarksOverTime numbers={numbers} share={share} />
      {sheet.length > 0 ? (
        <Section title={`${sheet.length} marks`}>
          <PrintMarks setName={draft.setBody.name} marks={sheet} />
          {sheet.slice(0, LISTED).map((k) => {
            const p = index.get(k.id);
            const seen = p !== undefined && study.seen[m * study.points.length + p] === 1;
            const life = p === undefined ? 0 : lifeFrames(study, p);
            const size = p === undefined ? null : markSizePx(study, m, p);
            return (
              <Row
                key={k.id}
                testID={`mark-${k.id}`}
                selected={k === open}
                title={`${k.id} · ${k.kind}, ${fixed(1000 * k.diameterM, 0)} mm`}
                detail={`${seen ? `seen now, ${fixed(size, 0)} px` : 'not seen now'} · ${life > 0 ? `${life} frames in one run` : 'never in the frame'}${spare.has(k.id) ? ' · could go' : ''}`}
                onPress={() => onChoose(k === open ? null : `mark:${k.id}`)}
              />
            );
          })}
          {sheet.length > LISTED ? <Words look="small" dim>{`and ${sheet.length - LISTED} more in the drawing`}</Words> : null}
        </Section>
      ) : null}
    </View>
  );
}

type Pattern = 'one' | 'grid' | 'scatter' | 'ring';

function LayMarks({ numbers, draft, onLaid }: { numbers: PlanNumbers; draft: PlanDraft; onLaid: (marks: PlannedMark[]) => void }) {
  const pieces = (draft.setBody.pieces ?? []).filter((q) => q.kind !== 'sky');
  const [pieceId, setPieceId] = useState<string | null>(null);
  const [pattern, setPattern] = useState<Pattern>('scatter');
  const [face, setFace] = useState<MarkFace | null>(null);
  const [kind, setKind] = useState<MarkKind>('cross');
  const [count, setCount] = useState<number | null>(12);
  const [spacingM, setSpacing] = useState<number | null>(0.8);
  const [diameterM, setDiameter] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const piece = pieces.find((q) => q.id === pieceId) ?? pieces.find((q) => q.kind === 'wall') ?? pieces[0];
  if (!piece) return <Words look="small">Marks are laid on pieces: add a floor and a wall under Set.</Words>;
  const moment = numbers.study.moments[numbers.study.moments.length >> 1];
  const distanceM = Math.max(0.2, distance([piece.xM, piece.baseM + piece.heightM / 2, piece.zM], moment.position));
  const advice = markDiameterFor(moment.focalMm * (numbers.planned.optics.adapterFactor ?? 1) * numbers.study.geometry.pxPerMmY, distanceM);
  const flat = piece.heightM < 0.3;
  const side = face ?? (flat ? 'top' : 'front');
  const lay = () => {
    const laid = { kind, diameterM: diameterM ?? advice.diameterM, taken: draft.setBody.marks.concat((draft.setBody.sheet ?? []).map((k) => k.id)) };
    try {
      setError(null);
      if (pattern === 'grid') onLaid(layGrid(piece, side, spacingM ?? 0, laid));
      else if (pattern === 'ring') onLaid(layRing(piece, count ?? 0, 0.6 * piece.heightM, laid));
      // a seed of its own for each call, so that a second scatter is not laid on the first
      else if (pattern === 'scatter') onLaid(layScatter(piece, side, count ?? 0, laid, 1 + (draft.setBody.sheet ?? []).length));
      else onLaid(layGrid(piece, side, 2 * Math.max(piece.widthM, piece.depthM, piece.heightM), laid).slice(0, 1));
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      setError(e.message);
    }
  };
  return (
    <Section title="Lay marks">
      <Choice<string> label="On" value={piece.id} options={pieces.map((q) => ({ value: q.id, title: q.name }))} onChange={setPieceId} />
      <Choice<Pattern>
        label="Pattern"
        value={pattern}
        options={[
          { value: 'scatter', title: 'scatter', detail: 'no two neighbourhoods alike' },
          { value: 'grid', title: 'grid' },
          { value: 'ring', title: 'ring round it' },
          { value: 'one', title: 'one' },
        ]}
        onChange={setPattern}
      />
      {pattern === 'ring' ? null : <Choice<MarkFace> label="Side" value={side} options={MARK_FACES.map((f) => ({ value: f, title: f }))} onChange={setFace} />}
      <Choice label="Kind" value={kind} options={MARK_KINDS.map((k) => ({ value: k, title: k }))} onChange={setKind} />
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', justifyContent: 'space-between' }}>
        {pattern === 'scatter' || pattern === 'ring' ? (
          <View style={{ width: '47%' }}>
            <LiveNumber label="How many" value={count} digits={0} onChange={setCount} testID="lay-count" />
          </View>
        ) : null}
        {pattern === 'grid' ? (
          <View style={{ width: '47%' }}>
            <LiveNumber label="Spacing" suffix="m" value={spacingM} onChange={setSpacing} testID="lay-spacing" />
          </View>
        ) : null}
        <View style={{ width: '47%' }}>
          <LiveNumber
            label="Diameter"
            suffix="m"
            optional
            value={diameterM}
            onChange={setDiameter}
            hint={`${fixed(1000 * advice.leastM, 0)}–${fixed(1000 * advice.mostM, 0)} mm give 10–20 px; empty: ${fixed(1000 * advice.diameterM, 0)} mm`}
          />
        </View>
      </View>
      {error ? <Words role="alert">{`▲ ${error}`}</Words> : null}
      <Action kind="main" icon="add" title={`Lay marks on ${piece.name}`} onPress={lay} testID="lay-marks" />
    </Section>
  );
}

function MarkForm({ mark, draft, onGone, onName }: { mark: PlannedMark; draft: PlanDraft; onGone: () => void; onName: () => void }) {
  const sheet = draft.setBody.sheet ?? [];
  const changed = (change: Partial<PlannedMark>) => ({ set: { ...draft.setBody, sheet: sheet.map((k) => (k.id === mark.id ? { ...k, ...change } : k)) } });
  const axis = (label: string, i: 0 | 1 | 2) => (
    <View style={{ width: '31%' }}>
      <LiveNumber
        label={label}
        suffix="m"
        signed
        value={mark.at[i]}
        onChange={(v) => v !== null && Number.isFinite(v) && draft.show(changed({ at: mark.at.map((q, k) => (k === i ? v : q)) as unknown as PlannedMark['at'] }))}
        onDone={() => draft.dragging && draft.keep(`Mark ${mark.id} moved`)}
      />
    </View>
  );
  return (
    <Section title={`Mark ${mark.id}`}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between' }}>
        {axis('Right', 0)}
        {axis('Up', 1)}
        {axis('Back', 2)}
      </View>
      <LiveNumber
        label="Diameter"
        suffix="mm"
        value={1000 * mark.diameterM}
        digits={1}
        onChange={(v) => v !== null && v > 0 && draft.show(changed({ diameterM: v / 1000 }))}
        onDone={() => draft.dragging && draft.keep(`Mark ${mark.id} sized`)}
      />
      <Choice label="Kind" value={mark.kind} options={MARK_KINDS.map((k) => ({ value: k, title: k }))} onChange={(kind) => draft.keep(`Mark ${mark.id}: ${kind}`, changed({ kind }))} />
      <Choice label="Sits on" value={mark.ground} options={MARK_GROUNDS.map((g) => ({ value: g, title: g }))} onChange={(ground) => draft.keep(`Mark ${mark.id} on ${ground}`, changed({ ground }))} />
      <View style={{ flexDirection: 'row', gap: SPACE.s, flexWrap: 'wrap' }}>
        <Action title={mark.placed ? 'Only planned yet' : 'It is placed'} onPress={() => draft.keep(`Mark ${mark.id} ${mark.placed ? 'planned' : 'placed'}`, changed({ placed: !mark.placed }))} />
        <Action kind="quiet" icon="drive-file-rename-outline" title="Another name, or the same as another" onPress={onName} testID="mark-name" />
        <Action
          kind="quiet"
          icon="delete-outline"
          title={`Remove ${mark.id}`}
          onPress={() => {
            draft.keep(`Mark ${mark.id} removed`, { set: { ...draft.setBody, sheet: sheet.filter((k) => k.id !== mark.id) } });
            onGone();
          }}
        />
      </View>
    </Section>
  );
}
