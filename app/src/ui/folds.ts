import { useEffect, useState } from 'react';
import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';

const KEY = 'mesure-folds';
type Folded = Record<string, true>;

function kept(): Folded {
  try {
    return JSON.parse(globalThis.localStorage?.getItem(KEY) ?? '{}') as Folded;
  } catch {
    return {};
  }
}
const store = createStore<{ folded: Folded }>()(() => ({ folded: kept() }));

function keep(folded: Folded): void {
  store.setState({ folded });
  try {
    globalThis.localStorage?.setItem(KEY, JSON.stringify(folded));
  } catch {
    // a browser that keeps nothing still folds until it is reloaded
  }
}

/** A part of a long page that is folded or not, as it was left on this device. */
export function useFold(name: string): { folded: boolean; turn: () => void } {
  const folded = useStore(store, (s) => s.folded[name] === true);
  return {
    folded,
    turn: () => {
      if (folded) unfold(name);
      else keep({ ...store.getState().folded, [name]: true });
    },
  };
}

/** For who leads to something in a part that may be folded. */
export function unfold(name: string): void {
  const { [name]: _folded, ...rest } = store.getState().folded;
  keep(rest);
}

/** For tests: as on a device where nothing was folded. */
export const forgetFolds = (): void => store.setState({ folded: {} });

/** False until the next drawing stands: what is below the first screen is drawn after it, so that a touch is answered at once. */
export function useLater(): boolean {
  const [later, setLater] = useState(false);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const frame = requestAnimationFrame(() => {
      timer = setTimeout(() => setLater(true), 0);
    });
    return () => {
      cancelAnimationFrame(frame);
      clearTimeout(timer);
    };
  }, []);
  return later;
}
