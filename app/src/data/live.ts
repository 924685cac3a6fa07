import type { RecordBatch } from '@mesure/contract';

/** The server says at least every quarter of a minute that it is there. */
const SILENCE_MS = 40_000;
const AGAIN_MS = 3000;

export interface LiveParts {
  /** where to listen from; null while it is not known how far this device has come */
  url: () => string | null;
  onBatch: (batch: RecordBatch) => void;
  onOpen: () => void;
}

/**
 * Listens for what others change, while this page is looked at: a browser has few connections to one server, and a phone in a pocket needs
 * none. What was missed comes first when it listens again.
 */
export function listenForChanges({ url, onBatch, onOpen }: LiveParts): { start(): void; stop(): void } {
  if (typeof EventSource === 'undefined') return { start: () => undefined, stop: () => undefined };
  let source: EventSource | null = null;
  let silence: ReturnType<typeof setTimeout> | undefined;
  let again: ReturnType<typeof setTimeout> | undefined;
  let stopped = false;

  function close(): void {
    source?.close();
    source = null;
    clearTimeout(silence);
    clearTimeout(again);
  }
  function later(): void {
    close();
    if (!stopped && document.visibilityState === 'visible') again = setTimeout(open, AGAIN_MS);
  }
  function alive(): void {
    clearTimeout(silence);
    silence = setTimeout(later, SILENCE_MS);
  }
  function open(): void {
    close();
    const address = url();
    if (address === null) {
      later();
      return;
    }
    const s = new EventSource(address);
    source = s;
    s.onopen = () => {
      alive();
      onOpen();
    };
    s.addEventListener('alive', alive);
    s.addEventListener('records', (e) => {
      alive();
      onBatch(JSON.parse((e as MessageEvent<string>).data) as RecordBatch);
    });
    s.onerror = () => {
      // the browser tries again by itself unless the server refused
      if (s.readyState === EventSource.CLOSED) later();
    };
    alive();
  }
  const visible = () => (document.visibilityState === 'visible' ? open() : close());
  return {
    start() {
      if (stopped) return;
      document.addEventListener('visibilitychange', visible);
      if (document.visibilityState === 'visible') open();
    },
    stop() {
      stopped = true;
      document.removeEventListener('visibilitychange', visible);
      close();
    },
  };
}
