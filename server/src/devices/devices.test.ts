import type { CameraFrame } from '@mesure/core';
import http from 'node:http';
import request from 'supertest';
import { PASSWORD, startTestServer, type TestServer } from '../test-server';

let server: TestServer;
let cookie: string;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  const r = await request(server.address).post('/api/session').send({ name: 'wrangler', password: PASSWORD });
  cookie = (r.headers['set-cookie'] as unknown as string[])[0].split(';')[0];
});
afterAll(() => server.stop());
const SCENE = { fps: '24', focalMm: '32', focalEndMm: '32', focusM: '3', focusEndM: '3', stop: '4', iso: '800', shutterDeg: '180', seed: '1' };
const at = (scene: Record<string, string>) => server.at(`/devices/camera-feed?${new URLSearchParams(scene)}`);

test('a camera tells of its frames as it rolls: each once, in order, with a timecode that counts', async () => {
  const frames = await new Promise<CameraFrame[]>((done, fail) => {
    const all: CameraFrame[] = [];
    const req = http.get(`${server.address}${at(SCENE)}`, { headers: { cookie } }, (res) => {
      expect(res.headers['content-type']).toMatch(/^text\/event-stream/);
      let text = '';
      res.on('data', (part: Buffer) => {
        text += part.toString();
        for (let end = text.indexOf('\n\n'); end >= 0; end = text.indexOf('\n\n')) {
          const data = /^data: (.*)$/m.exec(text.slice(0, end));
          if (data) all.push(...(JSON.parse(data[1]) as CameraFrame[]));
          text = text.slice(end + 2);
        }
        if (all.length >= 20) {
          req.destroy();
          done(all);
        }
      });
    });
    req.on('error', (e) => all.length < 20 && fail(e));
  });
  expect(frames.slice(0, 20).map((f) => f.frame)).toEqual(Array.from({ length: 20 }, (_, i) => i));
  const count = (t: string) =>
    t
      .split(':')
      .map(Number)
      .reduce((s, v, i) => s * [1, 60, 60, 24][i] + v, 0);
  const first = count(frames[0].timecode);
  frames.forEach((f, i) => expect(count(f.timecode) - first).toBe(i));
  expect(frames.filter((f) => f.focalMm !== null).every((f) => Math.abs(f.focalMm! - 32) < 0.2)).toBe(true);
});

test('it is closed, and refuses what no camera shows', async () => {
  await request(server.address).get(at(SCENE)).expect(401);
  const wrangler = await server.signIn('wrangler');
  for (const [key, value] of [
    ['fps', '0'],
    ['focalMm', 'wide'],
    ['iso', ''],
    ['seed', '1.5'],
    ['shutterDeg', '999'],
    ['extra', '1'],
  ]) {
    const r = await wrangler.agent.get(at({ ...SCENE, [key]: value }));
    expect([key, r.status, r.body.code]).toEqual([key, 422, 'INVALID']);
  }
  const twice = await wrangler.agent.get(`${at(SCENE)}&fps=25`);
  expect(twice.status).toBe(422);
});
