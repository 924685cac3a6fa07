import type { Person, TestServer } from './test-server';

/** Uploads in pieces as a phone sends them (tus 1.0). */
export const uploadsOf = (server: () => TestServer) => ({
  begin: (who: Person, length: number, values: Record<string, string>) =>
    who.agent.post(server().at('/files/uploads')).set({
      'x-csrf-token': who.csrf,
      'tus-resumable': '1.0.0',
      'upload-length': String(length),
      'upload-metadata': Object.entries(values)
        .map(([key, value]) => `${key} ${Buffer.from(value).toString('base64')}`)
        .join(','),
    }),
  piece: (who: Person, address: string, offset: number, bytes: Buffer) =>
    who.agent
      .patch(address)
      .set({ 'x-csrf-token': who.csrf, 'tus-resumable': '1.0.0', 'upload-offset': String(offset), 'content-type': 'application/offset+octet-stream' })
      .send(bytes),
  ask: (who: Person, address: string) => who.agent.head(address).set({ 'x-csrf-token': who.csrf, 'tus-resumable': '1.0.0' }),
  giveUp: (who: Person, address: string) => who.agent.delete(address).set({ 'x-csrf-token': who.csrf, 'tus-resumable': '1.0.0' }),
});
