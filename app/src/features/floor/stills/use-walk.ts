import { countedStills, stationsTaken, stillRemarks, walkQuestion, type StillBody, type StillsPlan, type WalkStill } from '@mesure/contract';
import { stationNames, type WalkCheck } from '@mesure/core';
import { useAll, useFind, usePicturesState } from '../../../data';
import { inWorker, useAnswer } from '../../../workers';

/** A picture of the walk, arrived or still on this device. */
export interface ShownStill extends WalkStill {
  id: string;
  name: string;
  /** null while it waits */
  sha256: string | null;
}

/** The pictures of a setup's walk, those on their way among them. */
export function useStills(setupId: string): ShownStill[] {
  const records = useAll('still').filter((s) => s.body.setupId === setupId);
  const waiting = usePicturesState((s) => s.pictures).filter((q) => q.kind === 'still' && (q.body as StillBody).setupId === setupId && !records.some((r) => r.id === q.id));
  return [
    ...records.map((r): ShownStill => ({ id: r.id, name: r.body.picture.name, sha256: r.body.picture.sha256, ...r.body })),
    ...waiting.map((q): ShownStill => ({ id: q.id, name: q.name, sha256: null, ...(q.body as StillBody) })),
  ];
}

export interface Walk {
  stills: ShownStill[];
  /** of each station the picture that counts */
  counted: Map<number, ShownStill>;
  taken: number[];
  names: string[];
  /** null until the first comparison is done */
  check: WalkCheck | null;
  /** a comparison is under way */
  comparing: boolean;
  /** why they could not be compared; null when they could */
  problem: string | null;
}

/** A walk with what its pictures say of one another; compared in a worker after each picture. */
export function useWalk(walk: StillsPlan, setupId: string): Walk {
  const find = useFind();
  const stills = useStills(setupId);
  const key = JSON.stringify([walk.way, walk.overlap, walk.stations, countedStills(stills).map((s) => [s.id, s.station, s.look !== null])]);
  const answer = useAnswer(key, () => inWorker({ kind: 'walk', ...walkQuestion(walk, stills) }));
  const said = stillRemarks(walk, stills, find);
  return {
    stills,
    counted: new Map(countedStills(stills).map((s) => [s.station, s])),
    taken: stationsTaken(walk, stills),
    names: stationNames(walk.stations),
    check: answer.last ? { ...answer.last, remarks: [...answer.last.remarks, ...said].sort((a, b) => a.station - b.station) } : null,
    comparing: answer.now === null && answer.failed === null,
    problem: answer.failed,
  };
}
