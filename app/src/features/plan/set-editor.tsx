import { usualPiece, type SetBody } from '@mesure/contract';
import { DETAILS, PIECE_KINDS, type PieceKind, type SetPiece } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { newId } from '../../data';
import { Action, Choice, Field, Row, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { LiveNumber } from '../../ui/live-number';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { changePiece } from './drag';
import type { PlanDraft } from './use-plan';

const DEG = Math.PI / 180;

/** The pieces of the set: added with one tap, sized by typing, moved in the drawing. */
export function SetEditor({ draft, chosen, onChoose, mayWrite }: { draft: PlanDraft; chosen: string | null; onChoose: (id: string | null) => void; mayWrite: boolean }) {
  const set = draft.setBody;
  const pieces = set.pieces ?? [];
  const open = pieces.find((q) => `piece:${q.id}` === chosen);
  const add = (kind: PieceKind) => {
    const count = pieces.filter((q) => q.kind === kind).length;
    const piece = usualPiece(kind, newId(), `${kind[0].toUpperCase()}${kind.slice(1)}${count > 0 ? ` ${count + 1}` : ''}`);
    draft.keep(`${piece.name} added`, { set: { ...set, pieces: [...pieces, piece] } });
    onChoose(`piece:${piece.id}`);
  };
  return (
    <View>
      {pieces.length === 0 ? (
        <>
          <Empty title="An empty set" text="Begin with a floor and a wall, then add what stands between. Or type three distances: a thing near, in the middle and far." />
          {mayWrite ? <Recce draft={draft} /> : null}
        </>
      ) : null}
      {pieces.map((q) => (
        <Row
          key={q.id}
          testID={`piece-${q.name}`}
          selected={q === open}
          title={`${q.name}${q.moves ? ' · moves' : ''}`}
          detail={
            q.kind === 'sky'
              ? `covers ${fixed(100 * (q.coversShare ?? 0), 0)} % of the frame`
              : `${q.kind} · ${fixed(q.widthM, 2)} × ${fixed(q.depthM, 2)} × ${fixed(q.heightM, 2)} m · ${q.detail === 'none' ? 'plain' : `${q.detail} detail`}`
          }
          onPress={() => onChoose(q === open ? null : `piece:${q.id}`)}
        />
      ))}
      {open && mayWrite ? <PieceForm key={open.id} piece={open} draft={draft} onGone={() => onChoose(null)} /> : null}
      {mayWrite ? (
        <Section title="Add to the set">
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
            {PIECE_KINDS.map((kind) => (
              <Action key={kind} title={kind} label={`Add ${kind}`} onPress={() => add(kind)} testID={`add-${kind}`} />
            ))}
          </View>
        </Section>
      ) : null}
    </View>
  );
}

/** A recce without a plan: things near, in the middle and far, at the distances that were paced out, on a floor. */
function Recce({ draft }: { draft: PlanDraft }) {
  const [from] = draft.planBody.move.stations;
  const [distances, setDistances] = useState<(number | null)[]>([2, 4, 8]);
  const [error, setError] = useState<string | null>(null);
  const lay = () => {
    const typed = distances.filter((v): v is number => v !== null && Number.isFinite(v) && v > 0);
    if (typed.length === 0) return setError('Enter at least one distance above 0');
    setError(null);
    const sorted = [...typed].sort((a, b) => a - b);
    const things = sorted.map((distanceM, i): SetPiece => {
      // the farthest is what closes the view
      const wall = i === sorted.length - 1;
      const size = wall ? usualPiece('wall', newId(), 'Far') : usualPiece('box', newId(), i === 0 ? 'Near' : 'Middle');
      return { ...size, xM: from.xM + (wall ? 0.75 : i === 0 ? -0.6 : 1.2), zM: from.zM - distanceM, detail: 'some' };
    });
    const far = sorted[sorted.length - 1];
    const floor = { ...usualPiece('floor', newId(), 'Floor'), xM: from.xM + 0.75, zM: from.zM - far / 2, depthM: far + 1 };
    return draft.keep('Set laid from distances', { set: { ...draft.setBody, pieces: [floor, ...things] } });
  };
  return (
    <View>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between' }}>
        {['Near', 'Middle', 'Far'].map((name, i) => (
          <View key={name} style={{ width: '31%' }}>
            <LiveNumber label={name} suffix="m" optional value={distances[i]} onChange={(v) => setDistances((d) => d.map((o, k) => (k === i ? v : o)))} testID={`recce-${name}`} />
          </View>
        ))}
      </View>
      {error ? <Words role="alert">{`▲ ${error}`}</Words> : null}
      <Action title="Lay floor and things at these distances" icon="layers" onPress={lay} testID="recce" />
    </View>
  );
}

function PieceForm({ piece, draft, onGone }: { piece: SetPiece; draft: PlanDraft; onGone: () => void }) {
  const show = (change: Partial<SetPiece>) => draft.show({ set: changePiece(draft.setBody, { ...piece, ...change }) });
  const done = () => draft.dragging && draft.keep(`${piece.name} changed`);
  const keep = (change: Partial<SetPiece>) => draft.keep(`${piece.name} changed`, { set: changePiece(draft.setBody, { ...piece, ...change }) });
  const number = (label: string, field: 'xM' | 'zM' | 'baseM' | 'widthM' | 'depthM' | 'heightM', signed = false) => (
    <View style={{ width: '47%' }}>
      <LiveNumber label={label} suffix="m" signed={signed} value={piece[field]} onChange={(v) => v !== null && Number.isFinite(v) && show({ [field]: v })} onDone={done} testID={`piece-${field}`} />
    </View>
  );
  const remove = () => {
    const set: SetBody = {
      ...draft.setBody,
      pieces: (draft.setBody.pieces ?? []).filter((q) => q.id !== piece.id),
      sheet: (draft.setBody.sheet ?? []).map((m) => (m.pieceId === piece.id ? { ...m, pieceId: null } : m)),
    };
    draft.keep(`${piece.name} removed`, { set });
    onGone();
  };
  return (
    <Section title={piece.name}>
      <Field label="Name" value={piece.name} onChangeText={(name) => show({ name })} onDone={() => piece.name.trim() && done()} />
      {piece.kind === 'sky' ? null : (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', justifyContent: 'space-between' }}>
          {number('Width', 'widthM')}
          {number('Depth', 'depthM')}
          {number('Height', 'heightM')}
          {number('Underside over floor', 'baseM', true)}
          {number('To the right', 'xM', true)}
          {number('Towards the camera', 'zM', true)}
        </View>
      )}
      {piece.kind === 'sky' ? null : (
        <LiveNumber
          label="Turned to the left"
          suffix="°"
          signed
          value={piece.turnRad / DEG}
          digits={1}
          onChange={(v) => v !== null && Number.isFinite(v) && show({ turnRad: v * DEG })}
          onDone={done}
        />
      )}
      <Choice<string>
        label="Does it move?"
        value={piece.moves ? 'moves' : 'still'}
        options={[
          { value: 'still', title: 'stands still' },
          { value: 'moves', title: 'moves' },
        ]}
        onChange={(v) => keep({ moves: v === 'moves' })}
      />
      {piece.moves ? (
        <LiveNumber
          label="Share of the frame that it covers"
          suffix="%"
          optional={piece.kind !== 'sky'}
          value={piece.coversShare === null ? null : 100 * piece.coversShare}
          onChange={(v) => (v === null ? show({ coversShare: null }) : Number.isFinite(v) && v <= 100 && show({ coversShare: v / 100 }))}
          onDone={done}
          hint={piece.kind === 'sky' ? undefined : 'Empty: computed from its size'}
        />
      ) : (
        <Choice label="Detail to track by itself" value={piece.detail} options={DETAILS.map((d) => ({ value: d, title: d }))} onChange={(detail) => keep({ detail })} />
      )}
      <Words look="small" dim>
        {piece.kind === 'sky' ? '' : 'Or drag it in the drawing.'}
      </Words>
      <Action kind="quiet" title={`Remove ${piece.name}`} icon="delete-outline" onPress={remove} />
    </Section>
  );
}
