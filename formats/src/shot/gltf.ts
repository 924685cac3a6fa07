import { Document, NodeIO } from '@gltf-transform/core';
import { shotCamera } from '@mesure/core';
import { focalPx, inOwnSpace, rateOf, shotFacts, unitOf, type Shot, type ShotFile } from './shot';

/**
 * Animated camera and points as binary glTF 2.0: Y up, camera along −Z, as the conventions have it. Positions are 32-bit floats, as the format
 * asks (below 0.01 mm within 100 m); the CSV keeps full precision. Points are a POINTS primitive with names and covariances in extras.
 *
 * A camera of this format looks through the middle of its picture and knows no distortion. It is therefore that of the undistorted picture with
 * as much added as puts the principal point in its middle; the size of that picture, and where the undistorted one lies in it, stand in its
 * extras beside everything else that the format has no place for. Seconds count from the first solved frame.
 */
export async function writeGltf(shot: Shot): Promise<Uint8Array> {
  const { solve } = shot;
  const fps = rateOf(shot);
  const doc = new Document();
  const buffer = doc.createBuffer();
  const scene = doc.createScene(unitOf(solve) === 'm' ? shot.name : `${shot.name} (unit of the solve)`);
  const first = solve.frames[0];
  if (!first) throw new Error('A solve without frames has no camera to write');
  const camera = shotCamera(shot.setup, solve);
  const { centred } = camera;
  const focal = solve.focalMm ?? first.focalMm;
  const [fx, fy] = focalPx(camera, focal);
  const lens = doc
    .createCamera('camera')
    .setType('perspective')
    .setYFov(2 * Math.atan(centred.heightPx / (2 * fy)))
    .setAspectRatio(centred.widthPx / fx / (centred.heightPx / fy))
    .setZNear(0.01)
    .setZFar(10000)
    .setExtras({
      picture: {
        what: 'this camera sees an undistorted picture of widthPx by heightPx; pixel (x, y) of the undistorted picture lies in it at (x - cornerPx[0], y - cornerPx[1])',
        ...centred,
        undistorted: camera.undistorted,
        // a pixel of the recorded picture is as far from being square as this
        pixelAspect: fy / fx,
      },
      ...(solve.frames.some((f) => f.focalMm !== focal) ? { focalMmByFrame: solve.frames.map((f) => [f.frame, f.focalMm]) } : {}),
    });
  const node = doc
    .createNode('camera')
    .setCamera(lens)
    .setTranslation([...first.position])
    .setRotation([...first.rotation])
    .setExtras({ firstFrame: first.frame, fps, secondsOfFirstFrame: 0 });
  scene.addChild(node);

  const times = Float32Array.from(solve.frames, (f) => (f.frame - first.frame) / fps);
  const positions = Float32Array.from(solve.frames.flatMap((f) => [...f.position]));
  // neighbouring quaternions on one side, so that a reader's interpolation takes the short way
  const rotations = new Float32Array(4 * solve.frames.length);
  let previous: readonly number[] = first.rotation;
  solve.frames.forEach((f, i) => {
    const dot = f.rotation.reduce((s, v, k) => s + v * previous[k], 0);
    const q = f.rotation.map((v) => (dot < 0 ? -v : v));
    rotations.set(q, 4 * i);
    previous = q;
  });
  const input = doc.createAccessor('times').setType('SCALAR').setArray(times).setBuffer(buffer);
  const animation = doc.createAnimation('camera move');
  for (const [path, type, array] of [
    ['translation', 'VEC3', positions],
    ['rotation', 'VEC4', rotations],
  ] as const) {
    const output = doc.createAccessor(path).setType(type).setArray(array).setBuffer(buffer);
    const sampler = doc.createAnimationSampler().setInput(input).setOutput(output).setInterpolation('LINEAR');
    animation.addSampler(sampler).addChannel(doc.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler));
  }
  if (solve.points.length > 0) {
    const array = Float32Array.from(solve.points.flatMap((p) => [...p.position]));
    const primitive = doc.createPrimitive().setMode(0).setAttribute('POSITION', doc.createAccessor('points').setType('VEC3').setArray(array).setBuffer(buffer));
    const mesh = doc
      .createMesh('points')
      .addPrimitive(primitive)
      .setExtras({
        tracks: solve.points.map((p) => p.track),
        sigma: solve.points.map((p) => p.sigmaM),
        covariance: solve.points.map((p) => p.covarianceM2 ?? null),
        covarianceOrder: 'xx xy xz yy yz zz',
      });
    scene.addChild(doc.createNode('points').setMesh(mesh));
  }
  doc.getRoot().setDefaultScene(scene);
  doc.getRoot().getAsset().generator = 'Mesure';
  doc.getRoot().setExtras({ shot: shotFacts(shot) as unknown as Record<string, unknown> });
  return new NodeIO().writeBinary(doc);
}

export const gltfFile: ShotFile = {
  format: 'gltf',
  file: 'camera.glb',
  what: 'camera move and points',
  readWith: 'glTF 2.0',
  needsFps: true,
  ownSpace: 'metres with Y up, as glTF has it',
  write: (shot) => writeGltf(inOwnSpace(shot)),
};
