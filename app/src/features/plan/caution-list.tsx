import type { Caution, Remedy, Severity } from '@mesure/core';
import { slower } from '@mesure/core';
import type { PlanBody } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { useData } from '../../data';
import { CameBack, useKeptEntry } from '../../forms';
import { Action, Field, Sheet } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import type { PlanDraft } from './use-plan';

/** A shape and a word for each severity; they read in grey. */
export const CAUTION_SIGNS: Record<Severity, { shape: string; word: string }> = {
  grave: { shape: '◆', word: 'grave' },
  serious: { shape: '◈', word: 'serious' },
  small: { shape: '◇', word: 'small' },
};

/** The plan with a remedy applied, and what it says on the undo line. */
export function applyRemedy(plan: PlanBody, remedy: Remedy): { plan: PlanBody; label: string; title: string } {
  switch (remedy.set) {
    case 'shutterDeg':
      return { plan: { ...plan, shutterDeg: remedy.value }, title: `Set the shutter to ${remedy.value}°`, label: `Shutter ${remedy.value}°` };
    case 'stop':
      return { plan: { ...plan, stop: remedy.value }, title: `Set the stop to ${remedy.value}`, label: `Stop ${remedy.value}` };
    case 'stabiliser':
      return { plan: { ...plan, stabiliser: remedy.value }, title: 'Note: stabiliser off', label: 'Stabiliser off' };
    case 'sync':
      return { plan: { ...plan, sync: remedy.value }, title: 'Plan timecode and clap', label: 'Timecode and clap' };
    case 'slower':
      return { plan: { ...plan, move: slower(plan.move, remedy.value) }, title: `Move ${remedy.value} times as slow`, label: `Move ${remedy.value} times as slow` };
  }
}

/** Cautions, worst first, each with its number, its remedy and the way to take note of it. */
export function CautionList({ cautions, draft, mayWrite, onShow }: { cautions: readonly Caution[]; draft: PlanDraft; mayWrite: boolean; onShow: (c: Caution) => void }) {
  const [noting, setNoting] = useState<Caution | null>(null);
  const answers = draft.planBody.answered;
  const answered = cautions.filter((c) => answers.some((a) => a.rule === c.rule));
  const open = cautions.filter((c) => !answered.includes(c));
  return (
    <View>
      {open.length === 0 ? <Empty title="No caution remains" text="Nothing that can be computed speaks against this setup." /> : null}
      {open.map((c) => (
        <CautionRow key={c.rule} caution={c} draft={draft} mayWrite={mayWrite} onShow={onShow} onNote={() => setNoting(c)} />
      ))}
      {answered.length > 0 ? (
        <Words look="heading" level={2} style={{ marginTop: SPACE.l }}>
          Taken note of
        </Words>
      ) : null}
      {answered.map((c) => {
        const a = answers.find((q) => q.rule === c.rule)!;
        return (
          <View key={c.rule} style={{ paddingVertical: SPACE.s }} testID={`answered-${c.rule}`}>
            <Words>{`${CAUTION_SIGNS[c.severity].shape} ${c.rule}: ${c.found}`}</Words>
            <Words look="small" dim>{`${a.by}: ${a.reason}`}</Words>
            {mayWrite ? (
              <Action kind="quiet" title="Open it again" onPress={() => draft.keep(`${c.rule} open again`, { plan: { ...draft.planBody, answered: answers.filter((q) => q !== a) } })} />
            ) : null}
          </View>
        );
      })}
      {noting ? <NoteSheet caution={noting} draft={draft} onClose={() => setNoting(null)} /> : null}
    </View>
  );
}

function CautionRow({ caution: c, draft, mayWrite, onShow, onNote }: { caution: Caution; draft: PlanDraft; mayWrite: boolean; onShow: (c: Caution) => void; onNote: () => void }) {
  const p = usePalette();
  const remedy = c.remedy ? applyRemedy(draft.planBody, c.remedy) : null;
  const number = (v: number) => (Math.abs(v) >= 100 ? v.toFixed(0) : Math.abs(v) >= 10 ? v.toFixed(1) : Number(v.toFixed(2)).toString());
  return (
    <View style={{ paddingVertical: SPACE.m, borderBottomWidth: 1, borderColor: p.line, gap: SPACE.xs }} testID={`caution-${c.rule}`}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', gap: SPACE.s, alignItems: 'baseline' }}>
        <Words look="heading" style={{ flex: 1 }}>
          {`${CAUTION_SIGNS[c.severity].shape} ${c.rule}`}
          <Words look="small" dim>{`  ${CAUTION_SIGNS[c.severity].word}`}</Words>
        </Words>
        <Words look="figure" color={p.blue} accessibilityLabel={`${number(c.value)} ${c.unit}, limit ${number(c.limit)}`}>
          {number(c.value)}
          <Words look="small" dim>{` / ${number(c.limit)} ${c.unit}`}</Words>
        </Words>
      </View>
      <Words>{c.found}</Words>
      <Words look="small" dim>
        {c.why}
      </Words>
      <Words look="small">{`→ ${c.advice}`}</Words>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.xs }}>
        {remedy && mayWrite ? <Action title={remedy.title} testID={`remedy-${c.rule}`} onPress={() => draft.keep(remedy.label, { plan: remedy.plan })} /> : null}
        {c.worstAtS !== null ? <Action kind="quiet" title="Show where" onPress={() => onShow(c)} label={`Show where in the move: ${c.rule}`} /> : null}
        {mayWrite ? <Action kind="quiet" title="Take note" onPress={onNote} label={`Take note of: ${c.rule}`} testID={`note-${c.rule}`} /> : null}
      </View>
    </View>
  );
}

function NoteSheet({ caution, draft, onClose }: { caution: Caution; draft: PlanDraft; onClose: () => void }) {
  const { session } = useData();
  const kept = useKeptEntry(`note ${draft.planBody.setupId} ${caution.rule}`, { reason: '' });
  const { reason } = kept.entry;
  const [error, setError] = useState<string | null>(null);
  const keep = () => {
    if (reason.trim() === '') {
      setError('Say why it may stay.');
      return;
    }
    const answer = { rule: caution.rule, reason: reason.trim(), by: session.name, at: new Date().toISOString() };
    draft.keep(`${caution.rule} taken note of`, { plan: { ...draft.planBody, answered: [...draft.planBody.answered, answer] } });
    kept.done();
    onClose();
  };
  return (
    <Sheet title={`Take note: ${caution.rule}`} open onClose={onClose}>
      <Words>{caution.found}</Words>
      {kept.cameBack ? <CameBack /> : null}
      <View style={{ height: SPACE.m }} />
      <Field label="Reason" value={reason} onChangeText={(v) => kept.set({ reason: v })} error={error} multiline testID="note-reason" />
      <Action kind="main" title="Take note of it" onPress={keep} testID="note-keep" />
    </Sheet>
  );
}
