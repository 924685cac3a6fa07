import { mountPackage, opticsOf, type EdgesBody, type MountedPackage, type StoredRecord } from '@mesure/contract';
import { DISTORTION_MODELS, frameLens, squeezeFromShape, type DistortionModel, type EdgeReport } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { Circle, Ellipse, G, Image as SvgImage, Path, Rect } from 'react-native-svg';
import { api, useData, useFind, useMayWrite, useRecord, useRecordsState } from '../../../data';
import { EXPLANATIONS } from '../../explanations';
import { Action, Choice, Section, Stepper } from '../../../ui/controls';
import { Drawing } from '../../../ui/drawing';
import { fixed, focal } from '../../../ui/format';
import { Empty } from '../../../ui/states';
import { Fact } from '../../../ui/fact';
import { Words } from '../../../ui/text';
import { PICTURE_INK, SPACE, usePalette } from '../../../ui/theme';
import { Warnings } from '../../../ui/warnings';
import { inWorker, useAnswer } from '../../../workers';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { BeforeAfter } from './before-after';

/** A picture in which edges are marked, or a thing of known shape is lined up. */
export function EdgesScreen({ edgesId }: { edgesId: string }) {
  const router = useRouter();
  const record = useRecord('edges', edgesId);
  const find = useFind();
  const pack = record ? find('package', record.body.packageId) : undefined;
  const mounted = pack ? mountPackage(pack.body, find) : null;
  return (
    <RecordsGate what="the picture">
      {record && !record.deleted && mounted && !('missing' in mounted) ? (
        <Marking key={record.id} record={record} mounted={mounted} />
      ) : (
        <Page>
          <Empty title="No such picture" text="It was undone or removed, or its package is not complete." action={{ title: 'Go to Kit', onPress: () => router.replace('/kit') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

function Marking({ record, mounted }: { record: StoredRecord<'edges'>; mounted: MountedPackage }) {
  const p = usePalette();
  const router = useRouter();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const { body } = record;
  const [what, setWhat] = useState<'edges' | 'line-up'>(body.lineUp ? 'line-up' : 'edges');
  const [edge, setEdge] = useState(() => Math.max(1, ...body.marks.map((m) => m.edge)));
  const setup = opticsOf(mounted, body.focalMm);
  const sized = { ...setup, image: { width: body.widthPx, height: body.heightPx } };
  const change = (now: (b: EdgesBody) => EdgesBody, label: string) => void write('edges', record.id, now, label);
  const url = api.previewUrl(session.production.id, body.picture.sha256, 4096);

  const answer = useAnswer(JSON.stringify([body.marks, body.model, sized]), () =>
    inWorker({ kind: 'edges', points: body.marks.map((m) => ({ edge: String(m.edge), x: m.x, y: m.y })), setup: sized, model: body.model }),
  );
  // the last one stays while a mark that was just set is counted in: nothing must jump under the finger
  const report = answer.failed === null ? answer.last : null;
  const problem = answer.failed;

  const place = (x: number, y: number) => {
    if (what === 'edges') change((b) => ({ ...b, marks: [...b.marks, { edge, x, y }] }), `Mark on edge ${edge}`);
    else change((b) => ({ ...b, lineUp: { ...(b.lineUp ?? { shape: 'circle', widthPx: Math.round(b.widthPx / 8), heightPx: Math.round(b.widthPx / 8) }), x, y } }), 'Shape moved');
  };
  const onEdge = body.marks.filter((m) => m.edge === edge).length;
  return (
    <Page action={<Action title="Back to the package" icon="arrow-back" onPress={() => router.push(`/kit/${body.packageId}`)} />}>
      <Words look="title" level={1}>{`${mounted.lens.name}, ${focal(body.focalMm)} mm`}</Words>
      <Words dim numberOfLines={1}>
        {body.picture.name}
      </Words>
      <Choice
        label="In this picture"
        value={what}
        options={[
          { value: 'edges', title: 'edges', detail: 'straight in reality' },
          { value: 'line-up', title: 'a circle or square', detail: 'for the squeeze' },
        ]}
        onChange={setWhat}
      />
      {/* two lines of room always: the picture must not move under the finger */}
      <View style={{ minHeight: 46, justifyContent: 'flex-end' }}>
        <Words look="heading" level={2} testID="edges-sentence" numberOfLines={2}>
          {what === 'line-up' ? 'Lay the shape over the picture.' : (report?.sentence ?? 'Mark points along edges that are straight in reality, near the border.')}
        </Words>
      </View>
      <Drawing
        box={{ x: 0, y: 0, width: body.widthPx, height: body.heightPx }}
        maxHeight={620}
        describe={
          what === 'edges'
            ? `${body.marks.length} marks on ${new Set(body.marks.map((m) => m.edge)).size} edges. Press, aim under the loupe, let go: a mark on edge ${edge}.`
            : 'Press where the middle of the circle or square is; then make it as wide and as high as in the picture.'
        }
        aim={mayWrite ? { pictureUrl: url, pictureWidth: body.widthPx, pictureHeight: body.heightPx, onPlace: place } : undefined}
      >
        {(px) => (
          <G>
            <SvgImage href={url as never} x={0} y={0} width={body.widthPx} height={body.heightPx} preserveAspectRatio="none" />
            {what === 'edges' ? <EdgeMarks marks={body.marks} open={edge} px={px} /> : null}
            {what === 'line-up' && body.lineUp ? <Shape lineUp={body.lineUp} px={px} /> : null}
          </G>
        )}
      </Drawing>
      {mayWrite && what === 'edges' ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
          <Action
            kind="main"
            title={onEdge < 3 ? `Edge ${edge}: ${onEdge} of at least 3 marks` : `Begin edge ${edge + 1}`}
            disabled={onEdge < 3}
            onPress={() => setEdge(edge + 1)}
            testID="next-edge"
          />
          <Action title="Take the last mark back" disabled={body.marks.length === 0} onPress={() => change((b) => ({ ...b, marks: b.marks.slice(0, -1) }), 'Mark taken back')} testID="undo-mark" />
          {edge > 1 ? <Action title={`Back to edge ${edge - 1}`} onPress={() => setEdge(edge - 1)} /> : null}
        </View>
      ) : null}
      {what === 'edges' ? (
        <>
          {problem ? (
            <Words dim style={{ marginTop: SPACE.s }}>
              {problem}
            </Words>
          ) : null}
          <View style={{ marginTop: SPACE.m }}>
            <Choice<DistortionModel>
              label="Model"
              value={body.model}
              options={DISTORTION_MODELS.map((m) => ({ value: m, title: m }))}
              onChange={(model) => change((b) => ({ ...b, model }), `Model ${model}`)}
            />
          </View>
          {report ? <EdgesResult report={report} /> : null}
          {report && report.status === 'usable' ? (
            <BeforeAfter pictureUrl={api.previewUrl(session.production.id, body.picture.sha256, 2048)} lens={frameLens(report.distortion, sized)} overscan={report.overscan} />
          ) : null}
        </>
      ) : (
        <LineUpPanel record={record} sized={sized} mayWrite={mayWrite} recordedSqueeze={mounted.lens.squeeze} lensId={mounted.pack.lensId} />
      )}
      {mayWrite ? (
        <View style={{ marginTop: SPACE.xl, alignItems: 'flex-start' }}>
          <Action
            title="Remove this picture"
            icon="delete-outline"
            onPress={() => {
              void write('edges', record.id, (now) => now, 'Picture with edges removed', true);
              router.replace(`/kit/${body.packageId}`);
            }}
          />
        </View>
      ) : null}
      <View style={{ height: 1, backgroundColor: p.line, marginTop: SPACE.l }} />
    </Page>
  );
}

function EdgeMarks({ marks, open, px }: { marks: EdgesBody['marks']; open: number; px: (n: number) => number }) {
  const edges = [...new Set(marks.map((m) => m.edge))];
  return (
    <G>
      {edges.map((e) => {
        const mine = marks.filter((m) => m.edge === e).sort(alongEdge(marks.filter((m) => m.edge === e)));
        return (
          <G key={e}>
            <Path d={mine.map((m, i) => `${i === 0 ? 'M' : 'L'}${m.x} ${m.y}`).join('')} stroke={e === open ? PICTURE_INK.mark : PICTURE_INK.lattice} strokeWidth={px(1.5)} fill="none" />
            {mine.map((m, i) => (
              <Circle key={i} cx={m.x} cy={m.y} r={px(4)} fill="none" stroke={e === open ? PICTURE_INK.mark : PICTURE_INK.light} strokeWidth={px(2)} />
            ))}
          </G>
        );
      })}
    </G>
  );
}

/** Marks may be set in any order; they are joined along the edge's longer way. */
function alongEdge(marks: EdgesBody['marks']) {
  const spread = (v: number[]) => Math.max(...v) - Math.min(...v);
  const wide = spread(marks.map((m) => m.x)) >= spread(marks.map((m) => m.y));
  return (a: { x: number; y: number }, b: { x: number; y: number }) => (wide ? a.x - b.x : a.y - b.y);
}

function EdgesResult({ report }: { report: EdgeReport }) {
  return (
    <Section title={`Straightness, ${report.distortion.model}`}>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.m }}>
        <Fact about={EXPLANATIONS.edgesFit} label="Marks off their lines" value={fixed(report.rmsPx, 2)} unit="px" testID="edges-rms" />
        <Fact about={EXPLANATIONS.cornerDisplacement} label="Corner displacement" value={fixed(report.cornerDisplacementPct, 2)} unit="% of half diagonal" />
      </View>
      {report.edges.map((e) => (
        <Words key={e.edge} look="small" dim>{`Edge ${e.edge}, ${e.points} marks: bows ${fixed(e.bowBeforePx, 1)} px as recorded, ${fixed(e.bowAfterPx, 1)} px afterwards.`}</Words>
      ))}
      <Warnings of={report.warnings} />
    </Section>
  );
}

function Shape({ lineUp, px }: { lineUp: NonNullable<EdgesBody['lineUp']>; px: (n: number) => number }) {
  const { shape, x, y, widthPx: w, heightPx: h } = lineUp;
  const look = { fill: 'none', stroke: PICTURE_INK.mark, strokeWidth: px(2) } as const;
  return (
    <G>
      {shape === 'circle' ? <Ellipse cx={x} cy={y} rx={w / 2} ry={h / 2} {...look} /> : <Rect x={x - w / 2} y={y - h / 2} width={w} height={h} {...look} />}
      <Circle cx={x} cy={y} r={px(2.5)} fill={PICTURE_INK.mark} />
    </G>
  );
}

/** Beyond this share of the half width the lens itself stretches what is round. */
const MIDDLE_SHARE = 0.35;

function LineUpPanel({
  record,
  sized,
  mayWrite,
  recordedSqueeze,
  lensId,
}: {
  record: StoredRecord<'edges'>;
  sized: Parameters<typeof squeezeFromShape>[1];
  mayWrite: boolean;
  recordedSqueeze: number;
  lensId: string;
}) {
  const write = useRecordsState((s) => s.write);
  const find = useFind();
  const { body } = record;
  const { lineUp } = body;
  if (!lineUp) return <Words dim>A circle or a square that faces the camera, near the middle of the picture, as large as possible.</Words>;
  const found = squeezeFromShape(lineUp, sized);
  const set = (now: Partial<typeof lineUp>, label: string) => void write('edges', record.id, (b) => ({ ...b, lineUp: { ...b.lineUp!, ...now } }), label);
  const off = Math.hypot(lineUp.x - body.widthPx / 2, lineUp.y - body.heightPx / 2) / (body.widthPx / 2);
  const lens = find('lens', lensId);
  const differs = Math.abs(found.value - recordedSqueeze) > Math.max(0.005, 2 * found.sigma);
  return (
    <Section title="Line-up">
      <View testID="line-up-squeeze">
        <Fact about={EXPLANATIONS.edgesFit} label="Squeeze" value={`${fixed(found.value, 3)} ± ${fixed(found.sigma, 3)}`} />
      </View>
      <Words look="small" dim>{`Recorded: ${recordedSqueeze}. A thing that is turned away looks squeezed, too: one that faces the camera is needed.`}</Words>
      {off > MIDDLE_SHARE ? <Words look="small">– It lies far from the middle, where the lens stretches what is round. Choose one nearer to it.</Words> : null}
      {mayWrite ? (
        <>
          <Choice
            label="Shape"
            value={lineUp.shape}
            options={[
              { value: 'circle', title: 'circle' },
              { value: 'square', title: 'square' },
            ]}
            onChange={(shape) => set({ shape }, `Line-up of a ${shape}`)}
          />
          <Stepper label="Width" value={lineUp.widthPx} min={4} max={body.widthPx} step={coarse(lineUp.widthPx)} unit="px" onChange={(widthPx) => set({ widthPx }, 'Shape’s width')} fineStep={1} />
          <Stepper
            label="Height"
            value={lineUp.heightPx}
            min={4}
            max={body.heightPx}
            step={coarse(lineUp.heightPx)}
            unit="px"
            onChange={(heightPx) => set({ heightPx }, 'Shape’s height')}
            fineStep={1}
          />
          {differs && lens ? (
            <Action
              title={`Take ${fixed(found.value, 3)} as ${lens.body.name}'s squeeze`}
              testID="take-squeeze"
              onPress={() => void write('lens', lensId, (now) => ({ ...now, squeeze: Number(found.value.toFixed(4)) }), `${lens.body.name}: squeeze ${fixed(found.value, 3)}`)}
            />
          ) : null}
        </>
      ) : null}
    </Section>
  );
}

const coarse = (px: number): number => Math.max(1, Math.round(px / 20));
