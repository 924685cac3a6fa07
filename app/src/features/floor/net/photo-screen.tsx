import type { PhotoBody, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { G, Image as SvgImage, Line } from 'react-native-svg';
import { api, useData, useFind, useMayWrite, useRecord, useRecordsState } from '../../../data';
import type { AnyOrder } from '../../../data/records-store';
import { Action, Choice, Field, Section, Sheet } from '../../../ui/controls';
import { Drawing } from '../../../ui/drawing';
import { Pin } from '../../../ui/pin';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { PICTURE_INK, SPACE, usePalette } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { RecordsGate } from '../../shell/records-gate';
import { NewTie } from './new-tie';

type Place = { x: number; y: number };

/** A photo of a set: marks are pointed out and named in it, and ties are measured between two of them. */
export function PhotoScreen({ photoId, setupId }: { photoId: string; setupId: string | null }) {
  const router = useRouter();
  const photo = useRecord('photo', photoId);
  const find = useFind();
  const set = photo ? find('set', photo.body.setId) : undefined;
  return (
    <RecordsGate what="the photo">
      {photo && !photo.deleted && set ? (
        <Pointing key={photo.id} photo={photo} set={set} setupId={setupId} />
      ) : (
        <Page>
          <Empty title="No such photo" text="It was undone or removed." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
        </Page>
      )}
    </RecordsGate>
  );
}

function Pointing({ photo, set, setupId }: { photo: StoredRecord<'photo'>; set: StoredRecord<'set'>; setupId: string | null }) {
  const router = useRouter();
  const { session } = useData();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const { body } = photo;
  const [place, setPlace] = useState<Place | null>(null);
  const [chosen, setChosen] = useState<string[]>([]);
  const [tie, setTie] = useState<readonly [string, string] | null>(null);
  const url = api.previewUrl(session.production.id, body.picture.sha256, 4096);
  const back = (setupId ? `/floor/net/${setupId}` : '/floor') as Href;
  const toggle = (mark: string) => setChosen((c) => (c.includes(mark) ? c.filter((m) => m !== mark) : [...c.slice(-1), mark]));
  return (
    <Page
      action={
        mayWrite && chosen.length === 2 ? (
          <Action kind="main" icon="straighten" title={`Measure ${chosen[0]} – ${chosen[1]}`} onPress={() => setTie([chosen[0], chosen[1]])} testID="tie-of-two" />
        ) : (
          <Action title="Back to the tape net" icon="arrow-back" onPress={() => router.push(back)} />
        )
      }
    >
      <Words look="title" level={1}>{`${set.body.name}: marks in a photo`}</Words>
      <Words dim numberOfLines={1}>
        {body.picture.name}
      </Words>
      <Words testID="photo-sentence">
        {body.marks.length === 0 ? 'Press on a mark in the photo, aim under the loupe, let go, and give it its name.' : 'Choose two marks below to measure the tie between them.'}
      </Words>
      <Drawing
        box={{ x: 0, y: 0, width: body.widthPx, height: body.heightPx }}
        maxHeight={620}
        describe={`Photo with ${body.marks.length} marks pointed out${body.marks.length > 0 ? `: ${body.marks.map((m) => m.mark).join(', ')}` : ''}. Press, aim under the loupe, let go: another mark.`}
        aim={mayWrite ? { pictureUrl: url, pictureWidth: body.widthPx, pictureHeight: body.heightPx, onPlace: (x, y) => setPlace({ x, y }) } : undefined}
      >
        {(px) => (
          <G>
            <SvgImage href={url as never} x={0} y={0} width={body.widthPx} height={body.heightPx} preserveAspectRatio="none" />
            {chosen.length === 2 ? <Between marks={body.marks} chosen={chosen} px={px} /> : null}
            {body.marks.map((m) => (
              <Pin key={m.mark} name={m.mark} at={m} px={px} strong={chosen.includes(m.mark)} />
            ))}
          </G>
        )}
      </Drawing>
      <Section title={`${body.marks.length} mark${body.marks.length === 1 ? '' : 's'} pointed out`}>
        {body.marks.map((m) => (
          <MarkRow
            key={m.mark}
            name={m.mark}
            on={chosen.includes(m.mark)}
            onPress={() => toggle(m.mark)}
            onRemove={
              mayWrite
                ? () => {
                    setChosen((c) => c.filter((q) => q !== m.mark));
                    void write('photo', photo.id, (b: PhotoBody) => ({ ...b, marks: b.marks.filter((q) => q.mark !== m.mark) }), `${m.mark} taken off the photo`);
                  }
                : undefined
            }
          />
        ))}
      </Section>
      {mayWrite ? (
        <View style={{ marginTop: SPACE.l, alignItems: 'flex-start' }}>
          <Action
            title="Remove this photo"
            icon="delete-outline"
            onPress={() => {
              void write('photo', photo.id, (now) => now, 'Photo for marks removed', true);
              router.replace(back);
            }}
          />
        </View>
      ) : null}
      {place ? <NameSheet photo={photo} set={set} place={place} onClose={() => setPlace(null)} /> : null}
      {tie ? <NewTie setId={set.id} between={tie} onClose={() => setTie(null)} /> : null}
    </Page>
  );
}

/** A name that no mark has yet, counted on from the last one. */
export function nextMarkName(marks: readonly string[]): string {
  const last = [...marks].reverse().find((m) => /\d+$/.test(m));
  const [, letters, number] = /^(.*?)(\d+)$/.exec(last ?? 'M0')!;
  for (let n = Number(number) + 1; ; n += 1) if (!marks.includes(`${letters}${n}`)) return `${letters}${n}`;
}

const OTHER = ' new';

function NameSheet({ photo, set, place, onClose }: { photo: StoredRecord<'photo'>; set: StoredRecord<'set'>; place: Place; onClose: () => void }) {
  const writeMany = useRecordsState((s) => s.writeMany);
  const open = set.body.marks.filter((m) => !photo.body.marks.some((q) => q.mark === m));
  const [which, setWhich] = useState(OTHER);
  const [name, setName] = useState(() => nextMarkName(set.body.marks));
  const [error, setError] = useState<string | undefined>();
  const keep = async () => {
    const mark = which === OTHER ? name.trim() : which;
    if (mark === '' || mark.length > 40) return setError('A name of 1 to 40 letters.');
    if (photo.body.marks.some((q) => q.mark === mark)) return setError(`${mark} is pointed out in this photo already.`);
    const isNew = !set.body.marks.includes(mark);
    const pointed: AnyOrder = { kind: 'photo', id: photo.id, change: (b) => ({ ...b, marks: [...b.marks, { mark, x: Number(place.x.toFixed(2)), y: Number(place.y.toFixed(2)) }] }) };
    const named: AnyOrder = { kind: 'set', id: set.id, change: (b) => ({ ...b, marks: [...b.marks, mark] }) };
    await writeMany(isNew ? [pointed, named] : [pointed], isNew ? `${mark}: a new mark, pointed out` : `${mark} pointed out`);
    return onClose();
  };
  return (
    <Sheet title="Which mark is this?" open onClose={onClose}>
      {open.length > 0 ? (
        <Choice<string> label="Mark" value={which} options={[{ value: OTHER, title: 'a new one' }, ...open.slice(0, 40).map((m) => ({ value: m, title: m }))]} onChange={setWhich} />
      ) : null}
      {which === OTHER ? (
        <Field label="Name of the new mark" value={name} onChangeText={setName} error={error} onEnter={() => void keep()} testID="mark-name" />
      ) : error ? (
        <Words role="alert">{`▲ ${error}`}</Words>
      ) : null}
      <View style={{ height: SPACE.m }} />
      <Action kind="main" title="Keep" onPress={() => void keep()} testID="keep-mark" />
    </Sheet>
  );
}

function MarkRow({ name, on, onPress, onRemove }: { name: string; on: boolean; onPress: () => void; onRemove?: () => void }) {
  const p = usePalette();
  return (
    <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', borderBottomWidth: 1, borderColor: p.line }}>
      <View style={{ flex: 1, alignItems: 'flex-start', marginLeft: -SPACE.l }}>
        <Action kind="quiet" icon={on ? 'check-box' : 'check-box-outline-blank'} title={name} label={`${on ? 'Leave' : 'Choose'} ${name} for a tie`} onPress={onPress} testID={`choose-${name}`} />
      </View>
      {onRemove ? <Action kind="quiet" title="Take off" label={`Take ${name} off the photo`} onPress={onRemove} /> : null}
    </View>
  );
}

function Between({ marks, chosen, px }: { marks: PhotoBody['marks']; chosen: readonly string[]; px: (n: number) => number }) {
  const [a, b] = chosen.map((c) => marks.find((m) => m.mark === c));
  return a && b ? <Line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke={PICTURE_INK.mark} strokeWidth={px(2)} strokeDasharray={`${px(6)} ${px(4)}`} /> : null;
}
