import { Document, NodeIO } from '@gltf-transform/core';
import type { SolveResult } from '@mesure/core';

export interface GltfOptions {
  name: string;
  fps: number;
  sensorHeightMm: number;
  aspect: number;
}

/**
 * Animated camera and points as binary glTF 2.0: Y up, metres, camera along −Z, as the conventions have it. Positions are 32-bit floats,
 * as the format asks (below 0.01 mm within 100 m); the CSV keeps full precision. Points are a POINTS primitive with track names in extras.
 */
export async function writeGltf(solve: SolveResult, options: GltfOptions): Promise<Uint8Array> {
  const doc = new Document();
  const buffer = doc.createBuffer();
  const scene = doc.createScene(options.name);
  const first = solve.frames[0];
  if (!first) throw new Error('A solve without frames has no camera to write');
  const yfov = 2 * Math.atan(options.sensorHeightMm / (2 * (solve.focalMm ?? first.focalMm)));
  const camera = doc.createCamera('camera').setType('perspective').setYFov(yfov).setAspectRatio(options.aspect).setZNear(0.01).setZFar(10000);
  const node = doc
    .createNode('camera')
    .setCamera(camera)
    .setTranslation([...first.position])
    .setRotation([...first.rotation]);
  scene.addChild(node);

  const times = Float32Array.from(solve.frames, (f) => (f.frame - first.frame) / options.fps);
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
      .setExtras({ tracks: solve.points.map((p) => p.track), sigmaM: solve.points.map((p) => p.sigmaM) });
    scene.addChild(doc.createNode('points').setMesh(mesh));
  }
  doc.getRoot().setDefaultScene(scene);
  return new NodeIO().writeBinary(doc);
}
