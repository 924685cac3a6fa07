/** As much of a store as a listener sees: a state that changes when it is told to. */
export function fakeStore<S>(state: S) {
  const listeners = new Set<() => void>();
  return {
    getState: () => state,
    subscribe: (l: () => void) => (listeners.add(l), () => listeners.delete(l)),
    change: (now: Partial<S>) => (Object.assign(state as object, now), listeners.forEach((l) => l())),
  };
}
