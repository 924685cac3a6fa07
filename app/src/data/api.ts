import type {
  Analysis,
  AnalysisChoice,
  AnalysisKind,
  CrewMember,
  Device,
  HandOver,
  KeptHandover,
  HandoverInAnswer,
  HandoverPlan,
  Invitation,
  KitLine,
  LinkSays,
  MyData,
  NewInvitation,
  NewSecondStep,
  Problem,
  ProductionBody,
  RecordBatch,
  RecordChange,
  RecordKind,
  RecordWrite,
  Role,
  SecondStep,
  ServerState,
  SessionInfo,
  Space,
  UploadedFile,
  WriteAnswer,
} from '@mesure/contract';
import { ApiError, OfflineError } from './errors';
import { sendInPieces, type UploadUse } from './resumable';

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

/** A file that the server makes on being asked; how much of it is here is told while it comes. */
async function download(path: string, body: unknown, onBytes: (bytes: number) => void): Promise<{ name: string; blob: Blob }> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, { method: 'POST', credentials: 'same-origin', headers: { 'content-type': 'application/json', 'x-csrf-token': csrfToken }, body: JSON.stringify(body) });
  } catch {
    throw new OfflineError();
  }
  if (!response.ok) throw new ApiError((await response.json()) as Problem);
  const name = /filename="?([^";]+)/.exec(response.headers.get('content-disposition') ?? '')?.[1] ?? 'handover.zip';
  const reader = response.body?.getReader();
  if (!reader) return { name, blob: await response.blob() };
  const parts: Uint8Array<ArrayBuffer>[] = [];
  let bytes = 0;
  try {
    for (let piece = await reader.read(); !piece.done; piece = await reader.read()) {
      parts.push(piece.value as Uint8Array<ArrayBuffer>);
      bytes += piece.value.length;
      onBytes(bytes);
    }
  } catch {
    throw new OfflineError();
  }
  return { name, blob: new Blob(parts, { type: 'application/zip' }) };
}

const of = (productionId: string) => `/productions/${productionId}`;

/** Another of one's productions, or a kit file that was uploaded to this one. */
export type KitSource = { productionId: string } | { sha256: string };

/** Every address of the server that the application uses. */
export const api = {
  signIn: (name: string, password: string, code?: string) => call<SessionInfo>('POST', '/session', { name, password, code }),
  /** in the production that this device looks at; null: the one looked at last anywhere */
  session: (production: string | null = null) => call<SessionInfo>('GET', `/session${production ? `?production=${production}` : ''}`),
  signOut: () => call<void>('DELETE', '/session'),
  lookAtLink: (token: string) => call<LinkSays>('POST', '/links/look', { token }),
  begin: (asked: { token: string; production: ProductionBody; name: string; password: string }) => call<SessionInfo>('POST', '/links/begin', asked),
  join: (asked: { token: string; name: string; password: string; code?: string }) => call<SessionInfo>('POST', '/links/join', asked),
  newPassword: (asked: { token: string; password: string; code?: string }) => call<SessionInfo>('POST', '/links/password', asked),
  changePassword: (asked: { before: string; password: string }) => call<void>('PUT', '/account/password', asked),
  secondStep: () => call<SecondStep>('GET', '/account/second-step'),
  beginSecondStep: (asked: { before: string }) => call<NewSecondStep>('POST', '/account/second-step', asked),
  confirmSecondStep: (asked: { code: string }) => call<{ recovery: string[] }>('PUT', '/account/second-step', asked),
  newRecovery: (asked: { before: string; code: string }) => call<{ recovery: string[] }>('POST', '/account/second-step/recovery', asked),
  endSecondStep: (asked: { before: string; code: string }) => call<void>('POST', '/account/second-step/off', asked),
  myData: () => call<MyData>('GET', '/account/data'),
  forgetMe: (asked: { before: string }) => call<void>('POST', '/account/forget', asked),
  tellWaiting: (count: number) => call<void>('PUT', '/account/waiting', { count }),
  devices: () => call<{ devices: Device[] }>('GET', '/account/devices'),
  endDevice: (id: string) => call<void>('DELETE', `/account/devices/${id}`),
  endOtherDevices: () => call<void>('DELETE', '/account/devices'),
  network: () => call<{ addresses: string[]; trustAddress: string | null }>('GET', '/network'),
  makeProduction: (body: ProductionBody) => call<SessionInfo>('POST', '/productions', body),
  addDemo: () => call<SessionInfo>('POST', '/productions/demo', {}),
  endProduction: (p: string, name: string) => call<{ at: string; by: string }>('POST', `${of(p)}/end`, { name }),
  keepProduction: (p: string) => call<void>('DELETE', `${of(p)}/end`),
  removeDemo: (p: string) => call<void>('DELETE', of(p)),
  people: (p: string) => call<{ people: CrewMember[] }>('GET', `${of(p)}/people`),
  invitations: (p: string) => call<{ invitations: Invitation[] }>('GET', `${of(p)}/invitations`),
  invite: (p: string, role: Role) => call<NewInvitation>('POST', `${of(p)}/invitations`, { role }),
  takeInvitationBack: (p: string, id: string) => call<void>('DELETE', `${of(p)}/invitations/${id}`),
  giveRole: (p: string, person: string, role: Role) => call<void>('PATCH', `${of(p)}/people/${person}`, { role }),
  removePerson: (p: string, person: string) => call<void>('DELETE', `${of(p)}/people/${person}`),
  passwordLink: (p: string, person: string) => call<{ token: string; expiresAt: string }>('POST', `${of(p)}/people/${person}/password-link`, {}),
  records: (p: string, after: number | null = null, epoch: string | null = null) =>
    call<RecordBatch>('GET', `${of(p)}/records${after === null ? '' : `?after=${after}${epoch ? `&epoch=${epoch}` : ''}`}`),
  cameraFeedUrl: (p: string, scene: Record<string, number>) =>
    `/api${of(p)}/devices/camera-feed?${Object.entries(scene)
      .map(([k, v]) => `${k}=${v}`)
      .join('&')}`,
  eventsUrl: (p: string, after: number, epoch: string | null) => `/api${of(p)}/records/events?after=${after}${epoch ? `&epoch=${epoch}` : ''}`,
  write: (p: string, kind: RecordKind, id: string, write: RecordWrite) => call<WriteAnswer>('PUT', `${of(p)}/records/${kind}/${id}`, write),
  history: (p: string, kind: RecordKind, id: string, before: number | null = null) =>
    call<{ changes: RecordChange[]; earlier?: boolean }>('GET', `${of(p)}/records/${kind}/${id}/history${before === null ? '' : `?before=${before}`}`),
  server: (p: string) => call<ServerState>('GET', `${of(p)}/server`),
  space: (p: string) => call<Space>('GET', `${of(p)}/space`),
  analyses: (p: string) => call<{ analyses: Analysis[] }>('GET', `${of(p)}/analyses`),
  analysesOf: (p: string, subjectId: string) => call<{ analyses: Analysis[] }>('GET', `${of(p)}/analyses/of/${subjectId}`),
  analysis: (p: string, id: string) => call<Analysis>('GET', `${of(p)}/analyses/${id}`),
  startAnalysis: (p: string, body: { id: string; kind: AnalysisKind; subjectId: string; options: AnalysisChoice }) => call<Analysis>('POST', `${of(p)}/analyses`, body),
  stopAnalysis: (p: string, id: string) => call<Analysis>('POST', `${of(p)}/analyses/${id}/stop`, {}),
  /** in pieces; `key` finds the upload again after a reload */
  upload: (p: string, file: Blob, options: { name: string; use: UploadUse; key: string; atS?: number | null; onProgress?: (sentBytes: number) => void }): Promise<UploadedFile> =>
    sendInPieces(file, { ...options, address: `/api${of(p)}/files/uploads`, csrfToken }),
  fileUrl: (p: string, sha256: string) => `/api${of(p)}/files/${sha256}`,
  previewUrl: (p: string, sha256: string, width: number) => `/api${of(p)}/files/${sha256}/preview?width=${width}`,
  frameUrl: (p: string, sha256: string, frame: number) => `/api${of(p)}/files/${sha256}/frame?n=${frame}`,
  kitUrl: (p: string) => `/api${of(p)}/kit.zip`,
  lookAtKit: (p: string, source: KitSource) => call<{ lines: KitLine[] }>('POST', `${of(p)}/kit/look`, source),
  bringKit: (p: string, source: KitSource) => call<{ lines: KitLine[] }>('POST', `${of(p)}/kit/bring`, source),
  lookAtHandover: (p: string, sha256: string) => call<HandoverInAnswer>('POST', `${of(p)}/handover-in/look`, { sha256 }),
  bringHandover: (p: string, sha256: string, replace: boolean) => call<HandoverInAnswer>('POST', `${of(p)}/handover-in/bring`, { sha256, replace }),
  handover: (p: string, dayId: string, receiverId: string | null) => call<HandoverPlan>('GET', `${of(p)}/days/${dayId}${receiverId === null ? '' : `?receiver=${receiverId}`}`),
  /** the zip stays on the server, to be fetched from there */
  keepHandOver: (p: string, dayId: string, asked: HandOver) => call<KeptHandover>('POST', `${of(p)}/days/${dayId}/handovers`, { ...asked, target: 'server' }),
  letZipGo: (p: string, dayId: string, id: string) => call<undefined>('DELETE', `${of(p)}/days/${dayId}/handovers/${id}/zip`),
  handOver: (p: string, dayId: string, asked: HandOver, onBytes: (bytes: number) => void) => download(`${of(p)}/days/${dayId}/handovers`, asked, onBytes),
};
export type Api = typeof api;
