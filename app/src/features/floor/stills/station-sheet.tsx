import type { PlanBody, StillBody, StillsPlan, StoredRecord } from '@mesure/contract';
import { useRouter, type Href } from 'expo-router';
import { Image, View } from 'react-native';
import { api, useData, usePicturesState, useRecord, useRecordsState } from '../../../data';
import { Action, Choice, Sheet } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { notesWords } from '../../kit/lensbook/picture-words';
import type { ShownStill, Walk } from './use-walk';

interface Props {
  plan: StoredRecord<'plan'>;
  walk: StillsPlan;
  station: number;
  shown: Walk;
  mayWrite: boolean;
  onShoot: () => void;
  onClose: () => void;
}

/** One station: where to stand, its picture with all that was said of it, and what can be done about it. */
export function StationSheet({ plan, walk, station, shown, mayWrite, onShoot, onClose }: Props) {
  const write = useRecordsState((s) => s.write);
  const still = shown.counted.get(station);
  const { at, headingRad, tiltRad } = walk.stations[station];
  const name = shown.names[station];
  const byHand = walk.taken.includes(station);
  const gaps = (shown.check?.gaps ?? []).filter((g) => g.from === station || g.to === station);
  const tick = () =>
    void write(
      'plan',
      plan.id,
      (b: PlanBody) => ({ ...b, stills: { ...b.stills!, taken: byHand ? b.stills!.taken.filter((t) => t !== station) : [...b.stills!.taken, station] } }),
      byHand ? `Still ${name} open again` : `Still ${name} ticked off`,
    );
  return (
    <Sheet title={`Station ${name}`} open onClose={onClose}>
      <Words
        dim
      >{`${fixed(at[0], 2)} m right, ${fixed(-at[2], 2)} m away of the plan's origin, lens at ${fixed(at[1], 2)} m; looks ${turnWords(headingRad)}${Math.abs(tiltRad) > 0.02 ? `, ${fixed((Math.abs(tiltRad) * 180) / Math.PI, 0)}° ${tiltRad < 0 ? 'down' : 'up'}` : ''}.`}</Words>
      {still ? <Picture still={still} /> : null}
      {(shown.check?.remarks ?? [])
        .filter((r) => r.station === station)
        .map((r) => (
          <Words key={r.message}>{`▲ ${r.message}`}</Words>
        ))}
      {gaps.map((g) => (
        <Words key={`${g.from}-${g.to}`} dim={g.why === 'not taken'}>
          {g.message}
        </Words>
      ))}
      {mayWrite ? (
        <View style={{ gap: SPACE.s, marginTop: SPACE.m }}>
          <Action kind="main" icon="add-a-photo" title={still ? 'Take it again' : `Picture of station ${name}`} onPress={onShoot} testID="shoot-here" />
          {still ? (
            <OfPicture still={still} walk={walk} names={shown.names} />
          ) : (
            <Action icon={byHand ? 'undo' : 'check'} title={byHand ? 'Not taken after all' : 'Taken, without a picture here'} onPress={tick} testID="tick-still" />
          )}
        </View>
      ) : null}
    </Sheet>
  );
}

const turnWords = (headingRad: number): string => {
  const deg = Math.round((Math.atan2(Math.sin(headingRad), Math.cos(headingRad)) * 180) / Math.PI);
  return deg === 0 ? 'straight ahead' : `${Math.abs(deg)}° to the ${deg > 0 ? 'left' : 'right'}`;
};

function Picture({ still }: { still: ShownStill }) {
  const p = usePalette();
  const { session } = useData();
  return (
    <View style={{ marginVertical: SPACE.s }}>
      {still.sha256 ? (
        <Image
          source={{ uri: api.previewUrl(session.production.id, still.sha256, 1280) }}
          accessibilityLabel={`Picture ${still.name}`}
          resizeMode="contain"
          style={{ width: '100%', aspectRatio: still.look ? still.look.widthPx / still.look.heightPx : 1.5, backgroundColor: p.sunk }}
        />
      ) : (
        <Words look="small">It waits on this device; it is shown when it has arrived.</Words>
      )}
      <Words look="small" dim>
        {[still.name, still.notes ? notesWords(still.notes) : 'the file says nothing of how it was shot', still.look ? sharpWords(still) : null].filter(Boolean).join(' · ')}
      </Words>
    </View>
  );
}

function sharpWords({ look }: ShownStill): string | null {
  const spreads = look!.zones.flatMap((z) => [z.downPx, z.acrossPx]).filter((v) => v !== null);
  return spreads.length === 0 ? 'no edge to judge its sharpness by' : `edges spread ${fixed(Math.min(...spreads), 1)} to ${fixed(Math.max(...spreads), 1)} px`;
}

/** What can be done with a picture that has arrived; one that waits can only be dropped. */
function OfPicture({ still, walk, names }: { still: ShownStill; walk: StillsPlan; names: readonly string[] }) {
  const write = useRecordsState((s) => s.write);
  const drop = usePicturesState((s) => s.drop);
  const record = useRecord('still', still.id);
  const router = useRouter();
  if (!record) return <Action icon="delete-outline" title="Drop this picture" onPress={() => void drop(still.id)} testID="drop-still" />;
  return (
    <>
      <Choice<string>
        label="Taken from station"
        value={String(still.station)}
        options={walk.stations.map((_, i) => ({ value: String(i), title: names[i] }))}
        onChange={(to) => void write('still', still.id, (b: StillBody) => ({ ...b, station: Number(to) }), `Still moved to station ${names[Number(to)]}`)}
      />
      <Action
        icon="my-location"
        title={record.body.marks?.length ? `Marks in it: ${record.body.marks.map((m) => m.mark).join(', ')}` : 'Point out marks in it'}
        onPress={() => router.push(`/floor/stills/picture/${still.id}` as Href)}
        testID="still-marks"
      />
      <Action icon="delete-outline" title="Remove this picture" onPress={() => void write('still', still.id, record.body, 'Still removed', true)} testID="remove-still" />
    </>
  );
}
