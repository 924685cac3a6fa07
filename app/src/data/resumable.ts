import type { Problem, UploadedFile } from '@mesure/contract';
import { Upload, type HttpRequest, type HttpResponse, type HttpStack } from 'tus-js-client';
import { ApiError, OfflineError } from './errors';

/** So much is lost at most when the line breaks, and so often the progress moves. */
const PIECE_BYTES = 1024 * 1024;

/** What a file is given for; the server says what it must be then. */
export type UploadUse = 'plate' | 'tracks' | 'clip' | 'kit' | 'handover' | 'move' | 'lens';

interface Sending {
  address: string;
  csrfToken: string;
  /** under this name the upload is found again after a reload */
  key: string;
  name: string;
  use: UploadUse;
  /** time of the frame in a clip */
  atS?: number | null;
  onProgress?: (sentBytes: number) => void;
  signal?: AbortSignal;
}

/**
 * Sends a file in pieces and goes on where an earlier try was cut off (tus 1.0). What the server says of the whole file is the answer.
 * @throws OfflineError when the line is gone, ApiError when the server does not take the file
 */
export async function sendInPieces(file: Blob, { address, csrfToken, key, name, use, atS, onProgress, signal }: Sending): Promise<UploadedFile> {
  let last: FetchResponse | null = null;
  return new Promise<UploadedFile>((resolve, reject) => {
    const upload = new Upload(file as File, {
      endpoint: address,
      chunkSize: PIECE_BYTES,
      uploadDataDuringCreation: true,
      retryDelays: null,
      removeFingerprintOnSuccess: true,
      fingerprint: async () => `mesure-upload-${key}`,
      metadata: { name, use, ...(atS === undefined || atS === null ? {} : { atS: String(atS) }) },
      headers: { 'x-csrf-token': csrfToken },
      httpStack: fetchStack((response) => {
        last = response;
      }),
      onProgress: (sent) => onProgress?.(sent),
      onSuccess: () => {
        try {
          resolve(JSON.parse(last!.getBody()) as UploadedFile);
        } catch {
          reject(new OfflineError());
        }
      },
      onError: () => reject(refusal(last)),
    });
    signal?.addEventListener('abort', () => {
      void upload.abort();
      reject(new OfflineError());
    });
    void upload
      .findPreviousUploads()
      .then((before) => {
        if (before[0]) upload.resumeFromPreviousUpload(before[0]);
        upload.start();
      })
      .catch(reject);
  });
}

/** A refusal is a problem with its words; anything else is a line that broke. */
function refusal(last: FetchResponse | null): Error {
  if (!last || last.getStatus() < 400) return new OfflineError();
  try {
    const problem = JSON.parse(last.getBody()) as Problem;
    if (problem.code) return new ApiError(problem);
  } catch {
    // a proxy's page
  }
  return new OfflineError();
}

interface FetchResponse extends HttpResponse {
  getStatus(): number;
}

/** The same `fetch` as all other addresses: one way to the server. */
function fetchStack(seen: (response: FetchResponse) => void): HttpStack {
  return {
    getName: () => 'fetch',
    createRequest(method, url): HttpRequest {
      const headers: Record<string, string> = {};
      const control = new AbortController();
      let progress: (sent: number) => void = () => undefined;
      return {
        getMethod: () => method,
        getURL: () => url,
        setHeader: (name, value) => {
          headers[name] = value;
        },
        getHeader: (name) => headers[name],
        setProgressHandler: (handler) => {
          progress = handler;
        },
        async send(body: Blob | null): Promise<HttpResponse> {
          const answer = await fetch(url, { method, headers, body: body ?? undefined, credentials: 'same-origin', signal: control.signal });
          const text = method === 'HEAD' ? '' : await answer.text();
          const response: FetchResponse = { getStatus: () => answer.status, getHeader: (name) => answer.headers.get(name) ?? undefined, getBody: () => text, getUnderlyingObject: () => answer };
          seen(response);
          progress(body?.size ?? 0);
          return response;
        },
        async abort() {
          control.abort();
        },
        getUnderlyingObject: () => null,
      };
    },
  };
}
