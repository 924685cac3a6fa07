import { feedSchema } from '@mesure/contract/schemas';
import { formatTimecode, frameTimecode, simulateCameraFrame, type CameraScene } from '@mesure/core';
import type { Route } from '../http/route';
import { must } from '../http/validate';

/** A camera runs until it is cut; a forgotten page must not listen for ever. */
const LONGEST_S = 120;
/** Frames of a tenth of a second go out together: a stream of 50 frames a second needs no 50 packets. */
const SEND_MS = 100;
/** A simulated zoom and pull last so long, whatever the page asks for. */
const SCENE_S = 12;

/** Stand-ins for devices that speak over a network. The screen marks them as simulated. */
export function deviceRoutes(): Route[] {
  return [
    {
      method: 'get',
      path: '/devices/camera-feed',
      access: 'read',
      what: 'What a simulated camera tells of each frame, as it rolls: server-sent events until the page closes it.',
      handle: (req, res) => {
        const asked = must(feedSchema, Object.fromEntries(Object.entries(req.query).map(([k, v]) => [k, typeof v === 'string' && v !== '' ? Number(v) : v]))) as Omit<
          CameraScene,
          'frames' | 'startFrame'
        > & {
          seed: number;
        };
        const now = new Date();
        const sinceMidnightS = (now.getUTCHours() * 60 + now.getUTCMinutes()) * 60 + now.getUTCSeconds();
        const scene: CameraScene = { ...asked, frames: Math.round(SCENE_S * asked.fps), startFrame: Math.round(sinceMidnightS * Math.round(asked.fps)) };
        res.status(200).set({ 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
        res.flushHeaders();
        const started = process.hrtime.bigint();
        let sent = 0;
        const timer = setInterval(() => {
          const elapsedS = Number(process.hrtime.bigint() - started) / 1e9;
          const due = Math.floor(Math.min(elapsedS, LONGEST_S) * asked.fps);
          const frames = [];
          // after the scene the lens stands where it came to
          for (; sent < due; sent += 1)
            frames.push({ ...simulateCameraFrame(scene, Math.min(sent, scene.frames - 1), asked.seed), frame: sent, timecode: formatTimecode(frameTimecode(scene.startFrame + sent, scene.fps)) });
          if (frames.length > 0) res.write(`event: frames\ndata: ${JSON.stringify(frames)}\n\n`);
          if (elapsedS >= LONGEST_S) {
            clearInterval(timer);
            res.end('event: end\ndata: {}\n\n');
          }
        }, SEND_MS);
        res.on('close', () => clearInterval(timer));
      },
    },
  ];
}
