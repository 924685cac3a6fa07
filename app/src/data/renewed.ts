import { createStore } from 'zustand/vanilla';

/** How often an open page asks whether there is a newer version; a phone may keep one open for days. */
const LOOK_EVERY_MS = 30 * 60_000;

/** Is there a newer version than this page runs on? It keeps running on what it has until it is loaded again. */
export const renewedStore = createStore<{ renewed: boolean }>()(() => ({ renewed: false }));

/**
 * Registers the worker that keeps the pages for use without a network, and watches for the next one. A worker that takes over from another
 * one has the newer pages; the first of all takes over from nobody.
 */
export async function keepPages(container: ServiceWorkerContainer, page: Pick<Document, 'addEventListener' | 'visibilityState'>): Promise<() => void> {
  let had = container.controller !== null;
  container.addEventListener('controllerchange', () => {
    if (had) renewedStore.setState({ renewed: true });
    had = true;
  });
  const registration = await container.register('/sw.js').catch(() => null);
  if (!registration) return () => undefined;
  // without a network there is nothing newer to be had
  const look = () => void registration.update().catch(() => undefined);
  const timer = setInterval(look, LOOK_EVERY_MS);
  page.addEventListener('visibilitychange', () => {
    if (page.visibilityState === 'visible') look();
  });
  return () => clearInterval(timer);
}

/** Is somebody in the middle of a word? What stands in forms comes back after loading, what is drawn or typed in this moment may not. */
export const isTyping = (): boolean => /^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement?.tagName ?? '');
