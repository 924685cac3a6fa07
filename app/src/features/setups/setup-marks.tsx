import type { SetupBody, StoredRecord } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import Svg, { Circle, G, Line, Rect, Text as SvgText } from 'react-native-svg';
import { useRecord, useRecordsState } from '../../data';
import { Choice, Section } from '../../ui/controls';
import { Words } from '../../ui/text';
import { FONT, usePalette } from '../../ui/theme';
import { useMarkPlaces } from './use-mark-places';

type Job = 'level' | 'origin' | 'heading from' | 'heading to';
const JOBS: Job[] = ['level', 'origin', 'heading from', 'heading to'];
/** Marks nearer to each other than this hold the ground, or a direction, only weakly. */
const NEAR_M = 0.8;
const SIZE = 300;
const MARGIN = 28;

/** Level, origin and heading of a setup, chosen on the drawing of its set: say what a mark is to be, then tap marks. */
export function SetupMarks({ setup }: { setup: StoredRecord<'setup'> }) {
  const set = useRecord('set', setup.body.setId);
  return set ? <MarksOnSet setup={setup} set={set} /> : null;
}

function MarksOnSet({ setup, set }: { setup: StoredRecord<'setup'>; set: StoredRecord<'set'> }) {
  const p = usePalette();
  const write = useRecordsState((s) => s.write);
  const marks = useMarkPlaces(set);
  const [job, setJob] = useState<Job>('level');
  const { levelMarks, originMark, headingMarks } = setup.body;
  if (marks.length === 0)
    return (
      <Section title="Level, origin, heading">
        <Words look="small" dim>
          They are chosen on the drawing as soon as the set has marks with places: from the mark sheet in Plan, or from the tape net.
        </Words>
      </Section>
    );
  const give = (id: string) =>
    void write(
      'setup',
      setup.id,
      (now): SetupBody => {
        if (job === 'level') return { ...now, levelMarks: now.levelMarks.includes(id) ? now.levelMarks.filter((m) => m !== id) : [...now.levelMarks, id] };
        if (job === 'origin') return { ...now, originMark: now.originMark === id ? null : id };
        const [from, to] = now.headingMarks ?? [id, id];
        const pair: [string, string] = job === 'heading from' ? [id, to === id ? from : to] : [from === id ? to : from, id];
        return { ...now, headingMarks: pair[0] === pair[1] ? now.headingMarks : pair };
      },
      `${setup.body.name}: ${id} as ${job}`,
    );
  const xs = marks.map((m) => m.xM);
  const zs = marks.map((m) => m.zM);
  const spanM = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...zs) - Math.min(...zs), 0.5);
  const scale = (SIZE - 2 * MARGIN) / spanM;
  const at = (m: { xM: number; zM: number }) => ({ x: MARGIN + (m.xM - Math.min(...xs)) * scale, y: MARGIN + (m.zM - Math.min(...zs)) * scale });
  const of = (id: string | null | undefined) => marks.find((m) => m.id === id);
  const [from, to] = [of(headingMarks?.[0]), of(headingMarks?.[1])];
  const cautions = marksCautions(setup.body, marks);
  const said = `Marks of ${set.body.name} from above. Level: ${levelMarks.join(', ') || 'none'}. Origin: ${originMark ?? 'none'}. Heading: ${headingMarks?.join(' to ') ?? 'none'}.`;
  return (
    <Section title="Level, origin, heading">
      <Choice<Job> label="A tapped mark becomes" value={job} options={JOBS.map((j) => ({ value: j, title: j }))} onChange={setJob} />
      <View style={{ alignItems: 'center' }}>
        <Svg width={SIZE} height={SIZE} viewBox={`0 0 ${SIZE} ${SIZE}`} accessibilityLabel={said}>
          <Rect x={0} y={0} width={SIZE} height={SIZE} fill={p.sunk} />
          {from && to ? <Line x1={at(from).x} y1={at(from).y} x2={at(to).x} y2={at(to).y} stroke={p.blue} strokeWidth={2} strokeDasharray="6 4" /> : null}
          {marks.map((m) => {
            const { x, y } = at(m);
            const level = levelMarks.includes(m.id);
            return (
              <G key={m.id} onPress={() => give(m.id)} {...({ role: 'button', 'aria-label': `${m.id} as ${job}`, tabIndex: 0, testID: `mark-${m.id}` } as object)}>
                <Rect x={x - 22} y={y - 22} width={44} height={44} fill="transparent" />
                {m.id === originMark ? <Rect x={x - 10} y={y - 10} width={20} height={20} fill="none" stroke={p.tape} strokeWidth={3} /> : null}
                <Circle cx={x} cy={y} r={6} fill={level ? p.blue : p.paper} stroke={p.ink} strokeWidth={1.5} />
                <SvgText x={x + 10} y={y - 8} fontFamily={FONT.figures} fontSize={13} fill={p.ink}>
                  {m.id}
                </SvgText>
              </G>
            );
          })}
          <Line x1={MARGIN} x2={MARGIN + scale * Math.max(0.5, Math.round(spanM / 4))} y1={SIZE - 8} y2={SIZE - 8} stroke={p.ink} strokeWidth={2} />
          <SvgText x={MARGIN} y={SIZE - 12} fontFamily={FONT.figures} fontSize={12} fill={p.dim}>{`${Math.max(0.5, Math.round(spanM / 4))} m`}</SvgText>
        </Svg>
      </View>
      <Words look="small" dim>
        {said}
      </Words>
      {cautions.map((c) => (
        <Words key={c} look="small">{`▲ ${c}`}</Words>
      ))}
    </Section>
  );
}

/** A mark from above. */
export interface MarkAt {
  id: string;
  xM: number;
  zM: number;
}
/** What speaks against the chosen marks: ground from marks near each other tilts, a short heading turns the set. */
export function marksCautions(body: Pick<SetupBody, 'levelMarks' | 'headingMarks'>, marks: readonly MarkAt[]): string[] {
  const found = (ids: readonly string[]) => ids.flatMap((id) => marks.find((m) => m.id === id) ?? []);
  const apart = (a: MarkAt, b: MarkAt) => Math.hypot(a.xM - b.xM, a.zM - b.zM);
  const level = found(body.levelMarks);
  const heading = found(body.headingMarks ?? []);
  const said: string[] = [];
  if (body.levelMarks.length > 0 && body.levelMarks.length < 3) said.push('The ground needs three level marks.');
  if (level.length >= 3) {
    const widest = level.flatMap((a, i) => level.slice(i + 1).map((b) => ({ a, b, m: apart(a, b) }))).sort((x, y) => y.m - x.m)[0];
    // how far the others stand off the line through the two that are furthest apart
    const off = Math.max(...level.map((c) => Math.abs((widest.b.xM - widest.a.xM) * (widest.a.zM - c.zM) - (widest.a.xM - c.xM) * (widest.b.zM - widest.a.zM)) / Math.max(widest.m, 1e-9)));
    if (widest.m < NEAR_M) said.push(`The level marks are within ${widest.m.toFixed(2)} m: the ground would tilt by more than they are flat. Take some further apart.`);
    else if (off < NEAR_M / 4) said.push('The level marks lie on one line: across it the ground is free to tilt. Take one beside the line.');
  }
  if (heading.length === 2 && apart(heading[0], heading[1]) < NEAR_M)
    said.push(`The heading marks are ${apart(heading[0], heading[1]).toFixed(2)} m apart: the set would turn with every millimetre. Take two further apart.`);
  return said;
}
