import { LIGHT_SHOTS, lightLacks, type LightShotBody, type PlanBody, type StoredRecord } from '@mesure/contract';
import { sunAt, type SunPlace } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { newId, useAll, useMayWrite, useRecordsState } from '../../../data';
import { Action, Section } from '../../../ui/controls';
import { fixed, timeOfDay } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

const MINUTE_MS = 60_000;

/** The light reference of a setup: where the sun stands this minute, what was shot, and one tap for what was shot just now. */
export function LightSection({ setup, plan }: { setup: StoredRecord<'setup'>; plan: PlanBody }) {
  const p = usePalette();
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
        <View
          key={s.id}
          style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', borderBottomWidth: 1, borderColor: p.line }}
          testID={`light-${s.body.what}-${s.body.place ?? ''}`}
        >
          <Words look="small" style={{ flex: 1 }}>
            {`${timeOfDay(s.body.shotAt)} · ${s.body.what}${s.body.place === null ? '' : ` ${s.body.place + 1}`}${s.body.sun ? ` · sun ${fixed(s.body.sun.azimuthDeg, 0)}°, ${fixed(s.body.sun.elevationDeg, 0)}° high` : ''}`}
          </Words>
          {mayWrite ? (
            <Action kind="quiet" title="Remove" label={`Remove ${s.body.what} of ${timeOfDay(s.body.shotAt)}`} onPress={() => void write('light', s.id, s.body, `${s.body.what} removed`, true)} />
          ) : null}
        </View>
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
