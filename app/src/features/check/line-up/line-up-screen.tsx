import { LINEUP_FOCAL, LINEUP_STOOD, type LineupBody, type StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { G, Image as SvgImage } from 'react-native-svg';
import { api, useAll, useData, useFind, useMay, useRecord, useRecordsState } from '../../../data';
import { Action, Choice, Section, useIsWide } from '../../../ui/controls';
import { Drawing } from '../../../ui/drawing';
import { capital, fixed } from '../../../ui/format';
import { Pin } from '../../../ui/pin';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { PointedMarkRow } from '../../pictures/pointed-mark-row';
import { WhichMark } from '../../pictures/which-mark';
import { Found } from './found';
import { lineUpsOf } from './line-up-section';
import { apartM, useLineUps, type LineUpState } from './use-line-up';

/** One picture of a take: marks are pointed out in it, and where the camera stood follows and is laid against what was recorded. */
export function LineUpScreen({ lineupId }: { lineupId: string }) {
  const router = useRouter();
  const picture = useRecord('lineup', lineupId);
  const find = useFind();
  const take = picture ? find('take', picture.body.takeId) : undefined;
  const set = take ? find('set', find('setup', take.body.setupId)?.body.setId ?? '') : undefined;
  return (
    <RecordsGate what="the picture">
      {picture && !picture.deleted && take && set ? (
        <LiningUp key={picture.id} picture={picture} take={take} set={set} />
      ) : (
        <Page>
          <Empty title="No such picture" text="It was undone or removed, or its take is hidden." action={{ title: 'Go to Check', onPress: () => router.replace('/check') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

interface Shown {
  picture: StoredRecord<'lineup'>;
  take: StoredRecord<'take'>;
  set: StoredRecord<'set'>;
}

/** Errors of a mark are drawn so many times as long: a pixel of a wide picture is not seen on a phone. */
const LONGER = 12;

function LiningUp({ picture, take, set }: Shown) {
  const router = useRouter();
  const wide = useIsWide();
  const { session } = useData();
  const may = useMay('give');
  const write = useRecordsState((s) => s.write);
  const { body } = picture;
  const all = lineUpsOf(useAll('lineup'), take.id);
  const lineUps = useLineUps(take, set, all);
  const state = lineUps.of(picture.id);
  const [place, setPlace] = useState<{ x: number; y: number } | null>(null);
  const url = api.previewUrl(session.production.id, body.picture.sha256, 4096);
  const change = (now: (b: LineupBody) => LineupBody, label: string) => void write('lineup', picture.id, now, label);
  const offs = new Map(state.at === 'done' ? state.answer.lineUp.marks.map((m) => [m.id, m] as const) : []);
  const drawing = (
    <>
      <Drawing
        box={{ x: 0, y: 0, width: body.widthPx, height: body.heightPx }}
        maxHeight={620}
        describe={`Picture with ${body.marks.length} marks pointed out${body.marks.length > 0 ? `: ${body.marks.map((m) => m.mark).join(', ')}` : ''}.${may ? ' Press, aim under the loupe, let go: another mark.' : ''}`}
        aim={may ? { pictureUrl: url, pictureWidth: body.widthPx, pictureHeight: body.heightPx, onPlace: (x, y) => setPlace({ x, y }) } : undefined}
      >
        {(px) => (
          <G>
            <SvgImage href={url as never} x={0} y={0} width={body.widthPx} height={body.heightPx} preserveAspectRatio="none" />
            {body.marks.map((m) => {
              const off = offs.get(m.mark);
              return <Pin key={m.mark} name={m.mark} at={m} px={px} strong={off?.left ?? false} off={off ? { dx: -LONGER * off.dxPx, dy: -LONGER * off.dyPx } : undefined} />;
            })}
          </G>
        )}
      </Drawing>
      {offs.size > 0 ? <Words look="small" dim>{`A line goes from a mark to where the camera sees its place, ${LONGER} times as long as it is.`}</Words> : null}
      <Section title={`${body.marks.length} mark${body.marks.length === 1 ? '' : 's'} pointed out`}>
        {body.marks.map((m) => (
          <PointedMarkRow
            key={m.mark}
            mark={m.mark}
            words={markWords(state, m.mark)}
            onTakeOff={may ? () => change((b) => ({ ...b, marks: b.marks.filter((q) => q.mark !== m.mark) }), `${m.mark} taken off the picture`) : null}
            testID={`lineup-mark-${m.mark}`}
          />
        ))}
      </Section>
    </>
  );
  const said = (
    <>
      <Found state={state} take={take} pointed={new Set(body.marks.map((m) => m.mark))} />
      <Others all={all} shown={picture.id} of={lineUps.of} />
      {may ? (
        <Section title="This picture">
          <Choice<LineupBody['stood']>
            label="The camera stood"
            value={body.stood}
            options={LINEUP_STOOD.map((value) => ({ value, ...STOOD[value] }))}
            onChange={(stood) => change((b) => ({ ...b, stood }), `Picture shot ${STOOD[stood].title}`)}
          />
          <Choice<LineupBody['focal']>
            label="Focal length"
            value={body.focal}
            options={LINEUP_FOCAL.map((value) => ({ value, title: value, detail: FOCAL[value] }))}
            onChange={(focal) => change((b) => ({ ...b, focal }), `Focal length ${focal}`)}
          />
          <View style={{ alignItems: 'flex-start', marginTop: SPACE.m }}>
            <Action
              title="Remove this picture"
              icon="delete-outline"
              onPress={() => {
                void write('lineup', picture.id, (now) => now, 'Picture for a line-up removed', true);
                router.replace(`/check/${take.id}` as Href);
              }}
              testID="remove-lineup"
            />
          </View>
        </Section>
      ) : null}
    </>
  );
  return (
    <Page action={<Action title="Back to the take" icon="arrow-back" onPress={() => router.push(`/check/${take.id}` as Href)} />}>
      <Words look="title" level={1}>{`${take.body.slate} take ${take.body.take}: one picture`}</Words>
      <Words dim numberOfLines={1}>
        {body.picture.name}
      </Words>
      {/* two lines of room always: the picture must not move under the finger */}
      <View style={{ minHeight: 46, justifyContent: 'flex-end' }}>
        <Words look="heading" level={2} testID="lineup-sentence" numberOfLines={3}>
          {sentence(state)}
        </Words>
      </View>
      {wide ? (
        <View style={{ flexDirection: 'row', gap: SPACE.xl }}>
          <View style={{ flex: 1, minWidth: 0 }}>{drawing}</View>
          <View style={{ flex: 1, minWidth: 0 }}>{said}</View>
        </View>
      ) : (
        <>
          {drawing}
          {said}
        </>
      )}
      {place ? <WhichMarkHere picture={picture} set={set} placed={lineUps.placed} place={place} onClose={() => setPlace(null)} /> : null}
    </Page>
  );
}

const STOOD: Record<LineupBody['stood'], { title: string; detail: string }> = {
  height: { title: 'where it was measured', detail: 'at the frame of its height' },
  end: { title: 'where the take ends', detail: 'its height at the end' },
  elsewhere: { title: 'elsewhere', detail: 'only the lens is compared' },
};
const FOCAL: Record<LineupBody['focal'], string> = { free: 'unknown', guided: 'pulled to the record', held: 'as recorded' };

function sentence(state: LineUpState): string {
  if (state.at === 'pending') return 'Being lined up…';
  if (state.at === 'problem') return state.words;
  if (state.at === 'failed') return `It cannot be lined up: ${state.words}`;
  const { lineUp, report } = state.answer;
  return lineUp.status === 'failed' ? `${capital(lineUp.reason ?? '')}.` : (report?.sentence ?? '');
}

function markWords(state: LineUpState, mark: string): string {
  if (state.at !== 'done') return '';
  const { lineUp } = state.answer;
  const m = lineUp.marks.find((q) => q.id === mark);
  if (!m) return lineUp.frame === 'places' ? 'its place is not known: it takes no part' : 'too little is measured to it: it takes no part';
  if (m.left && lineUp.frame !== 'places') return 'left out: it does not belong to the others';
  const at = lineUp.frame === 'places' ? undefined : state.places.get(mark);
  const far = at ? `, ${fixed(Math.hypot(at[0], at[1] - lineUp.position![1], at[2]), 2)} m away` : '';
  return `${fixed(Math.hypot(m.dxPx, m.dyPx), 1)} px off${far}${m.left ? ', left out: it does not belong to the others' : ''}`;
}

/** Beyond it two pictures were not shot from one place. */
const APART_SIGMAS = 3.3;

/** The take's other pictures: whether they say that the camera stood in the same place. */
function Others({ all, shown, of }: { all: readonly StoredRecord<'lineup'>[]; shown: string; of: (id: string) => LineUpState }) {
  const mine = of(shown);
  if (mine.at !== 'done') return null;
  const lines = all.flatMap((q) => {
    const other = of(q.id);
    const apart = q.id !== shown && other.at === 'done' ? apartM(mine.answer, other.answer) : null;
    return apart
      ? [
          {
            id: q.id,
            words: `${q.body.picture.name}: ${fixed(apart.m, 3)} ± ${fixed(apart.sigmaM, 3)} m from here, ${apart.m > APART_SIGMAS * apart.sigmaM ? 'another place' : 'as if from the same place'}.`,
          },
        ]
      : [];
  });
  if (lines.length === 0) return null;
  return (
    <Section title="Beside the take's other pictures">
      {lines.map((l) => (
        <Words key={l.id} testID={`apart-${l.id}`}>
          {l.words}
        </Words>
      ))}
    </Section>
  );
}

function WhichMarkHere({ picture, set, placed, place, onClose }: Pick<Shown, 'picture' | 'set'> & { placed: readonly string[]; place: { x: number; y: number }; onClose: () => void }) {
  const write = useRecordsState((s) => s.write);
  return (
    <WhichMark
      set={set}
      placed={placed}
      pointed={picture.body.marks}
      place={place}
      onKeep={(at) => void write('lineup', picture.id, (b: LineupBody) => ({ ...b, marks: [...b.marks.filter((q) => q.mark !== at.mark), at] }), `${at.mark} pointed out in the picture`)}
      onClose={onClose}
    />
  );
}
