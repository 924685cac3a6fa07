import type { CameraFrame } from '@mesure/core';

export interface FeedParts {
  url: string;
  onFrames: (frames: CameraFrame[]) => void;
  /** the camera cannot be heard, or is not heard any more */
  onLost: () => void;
}

/** Listens to a camera's metadata until it is cut. */
export function listenToCamera({ url, onFrames, onLost }: FeedParts): () => void {
  if (typeof EventSource === 'undefined') {
    onLost();
    return () => undefined;
  }
  const source = new EventSource(url);
  source.addEventListener('frames', (e) => onFrames(JSON.parse((e as MessageEvent<string>).data) as CameraFrame[]));
  source.addEventListener('end', () => source.close());
  source.onerror = () => {
    // a stream that begins anew would mix two takes
    source.close();
    onLost();
  };
  return () => source.close();
}
