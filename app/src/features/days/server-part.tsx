import type { ServerState } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { api, useClock, useData } from '../../data';
import { Action } from '../../ui/controls';
import { Failing, Loading } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { gb } from './space-line';

const LITTLE_BYTES = 10e9;
const LATE_BACKUP_MS = 36 * 3_600_000;
/** A plate takes seconds and a solve a minute: so long nobody should wait on a machine that works. */
const LONG_WAIT_S = 30 * 60;

export interface StateLine {
  what: string;
  words: string;
  /** somebody should look after it */
  ask: boolean;
}

/** A phone takes its time from the world's; a server on a set without a line keeps its own. */
const CLOCK_APART_MS = 120_000;
const DAY_MS = 24 * 3_600_000;
function apartWords(ms: number): string {
  const minutes = Math.round(Math.abs(ms) / 60_000);
  const [days, hours] = [Math.floor(minutes / 1440), Math.floor((minutes % 1440) / 60)];
  const amount = days > 0 ? `${days} d ${hours} h` : hours > 0 ? `${hours} h ${minutes % 60} min` : `${minutes} min`;
  return `${amount} ${ms > 0 ? 'ahead of' : 'behind'} this device`;
}

/** The machine in a few lines, with what needs somebody first said as that. `deviceMs` is what this device's own clock says. */
export function stateLines(s: ServerState, deviceMs: number, stamp: (at: string) => string): StateLine[] {
  const nowMs = Date.parse(s.at);
  const apartMs = nowMs - deviceMs;
  const moved = s.clock.movedAt !== null && nowMs - Date.parse(s.clock.movedAt) < DAY_MS ? s.clock.movedAt : null;
  const { waiting, running, oldestWaitS, failedToday } = s.queue;
  const late = s.lastBackupAt === null || nowMs - Date.parse(s.lastBackupAt) > LATE_BACKUP_MS;
  const waitMin = Math.round((oldestWaitS ?? 0) / 60);
  return [
    {
      what: 'Computations',
      words: `${waiting === 0 && running === 0 ? 'none waits' : `${running} under way, ${waiting} waiting${waiting > 0 ? `, the oldest for ${waitMin} min` : ''}`}${failedToday > 0 ? `; ${failedToday} failed within a day` : ''}`,
      ask: (oldestWaitS ?? 0) > LONG_WAIT_S,
    },
    { what: 'Disk', words: `files take ${gb(s.disk.filesBytes)}, entries ${gb(s.disk.databaseBytes)}; ${gb(s.disk.freeBytes)} free`, ask: s.disk.freeBytes < LITTLE_BYTES },
    { what: 'Last backup', words: s.lastBackupAt === null ? 'none yet; bin/admin backup on the machine makes one' : stamp(s.lastBackupAt), ask: late },
    {
      what: 'Clock',
      words: [
        Math.abs(apartMs) > CLOCK_APART_MS ? apartWords(apartMs) : 'agrees with this device',
        ...(moved ? [`it moved by days, or the server was off, seen ${stamp(moved)}: films that end are kept a day longer`] : []),
      ].join('; '),
      ask: Math.abs(apartMs) > CLOCK_APART_MS,
    },
    { what: 'Devices', words: `${s.devices} within an hour`, ask: false },
    {
      what: 'Faults',
      words: s.faults.length === 0 ? 'none' : `${s.faults.length === 1 ? 'one' : s.faults.length}, the last ${stamp(s.faults[0].at)}`,
      ask: s.faults.length > 0 && nowMs - Date.parse(s.faults[0].at) < LATE_BACKUP_MS,
    },
  ];
}

/** How the machine is, for an owner: asked when it is opened, and again on a tap. */
export function ServerPart({ onClose }: { onClose: () => void }) {
  const clock = useClock();
  const { session } = useData();
  const [state, setState] = useState<{ said: ServerState; deviceMs: number } | 'asking' | { why: string }>('asking');
  const ask = () => {
    setState('asking');
    api.server(session.production.id).then(
      (said) => setState({ said, deviceMs: Date.now() }),
      (e: Error) => setState({ why: e.message }),
    );
  };
  useEffect(ask, [session.production.id]);
  return (
    <View testID="server-state" style={{ gap: SPACE.s, marginTop: SPACE.s }}>
      {state === 'asking' ? (
        <Loading what="the state of the server" />
      ) : 'why' in state ? (
        <Failing title="The server cannot be asked" text={state.why} />
      ) : (
        <>
          {stateLines(state.said, state.deviceMs, (at) => clock.stamp(at)).map((l) => (
            <View key={l.what} style={{ flexDirection: 'row', gap: SPACE.m }} testID={`server-${l.what}`}>
              <Words look="label" dim style={{ width: 104 }}>
                {l.what}
              </Words>
              <Words look="small" style={{ flex: 1 }}>{`${l.ask ? '▲ ' : ''}${l.words}`}</Words>
            </View>
          ))}
          {state.said.faults.map((f) => (
            <Words key={f.requestId + f.at} look="small" dim selectable>{`${clock.stamp(f.at)}  ${f.what}\n${f.requestId}`}</Words>
          ))}
        </>
      )}
      <View style={{ marginLeft: -SPACE.l, alignItems: 'flex-start' }}>
        <Action kind="quiet" icon="refresh" title="Ask again" onPress={ask} testID="server-again" />
        <Action kind="quiet" icon="arrow-back" title="Back" onPress={onClose} />
      </View>
    </View>
  );
}
