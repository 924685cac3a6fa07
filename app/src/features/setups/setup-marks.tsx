import type { SetupBody, StoredRecord } from '@mesure/contract';
import { Fragment, useState } from 'react';
import { Pressable, View } from 'react-native';
import Svg, { Circle, Line, Rect, Text as SvgText } from 'react-native-svg';
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
const TAP_PX = 40;

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
  const [first, setFirst] = useState<string | null>(null);
  const { levelMarks, originMark, headingMarks } = setup.body;
  if (marks.length === 0)
    return (
      <Section title="Level, origin, heading">
        <Words look="small" dim>
          They are chosen on the drawing as soon as the set has marks with places: from the mark sheet in Plan, or from the tape net.
        </Words>
      </Section>
    );
  const give = (id: string) => {
    // a heading is two marks or none: its first end waits here for the second
    if (job === 'heading from' && !headingMarks) {
      setFirst(id);
      setJob('heading to');
      return;
    }
    void write(
      'setup',
      setup.id,
      (now): SetupBody => {
        if (job === 'level') return { ...now, levelMarks: now.levelMarks.includes(id) ? now.levelMarks.filter((m) => m !== id) : [...now.levelMarks, id] };
        if (job === 'origin') return { ...now, originMark: now.originMark === id ? null : id };
        const [from, to] = now.headingMarks ?? [first, null];
        const pair = job === 'heading from' ? [id, to] : [from, id];
        return pair[0] === null || pair[1] === null || pair[0] === pair[1] ? now : { ...now, headingMarks: [pair[0], pair[1]] };
      },
      `${setup.body.name}: ${id} as ${job}`,
    );
  };
  const xs = marks.map((m) => m.xM);
  const zs = marks.map((m) => m.zM);
  const spanM = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...zs) - Math.min(...zs), 0.5);
  const scale = (SIZE - 2 * MARGIN) / spanM;
  const at = (m: { xM: number; zM: number }) => ({ x: MARGIN + (m.xM - Math.min(...xs)) * scale, y: MARGIN + (m.zM - Math.min(...zs)) * scale });
  const of = (id: string | null | undefined) => marks.find((m) => m.id === id);
  const [from, to] = [of(headingMarks?.[0]), of(headingMarks?.[1])];
  const barM = Math.max(0.5, Math.round(spanM / 4));
  const cautions = marksCautions(setup.body, marks);
  const said = `Marks of ${set.body.name} from above. Level: ${levelMarks.join(', ') || 'none'}. Origin: ${originMark ?? 'none'}. Heading: ${headingMarks?.join(' to ') ?? 'none'}.`;
  return (
    <Section title="Level, origin, heading">
      <Choice<Job> label="A tapped mark becomes" value={job} options={JOBS.map((j) => ({ value: j, title: j }))} onChange={setJob} />
      <View style={{ alignSelf: 'center', width: SIZE, height: SIZE }}>
        <Svg width={SIZE} height={SIZE} viewBox={`0 0 ${SIZE} ${SIZE}`} accessibilityLabel={said}>
          <Rect x={0} y={0} width={SIZE} height={SIZE} fill={p.sunk} />
          {from && to ? <Line x1={at(from).x} y1={at(from).y} x2={at(to).x} y2={at(to).y} stroke={p.blue} strokeWidth={2} strokeDasharray="6 4" /> : null}
          {marks.map((m) => {
            const { x, y } = at(m);
            return (
              <Fragment key={m.id}>
                {m.id === originMark ? <Rect x={x - 10} y={y - 10} width={20} height={20} fill="none" stroke={p.tape} strokeWidth={3} /> : null}
                <Circle cx={x} cy={y} r={6} fill={levelMarks.includes(m.id) ? p.blue : p.paper} stroke={p.ink} strokeWidth={1.5} />
                <SvgText x={x + 10} y={y - 8} fontFamily={FONT.figures} fontSize={13} fill={p.ink}>
                  {m.id}
                </SvgText>
              </Fragment>
            );
          })}
          <Line x1={MARGIN} x2={MARGIN + scale * barM} y1={SIZE - 8} y2={SIZE - 8} stroke={p.ink} strokeWidth={2} />
          <SvgText x={MARGIN} y={SIZE - 12} fontFamily={FONT.figures} fontSize={12} fill={p.dim}>{`${barM} m`}</SvgText>
        </Svg>
        {marks.map((m) => (
          <Pressable
            key={m.id}
            accessibilityRole="button"
            accessibilityLabel={`${m.id} as ${job}`}
            testID={`mark-${m.id}`}
            onPress={() => give(m.id)}
            style={{ position: 'absolute', left: at(m).x - TAP_PX / 2, top: at(m).y - TAP_PX / 2, width: TAP_PX, height: TAP_PX }}
          />
        ))}
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
