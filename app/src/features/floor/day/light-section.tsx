import { AttachedPictures } from '../../pictures/attached-pictures';
import { LIGHT_SHOTS, lightLacks, type LightPicture, type LightShotBody, type PlanBody, type StoredRecord } from '@mesure/contract';
import { bracketOf, sunAt, type SunPlace } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useClock, useMayWrite, useRecordsState } from '../../../data';
import { Action, Section } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

const MINUTE_MS = 60_000;

/** The light reference of a setup: where the sun stands this minute, what was shot, and one tap for what was shot just now. */
export function LightSection({ setup, plan }: { setup: StoredRecord<'setup'>; plan: PlanBody }) {
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const shots = useAll('light')
    .filter((l) => l.body.setupId === setup.id)
    .sort((a, b) => (a.body.shotAt < b.body.shotAt ? -1 : 1));
  const sun = useSun(plan);
  if (!plan.lightPlanned && !plan.light && shots.length === 0) return null;
  const missing = lightLacks(
    plan,
    shots.map((s) => s.body),
  );
  const places = (plan.panoramas ?? []).length;
  type Choice = { what: LightShotBody['what']; place: number | null; title: string };
  const choices = LIGHT_SHOTS.flatMap((what): Choice[] =>
    what === 'panorama' && places > 0 ? Array.from({ length: places }, (_, place) => ({ what, place, title: `panorama ${place + 1}` })) : [{ what, place: null, title: what }],
  );
  const log = (what: LightShotBody['what'], place: number | null, title: string) => {
    const now = new Date();
    const at = plan.light ? sunAt(plan.light.latitudeDeg, plan.light.longitudeDeg, now.getTime()) : null;
    const body: LightShotBody = {
      setupId: setup.id,
      what,
      place,
      shotAt: now.toISOString(),
      sun: at ? { azimuthDeg: Number(at.azimuthDeg.toFixed(2)), elevationDeg: Number(at.elevationDeg.toFixed(2)) } : null,
      note: '',
    };
    void write('light', newId(), body, `${title} logged`);
  };
  return (
    <Section title="Light reference">
      <Words testID="sun-now">{sun ? sunWords(sun) : 'Where the set lies is not known: say it in the plan, and the sun is computed for each minute.'}</Words>
      {missing.length > 0 ? (
        <Words look="small" dim>{`Still to shoot: ${missing.join(', ')}.`}</Words>
      ) : (
        <Words look="small" dim>
          Everything planned was shot.
        </Words>
      )}
      {shots.map((s) => (
        <Shot key={s.id} shot={s} />
      ))}
      {mayWrite ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s, marginTop: SPACE.s }}>
          {choices.map((c) => (
            <Action
              key={c.title}
              icon="add-a-photo"
              title={c.title}
              label={`${c.title} was shot just now`}
              onPress={() => log(c.what, c.place, c.title)}
              testID={`shot-${c.title.replace(' ', '-')}`}
            />
          ))}
        </View>
      ) : null}
    </Section>
  );
}

/** One reference that was shot, with its pictures and what their exposures reach. */
function Shot({ shot }: { shot: StoredRecord<'light'> }) {
  const clock = useClock();
  const p = usePalette();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const { body } = shot;
  const pictures = body.pictures ?? [];
  const title = `${body.what}${body.place === null ? '' : ` ${body.place + 1}`}`;
  return (
    <View style={{ borderBottomWidth: 1, borderColor: p.line }} testID={`light-${body.what}-${body.place ?? ''}`}>
      <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }}>
        <Words look="small" style={{ flex: 1 }}>
          {`${clock.time(body.shotAt)} · ${title}${body.sun ? ` · sun ${fixed(body.sun.azimuthDeg, 0)}°, ${fixed(body.sun.elevationDeg, 0)}° high` : ''}`}
        </Words>
        {mayWrite ? (
          <Action kind="quiet" title="Remove" label={`Remove ${body.what} of ${clock.time(body.shotAt)}`} onPress={() => void write('light', shot.id, (now) => now, `${body.what} removed`, true)} />
        ) : null}
      </View>
      {body.what === 'panorama' && pictures.length > 0 ? (
        <Words look="small" testID={`bracket-${title}`}>
          {bracketWords(pictures)}
        </Words>
      ) : null}
      <AttachedPictures owner={{ kind: 'light', id: shot.id }} pictures={pictures} title={`Add pictures of the ${title}`} testID={`light-pictures-${body.what.replace(' ', '-')}`} />
    </View>
  );
}

function bracketWords(pictures: readonly LightPicture[]): string {
  const told = pictures.flatMap((q) => (q.exposure ? [q.exposure] : []));
  if (told.length === 0) return `${pictures.length} picture${pictures.length === 1 ? '' : 's'}; their files do not say how they were exposed.`;
  const b = bracketOf(told);
  const silent = pictures.length - told.length;
  return [
    `${b.pictures} exposure${b.pictures === 1 ? '' : 's'} over ${fixed(b.spanStops, 1)} stops${b.lacks.length === 0 ? ', no step too wide.' : '.'}`,
    ...b.lacks.map((l) => `▲ ${l}.`),
    ...(silent > 0 ? [`${silent} more say nothing of theirs.`] : []),
  ].join(' ');
}

/** The sun of this minute, where the plan says where the set lies. */
function useSun(plan: PlanBody): SunPlace | null {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), MINUTE_MS);
    return () => clearInterval(timer);
  }, []);
  return plan.light ? sunAt(plan.light.latitudeDeg, plan.light.longitudeDeg, now) : null;
}

const sunWords = (sun: SunPlace): string =>
  sun.elevationDeg < 0 ? `The sun is ${fixed(-sun.elevationDeg, 0)}° below the horizon.` : `Sun now: ${fixed(sun.azimuthDeg, 0)}° from north, ${fixed(sun.elevationDeg, 0)}° high.`;
