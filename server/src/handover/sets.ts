import type { StoredRecord } from '@mesure/contract';
import { netOnPlan, type NetPoint, type NetResult } from '@mesure/core';
import { jsonText, writeCsv } from '@mesure/formats';
import { writeSurveyCsv, writeSurveyPly } from '@mesure/formats/survey';
import { writeSurveyDxf } from '@mesure/formats/survey-dxf';
import { slug, type HandoverDay, type HandoverFile } from './day';
import { adjustedNet } from './net';
import { spaceOf } from './receiver';

/** The tape net of each set that was shot in: its ties as they can be read again, and its marks as the net places them. */
export function setFiles({ setups, all, find, wishes }: HandoverDay): HandoverFile[] {
  const space = spaceOf(wishes);
  return [...new Set(setups.map((s) => s.body.setId))].flatMap((setId): HandoverFile[] => {
    const set = find('set', setId);
    const ties = all('tie').filter((t) => t.body.setId === setId);
    const facts = all('fact').filter((f) => f.body.setId === setId);
    if (!set || ties.length + facts.length === 0) return [];
    const base = `sets/${slug(set.body.name)}`;
    // asked for by four files, adjusted once, when the first of them is made
    let adjusted: { result: NetResult; points: NetPoint[] } | { problem: string } | null = null;
    const net = () => (adjusted ??= adjust(set, ties, facts));
    const points = (): NetPoint[] => {
      const n = net();
      return 'points' in n ? n.points : [];
    };
    return [
      {
        path: `${base}/ties.csv`,
        what: 'lengths between marks, in metres',
        readWith: 'CSV',
        make: async () => writeCsv([['from', 'to', 'value', 'unit', 'tolerance'], ...ties.map(({ body: t }) => [t.from, t.to, t.length.valueM, 'm', t.length.toleranceM])]),
      },
      { path: `${base}/points.csv`, what: 'marks as the tape net places them, with standard deviations', readWith: 'CSV', make: async () => writeSurveyCsv(points(), space) },
      { path: `${base}/points.ply`, what: 'the same', readWith: 'PLY', make: async () => writeSurveyPly(points(), space) },
      { path: `${base}/points.dxf`, what: 'the same, heights along Z', readWith: 'DXF', make: async () => writeSurveyDxf(points(), space.unit) },
      { path: `${base}/net.json`, what: 'how the tape net was adjusted: what each measurement says, what is open', readWith: 'JSON', make: async () => jsonText(netWords(net(), ties, facts)) },
    ];
  });
}

function adjust(set: StoredRecord<'set'>, ties: readonly StoredRecord<'tie'>[], facts: readonly StoredRecord<'fact'>[]): { result: NetResult; points: NetPoint[] } | { problem: string } {
  const net = adjustedNet(set, ties, facts);
  return 'problem' in net ? net : { result: net.result, points: netOnPlan(net.result.points, net.input.near ?? new Map()) };
}

const netWords = (net: ReturnType<typeof adjust>, ties: readonly StoredRecord<'tie'>[], facts: readonly StoredRecord<'fact'>[]) => ({
  ...('problem' in net ? { problem: net.problem } : { net: net.result }),
  measured: [...ties.map((t) => ({ ...t.body, by: t.updatedBy })), ...facts.map((f) => ({ ...f.body, by: f.updatedBy }))],
});
