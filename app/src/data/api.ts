import type { Analysis, AnalysisKind, HandoverPlan, Problem, RecordBatch, RecordChange, RecordKind, RecordWrite, SessionInfo, UploadedFile, WriteAnswer } from '@mesure/contract';
import { ApiError, OfflineError } from './errors';
import { sendInPieces } from './resumable';

export { ApiError, OfflineError };

let csrfToken = '';
export const setCsrfToken = (token: string): void => {
  csrfToken = token;
};

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      credentials: 'same-origin',
      headers: { ...(body !== undefined ? { 'content-type': 'application/json' } : {}), ...(method === 'GET' ? {} : { 'x-csrf-token': csrfToken }) },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new OfflineError();
  }
  if (response.status === 204) return undefined as T;
  const text = await response.text();
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    // a proxy's page or a cut line: as good as no answer
    throw new OfflineError();
  }
  if (!response.ok) throw new ApiError(parsed as Problem);
  return parsed as T;
}

const of = (productionId: string) => `/productions/${productionId}`;

export interface AnalysisOptions {
  focalMode?: 'held' | 'guided' | 'free';
  trim?: boolean;
  mapFormat?: 'exr' | 'tiff';
}

/** Every address of the server that the application uses. */
export const api = {
  signIn: (name: string, password: string) => call<SessionInfo>('POST', '/session', { name, password }),
  session: () => call<SessionInfo>('GET', '/session'),
  signOut: () => call<void>('DELETE', '/session'),
  records: (p: string, after: number | null = null) => call<RecordBatch>('GET', `${of(p)}/records${after === null ? '' : `?after=${after}`}`),
  cameraFeedUrl: (p: string, scene: Record<string, number>) =>
    `/api${of(p)}/devices/camera-feed?${Object.entries(scene)
      .map(([k, v]) => `${k}=${v}`)
      .join('&')}`,
  eventsUrl: (p: string, after: number) => `/api${of(p)}/records/events?after=${after}`,
  write: (p: string, kind: RecordKind, id: string, write: RecordWrite) => call<WriteAnswer>('PUT', `${of(p)}/records/${kind}/${id}`, write),
  history: (p: string, kind: RecordKind, id: string) => call<{ changes: RecordChange[] }>('GET', `${of(p)}/records/${kind}/${id}/history`),
  analyses: (p: string) => call<{ analyses: Analysis[] }>('GET', `${of(p)}/analyses`),
  analysis: (p: string, id: string) => call<Analysis>('GET', `${of(p)}/analyses/${id}`),
  startAnalysis: (p: string, body: { id: string; kind: AnalysisKind; subjectId: string; options: AnalysisOptions }) => call<Analysis>('POST', `${of(p)}/analyses`, body),
  stopAnalysis: (p: string, id: string) => call<Analysis>('POST', `${of(p)}/analyses/${id}/stop`, {}),
  /** in pieces; `key` finds the upload again after a reload */
  upload: (p: string, file: Blob, options: { name: string; use: 'plate' | 'tracks' | 'clip'; key: string; atS?: number | null; onProgress?: (sentBytes: number) => void }): Promise<UploadedFile> =>
    sendInPieces(file, { ...options, address: `/api${of(p)}/files/uploads`, csrfToken }),
  fileUrl: (p: string, sha256: string) => `/api${of(p)}/files/${sha256}`,
  previewUrl: (p: string, sha256: string, width: number) => `/api${of(p)}/files/${sha256}/preview?width=${width}`,
  frameUrl: (p: string, sha256: string, frame: number) => `/api${of(p)}/files/${sha256}/frame?n=${frame}`,
  handover: (p: string, dayId: string) => call<HandoverPlan>('GET', `${of(p)}/days/${dayId}`),
  handoverUrl: (p: string, dayId: string) => `/api${of(p)}/days/${dayId}/handover.zip`,
};
export type Api = typeof api;
