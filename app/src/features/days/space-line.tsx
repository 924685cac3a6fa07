import type { Space } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { api, useData } from '../../data';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** As people say room: whole MB below one GB. */
export const gb = (bytes: number): string => (bytes < 1e9 ? `${Math.ceil(bytes / 1e6)} MB` : `${(bytes / 1e9).toFixed(bytes < 1e10 ? 1 : 0)} GB`);
/** Below this share a day's plates may not fit any more. */
const LITTLE = 0.1;

export function spaceWords({ usedBytes, begunBytes, limitBytes, freeBytes }: Space): { words: string; little: boolean } {
  const left = Math.max(0, Math.min(limitBytes - usedBytes - begunBytes, freeBytes));
  const why = freeBytes < limitBytes - usedBytes - begunBytes ? 'on the server\u2019s disk' : `of ${gb(limitBytes)}`;
  return { words: `Files take ${gb(usedBytes)}${begunBytes > 0 ? `, ${gb(begunBytes)} are on the way` : ''}; ${gb(left)} left ${why}.`, little: left < LITTLE * limitBytes };
}

/** How much room the production's files take; nothing where the server cannot be asked. */
export function SpaceLine() {
  const p = usePalette();
  const { session } = useData();
  const [space, setSpace] = useState<Space | null>(null);
  useEffect(() => {
    let here = true;
    api.space(session.production.id).then(
      (s) => here && setSpace(s),
      () => undefined,
    );
    return () => {
      here = false;
    };
  }, [session.production.id]);
  // its line is there from the start: what stands below must not move under a finger
  if (!space)
    return (
      <Words look="small" style={{ marginTop: SPACE.s }} aria-hidden>
        {'\u00a0'}
      </Words>
    );
  const { words, little } = spaceWords(space);
  return (
    <Words look="small" dim={!little} color={little ? p.against : undefined} style={{ marginTop: SPACE.s }} testID="space">
      {`${little ? '▲ ' : ''}${words}`}
    </Words>
  );
}
