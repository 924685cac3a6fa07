import { mountPackage, opticsOf, stationsTaken, STILLS_WAYS, type StillsPlan } from '@mesure/contract';
import { CoreError, stationNames, STILLS_OVERLAP, stillsAlong, stillsRoom, stillsRound, timesSeen, type SetPiece, type StillsWalk } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useMounted, useFind } from '../../data';
import { Action, Choice, Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { LiveNumber } from '../../ui/live-number';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { useStills } from '../floor/stills/use-walk';
import { Chips } from './chips';
import type { PlanDraft } from './use-plan';

/** A key thing should be in so many pictures. */
const ENOUGH = 3;
/** Two neighbours that share two thirds share a third with the one after. */
const PLACEABLE_PCT = 65;
const WAY_WORDS: Record<StillsPlan['way'], string> = { along: 'along it, square-on', round: 'round it', room: 'the room, from its middle and its walls' };

/** The stills walk: laid from what is to be covered and the stills camera, drawn from above, ticked off as it is walked. */
export function StillsSection({ draft, mayWrite }: { draft: PlanDraft; mayWrite: boolean }) {
  const stills = draft.planBody.stills ?? null;
  const put = (label: string, next: StillsPlan | null) => draft.keep(label, { plan: { ...draft.planBody, stills: next } });
  return (
    <Section title="Stills walk">
      {mayWrite ? <LayWalk draft={draft} onLaid={(next) => put('Stills walk laid', next)} /> : null}
      {stills ? <WalkToTick stills={stills} draft={draft} mayWrite={mayWrite} onChange={put} /> : null}
    </Section>
  );
}

function LayWalk({ draft, onLaid }: { draft: PlanDraft; onLaid: (stills: StillsPlan) => void }) {
  const find = useFind();
  const packages = useMounted();
  const pieces = (draft.setBody.pieces ?? []).filter((q) => q.kind !== 'sky' && q.kind !== 'water');
  const before = draft.planBody.stills ?? null;
  const [way, setWay] = useState<StillsPlan['way']>(before?.way ?? 'along');
  const [pieceId, setPieceId] = useState<string | null>(before?.pieceId ?? null);
  const [packageId, setPackageId] = useState(before?.packageId ?? draft.planBody.packageId);
  const [distanceM, setDistance] = useState<number | null>(before?.distanceM ?? 2.5);
  const [heightM, setHeight] = useState<number | null>(before?.heightM ?? 1.5);
  const [overlapPct, setOverlap] = useState<number | null>(Math.round(100 * (before?.overlap ?? STILLS_OVERLAP)));
  const [everyDeg, setEvery] = useState<number | null>(20);
  const [error, setError] = useState<string | null>(null);
  const suits = (q: SetPiece) => (way === 'room' ? q.kind === 'floor' : way === 'along' ? q.heightM > 0.3 : q.kind !== 'floor');
  const offered = pieces.filter(suits);
  const piece = offered.find((q) => q.id === pieceId) ?? offered.find((q) => q.kind === 'wall') ?? offered[0];
  const lay = () => {
    const pack = find('package', packageId);
    const mounted = pack ? mountPackage(pack.body, find) : null;
    if (!piece || !pack || !mounted || 'missing' in mounted) return setError('Choose what is to be covered, and a complete package.');
    const optics = opticsOf(mounted, pack.body.focalMm);
    const overlap = (overlapPct ?? Number.NaN) / 100;
    try {
      const walk: StillsWalk =
        way === 'along'
          ? stillsAlong(piece, distanceM ?? 0, heightM ?? 0, optics, overlap)
          : way === 'round'
            ? stillsRound(piece, distanceM ?? 0, heightM ?? 0, optics, everyDeg ?? Number.NaN)
            : stillsRoom(piece, heightM ?? 0, optics, overlap);
      setError(null);
      return onLaid({ way, pieceId: piece.id, packageId, distanceM: distanceM!, heightM: heightM!, overlap, stations: walk.stations, taken: [] });
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      return setError(e.message);
    }
  };
  return (
    <View>
      <Choice label="Cover" value={way} options={STILLS_WAYS.map((w) => ({ value: w, title: WAY_WORDS[w] }))} onChange={setWay} />
      {offered.length === 0 ? <Words look="small">Nothing on this set suits it: add a piece under Set.</Words> : null}
      {piece ? <Choice<string> label="What" value={piece.id} options={offered.map((q) => ({ value: q.id, title: q.name }))} onChange={setPieceId} /> : null}
      <Choice<string> label="Stills camera" value={packageId} options={packages.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))} onChange={setPackageId} />
      <View style={{ flexDirection: 'row', justifyContent: 'space-between' }}>
        {way === 'room' ? null : (
          <View style={{ width: '31%' }}>
            <LiveNumber label="Distance" suffix="m" value={distanceM} onChange={setDistance} testID="stills-distance" />
          </View>
        )}
        <View style={{ width: '31%' }}>
          <LiveNumber label="Height" suffix="m" value={heightM} onChange={setHeight} />
        </View>
        <View style={{ width: '31%' }}>
          {way === 'round' ? (
            <LiveNumber label="One every" suffix="°" value={everyDeg} onChange={setEvery} testID="stills-every" />
          ) : (
            <LiveNumber label="Overlap" suffix="%" value={overlapPct} onChange={setOverlap} testID="stills-overlap" />
          )}
        </View>
      </View>
      {way !== 'round' && (overlapPct ?? 0) < PLACEABLE_PCT ? (
        <Words look="small" dim testID="stills-placeable">{`Enough to look at. From ${PLACEABLE_PCT} % on each thing is in three pictures, and they can be placed together.`}</Words>
      ) : null}
      {error ? <Words role="alert">{`▲ ${error}`}</Words> : null}
      <Action icon="add" title="Lay the walk" onPress={lay} testID="lay-stills" />
    </View>
  );
}

function WalkToTick({ stills, draft, mayWrite, onChange }: { stills: StillsPlan; draft: PlanDraft; mayWrite: boolean; onChange: (label: string, next: StillsPlan | null) => void }) {
  const find = useFind();
  const pack = find('package', stills.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : null;
  const sheet = draft.setBody.sheet ?? [];
  const counts =
    pack && mounted && !('missing' in mounted)
      ? timesSeen(
          sheet.map((m) => m.at),
          stills.stations,
          opticsOf(mounted, pack.body.focalMm),
        )
      : [];
  const router = useRouter();
  const pictures = useStills(draft.planBody.setupId);
  const rare = sheet.filter((_, i) => counts[i] < ENOUGH);
  return (
    <View style={{ marginTop: 12 }}>
      <Words testID="stills-count">{`${stills.stations.length} pictures, ${stationsTaken(stills, pictures).length} taken.`}</Words>
      <Words look="small" dim>
        {sheet.length === 0
          ? 'No marks to check for.'
          : rare.length === 0
            ? `Every mark lies in at least ${ENOUGH} pictures.`
            : `In fewer than ${ENOUGH} pictures: ${rare
                .slice(0, 8)
                .map((m) => m.id)
                .join(', ')}${rare.length > 8 ? ` and ${rare.length - 8} more` : ''}. Come nearer, or add a walk.`}
      </Words>
      <TickStills stills={stills} pictured={pictures.map((q) => q.station)} disabled={!mayWrite} onChange={(taken) => onChange(`${taken.length} stills taken`, { ...stills, taken })} />
      <Action icon="photo-camera" title="Pictures of the walk" onPress={() => router.push(`/floor/stills/${draft.planBody.setupId}` as Href)} testID="open-walk" />
      {pictures.length > 0 && mayWrite ? (
        <Words look="small" dim style={{ marginTop: SPACE.s }}>
          Laid again, the walk keeps its pictures at the numbers they have now.
        </Words>
      ) : null}
      {mayWrite ? <Action kind="quiet" icon="delete-outline" title="Remove the walk" onPress={() => onChange('Stills walk removed', null)} /> : null}
    </View>
  );
}

/** The stations to tick off by hand; those that have a picture are ticked by it. */
function TickStills({ stills, pictured, disabled, onChange }: { stills: StillsPlan; pictured: readonly number[]; disabled?: boolean; onChange: (taken: number[]) => void }) {
  const names = stationNames(stills.stations);
  const toggle = (name: string) => {
    const i = names.indexOf(name);
    onChange(stills.taken.includes(i) ? stills.taken.filter((t) => t !== i) : [...stills.taken, i].sort((a, b) => a - b));
  };
  const on = stationsTaken(
    stills,
    pictured.map((station) => ({ station })),
  );
  return <Chips ids={names} on={on.map((i) => names[i])} held={pictured.map((i) => names[i])} onPress={toggle} what="Still" disabled={disabled} />;
}

export const stillsWords = (stills: StillsPlan, taken: number): string => `${taken} of ${stills.stations.length} taken, ${WAY_WORDS[stills.way]} at ${fixed(stills.distanceM, 1)} m`;
