import { planFromRecce, recceInputOf, type RecceBody, type StoredRecord } from '@mesure/contract';
import { CoreError, measurePhoto, setFromPhoto, type PhotoMeasure } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useMemo, useState } from 'react';
import { View } from 'react-native';
import { Circle, G, Image as SvgImage, Line, Text as SvgText } from 'react-native-svg';
import { onto, api, newId, useAll, useData, useMounted, useMayWrite, usePicturesState, useRecordsState } from '../../data';
import { EXPLANATIONS } from '../explanations';
import { Action, Section } from '../../ui/controls';
import { Drawing } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { LiveNumber } from '../../ui/live-number';
import { pickFile } from '../../ui/pick-file';
import { Empty } from '../../ui/states';
import { Fact } from '../../ui/fact';
import { Words } from '../../ui/text';
import { FONT, PICTURE_INK, SPACE, usePalette } from '../../ui/theme';
import { Warnings } from '../../ui/warnings';
import { inWorker } from '../../workers';
import { OnTheWay } from '../pictures/on-the-way';
import { openPicture } from '../pictures/picture-on-device';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { PhotoLengthSheet } from './photo-length-sheet';
import { usePlanOf, useRecceOf } from './use-plan';

type Place = { x: number; y: number };

/** A set without a plan: a photo of it, and three lengths that were measured there, say where the photo was taken and how large things are. */
export function RecceScreen({ setupId }: { setupId: string }) {
  const router = useRouter();
  const setup = useAll('setup').find((s) => s.id === setupId);
  return (
    <RecordsGate what="the photo">
      {setup ? (
        <OfSetup setup={setup} />
      ) : (
        <Page>
          <Empty title="No such setup" text="Choose another one under Plan." action={{ title: 'Go to Plan', onPress: () => router.replace('/plan') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

function OfSetup({ setup }: { setup: StoredRecord<'setup'> }) {
  const recce = useRecceOf(setup.id);
  const add = usePicturesState((s) => s.add);
  const onTheWay = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'recce' && (q.body as RecceBody).setupId === setup.id);
  const mayWrite = useMayWrite();
  const [problem, setProblem] = useState<string | null>(null);
  if (recce) return <Measuring key={recce.id} recce={recce} setup={setup} />;
  async function choose() {
    const file = await pickFile('image/*');
    if (!file) return;
    try {
      const opened = await openPicture(file);
      const detail = opened.image ? await inWorker({ kind: 'detail', image: opened.image }).catch(() => null) : null;
      const body: Omit<RecceBody, 'picture' | 'widthPx' | 'heightPx'> = {
        setupId: setup.id,
        focal35Mm: opened.notes?.focal35Mm ?? null,
        lengths: [],
        detail,
        shotAt: opened.notes?.shotAt ?? new Date(file.lastModified || Date.now()).toISOString(),
      };
      await add({ id: newId(), kind: 'recce', name: file.name, atS: null, body, addedAt: new Date().toISOString() }, await file.arrayBuffer());
      setProblem(null);
    } catch (e) {
      setProblem(`The photo was not kept on this device (${e instanceof Error ? e.message : String(e)}). Nothing was added.`);
    }
  }
  return (
    <Page action={mayWrite && onTheWay.length === 0 ? <Action kind="main" icon="photo-camera" title="Take or choose a photo" onPress={() => void choose()} testID="recce-photo" /> : undefined}>
      <Words look="title" level={1}>{`${setup.body.name}: photo of the set`}</Words>
      {problem ? <Words role="alert">{`▲ ${problem}`}</Words> : null}
      {onTheWay.map((q) => (
        <OnTheWay key={q.id} picture={q} />
      ))}
      {onTheWay.length > 0 ? (
        <Words look="small" dim>
          Lengths can be marked in it when it has arrived at the server.
        </Words>
      ) : (
        <Empty
          title="A photo and three lengths"
          text="Photograph the set from where the camera might stand, level, with the floor in the picture. Measure three lengths that are seen in it: on the floor, or of something upright that stands on it. Height and tilt of the camera, and a first plan, come out."
        />
      )}
    </Page>
  );
}

function Measuring({ recce, setup }: { recce: StoredRecord<'recce'>; setup: StoredRecord<'setup'> }) {
  const router = useRouter();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const [ends, setEnds] = useState<Place[]>([]);
  const { body } = recce;
  const [focal35Mm, setFocal35] = useState(body.focal35Mm);
  const url = api.previewUrl(session.production.id, body.picture.sha256, 4096);
  const change = (now: (b: RecceBody) => RecceBody, label: string) => void write('recce', recce.id, now, label);
  const found = useMemo(() => measured(body), [body]);
  const left = Math.max(0, 3 - body.lengths.length);
  const sentence =
    found.measure !== null
      ? `The photo was taken ${fixed(found.measure.heightM, 2)} m ± ${fixed(found.measure.sigmaHeightM, 2)} m over the floor, looking ${fixed((Math.abs(found.measure.tiltRad) * 180) / Math.PI, 0)}° ${found.measure.tiltRad < 0 ? 'down' : 'up'}.`
      : ends.length === 1
        ? 'Now the other end.'
        : left > 0
          ? `Mark ${left === 1 ? 'one more length' : `${left} more lengths`}: press on one end, then on the other.`
          : (found.problem ?? '');
  return (
    <Page action={mayWrite && found.measure ? <UseIt recce={recce} setup={setup} measure={found.measure} /> : undefined}>
      <Words look="title" level={1}>{`${setup.body.name}: photo of the set`}</Words>
      {/* two lines of room always: the picture must not move under the finger */}
      <View style={{ minHeight: 46, justifyContent: 'flex-end' }}>
        <Words look="heading" level={2} testID="recce-sentence" numberOfLines={2}>
          {sentence}
        </Words>
      </View>
      <Drawing
        box={{ x: 0, y: 0, width: body.widthPx, height: body.heightPx }}
        maxHeight={620}
        describe={`${body.lengths.length} lengths marked. Press, aim under the loupe, let go: an end of a length.`}
        aim={mayWrite ? { pictureUrl: url, pictureWidth: body.widthPx, pictureHeight: body.heightPx, onPlace: (x, y) => setEnds((e) => [...e, { x, y }].slice(-2)) } : undefined}
      >
        {(px) => (
          <G>
            <SvgImage href={url as never} x={0} y={0} width={body.widthPx} height={body.heightPx} preserveAspectRatio="none" />
            {body.lengths.map((l, i) => (
              <MarkedLength key={i} number={i + 1} a={l.a} b={l.b} px={px} />
            ))}
            {ends.map((e, i) => (
              <Circle key={i} cx={e.x} cy={e.y} r={px(6)} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(2.5)} />
            ))}
          </G>
        )}
      </Drawing>
      {ends.length === 2 ? (
        <PhotoLengthSheet
          number={body.lengths.length + 1}
          onClose={() => setEnds([])}
          onKeep={(kind, length) => {
            // an upright thing stands on the floor with its lower end
            const [a, b] = kind === 'upright' && ends[0].y < ends[1].y ? [ends[1], ends[0]] : ends;
            change((q) => ({ ...q, lengths: [...q.lengths, { kind, a, b, length }] }), `Length ${body.lengths.length + 1} of the photo`);
            setEnds([]);
          }}
        />
      ) : null}
      {ends.length === 1 ? <Action kind="quiet" title="Take the end back" onPress={() => setEnds([])} /> : null}
      {found.problem && body.lengths.length >= 2 ? <Words role="alert">{`◈ ${found.problem}`}</Words> : null}
      {found.measure ? <Found measure={found.measure} /> : null}
      <Section title={`${body.lengths.length} length${body.lengths.length === 1 ? '' : 's'}`}>
        {body.lengths.map((l, i) => (
          <View key={i} style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }} testID={`photo-length-${i + 1}`}>
            <Words>{`${i + 1} · ${l.kind === 'ground' ? 'on the floor' : 'upright'}, ${l.length.typed}${found.measure ? ` · comes out as ${fixed(found.measure.lengthsM[i], 2)} m` : ''}`}</Words>
            {mayWrite ? (
              <Action kind="quiet" title="Remove" label={`Remove length ${i + 1}`} onPress={() => change((q) => ({ ...q, lengths: q.lengths.filter((_, k) => k !== i) }), `Length ${i + 1} removed`)} />
            ) : null}
          </View>
        ))}
        {mayWrite ? (
          <View style={{ width: '60%' }}>
            <LiveNumber
              label="Focal length of the photo, as on 36 × 24"
              suffix="mm"
              optional
              value={focal35Mm}
              onChange={setFocal35}
              onDone={() => focal35Mm !== body.focal35Mm && (focal35Mm === null || (focal35Mm >= 4 && focal35Mm <= 3000)) && change((q) => ({ ...q, focal35Mm }), 'Focal length of the photo')}
              hint="Empty: not known; then one length more is needed"
              testID="recce-focal"
            />
          </View>
        ) : null}
      </Section>
      {body.detail ? (
        <Words look="small" dim testID="recce-detail">
          {`The photo shows ${body.detail.corners} corners that a tracker would take, in ${fixed(100 * body.detail.spread, 0)} % of the frame.`}
        </Words>
      ) : null}
      {mayWrite ? (
        <View style={{ marginTop: SPACE.l, alignItems: 'flex-start' }}>
          <Action
            kind="quiet"
            icon="delete-outline"
            title="Remove this photo"
            onPress={() => {
              void write('recce', recce.id, (now) => now, 'Photo of the set removed', true);
              router.replace(`/plan/${setup.id}` as Href);
            }}
          />
        </View>
      ) : null}
    </Page>
  );
}

function measured(body: RecceBody): { measure: PhotoMeasure | null; problem: string | null } {
  if (body.lengths.length === 0) return { measure: null, problem: null };
  try {
    return { measure: measurePhoto(recceInputOf(body)), problem: null };
  } catch (e) {
    if (e instanceof CoreError) return { measure: null, problem: e.message };
    throw e;
  }
}

function Found({ measure }: { measure: PhotoMeasure }) {
  return (
    <View>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s, marginTop: SPACE.s }}>
        <Fact about={EXPLANATIONS.recce} label="Height of the camera" value={fixed(measure.heightM, 2)} unit={`± ${fixed(measure.sigmaHeightM, 2)} m`} testID="recce-height" />
        <Fact about={EXPLANATIONS.recce} label="Tilt" value={fixed((measure.tiltRad * 180) / Math.PI, 1)} unit={`± ${fixed((measure.sigmaTiltRad * 180) / Math.PI, 1)}°`} />
        <Fact about={EXPLANATIONS.recce} label="Held askew by" value={fixed((measure.rollRad * 180) / Math.PI, 1)} unit="°" />
      </View>
      <Warnings of={measure.warnings} mark="◈" />
    </View>
  );
}

function MarkedLength({ number, a, b, px }: { number: number; a: Place; b: Place; px: (n: number) => number }) {
  return (
    <G>
      <Line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke={PICTURE_INK.lattice} strokeWidth={px(3)} />
      {[a, b].map((e, i) => (
        <Circle key={i} cx={e.x} cy={e.y} r={px(5)} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(2)} />
      ))}
      <SvgText x={(a.x + b.x) / 2} y={(a.y + b.y) / 2 - px(6)} fontSize={px(16)} fontFamily={FONT.figures} fill={PICTURE_INK.light} stroke="#000000" strokeWidth={px(0.5)}>
        {String(number)}
      </SvgText>
    </G>
  );
}

/** The plan that the photo begins. A set that is drawn already is left as it is. */
function UseIt({ recce, setup, measure }: { recce: StoredRecord<'recce'>; setup: StoredRecord<'setup'>; measure: PhotoMeasure }) {
  const p = usePalette();
  const router = useRouter();
  const write = useRecordsState((s) => s.write);
  const plan = usePlanOf(setup.id);
  const set = useAll('set').find((q) => q.id === setup.body.setId);
  const pack = useMounted()[0];
  if (!set || !pack) return null;
  if ((set.body.pieces ?? []).length > 0 || (set.body.sheet ?? []).length > 0)
    return (
      <Words look="small" color={p.dim}>
        This set is drawn already, and is left as it is. What the photo offers a tracker counts among the cautions.
      </Words>
    );
  const make = () => {
    const { lengths } = recceInputOf(recce.body);
    const made = planFromRecce(setFromPhoto(lengths, measure, set.body.marks), set.body, setup.id, pack.id, pack.body.focalMm, plan?.body ?? null);
    void write('set', set.id, onto('set', set.body, made.set), `${set.body.name} drawn from the photo`);
    void write('plan', plan?.id ?? newId(), made.plan, `Plan of ${setup.body.name} from the photo`);
    router.push(`/plan/${setup.id}` as Href);
  };
  return <Action kind="main" icon="architecture" title="Draw the set and begin the plan" onPress={make} testID="use-recce" />;
}
