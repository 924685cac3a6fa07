import { useEffect, useState } from 'react';
import { Words } from '../../ui/text';
import { gb } from '../days/space-line';

/** Below this a few pictures fill it. */
const LITTLE_BYTES = 100e6;

export interface PhoneRoom {
  usedBytes: number;
  freeBytes: number;
  /** the browser promised not to clear it by itself */
  lasting: boolean;
}
export const roomWords = ({ usedBytes, freeBytes, lasting }: PhoneRoom): string =>
  `${freeBytes < LITTLE_BYTES ? '▲ ' : ''}Mesure takes ${gb(usedBytes)} here and may take ${gb(freeBytes)} more. ${
    lasting ? 'The browser does not clear it by itself.' : 'The browser may clear it when the phone runs short: send what waits, or put Mesure on the home screen.'
  }`;

/** How much room the browser leaves, and whether it keeps what it has; nothing where it does not say. */
export function PhoneRoomLine() {
  const [room, setRoom] = useState<PhoneRoom | null>(null);
  useEffect(() => {
    let here = true;
    const storage = globalThis.navigator?.storage;
    void Promise.all([storage?.estimate?.(), storage?.persisted?.()])
      .then(([estimate, lasting]) => {
        if (here && estimate?.quota !== undefined) setRoom({ usedBytes: estimate.usage ?? 0, freeBytes: Math.max(0, estimate.quota - (estimate.usage ?? 0)), lasting: lasting ?? false });
      })
      .catch(() => undefined);
    return () => {
      here = false;
    };
  }, []);
  if (!room) return null;
  return (
    <Words look="small" dim={room.lasting && room.freeBytes >= LITTLE_BYTES} testID="phone-room">
      {roomWords(room)}
    </Words>
  );
}
