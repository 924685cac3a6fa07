import { NodeIO, type Accessor, type AnimationSampler, type Node } from '@gltf-transform/core';
import { matToQuat, mulMat3, mulMatVec, quatToMat, type ForeignFrame, type ForeignMove, type Mat3, type Quat, type Vec3 } from '@mesure/core';
import { FormatError } from '../format-error';

/** Of a frame: samples fall on frames this well, or the rate is another. */
const ON_FRAME = 0.05;

/**
 * The animated camera of a glTF 2.0 file, through all nodes above it, and named points where a mesh of points says their names (`extras.tracks`).
 * The format counts in seconds; frames follow from the rate that the file or the take says.
 * @throws FormatError
 */
export async function readGltfMove(bytes: Uint8Array, file: string, takeFps: number | null): Promise<ForeignMove> {
  const io = new NodeIO();
  const document = await (bytes[0] === 0x7b ? io.readJSON({ json: JSON.parse(new TextDecoder().decode(bytes)) as never, resources: {} }) : io.readBinary(bytes)).catch((e: Error) => {
    throw new FormatError(file, null, null, `cannot be read as glTF 2.0 (${e.message})`);
  });
  const root = document.getRoot();
  // an index that points nowhere leaves a sampler without its numbers
  for (const s of root.listAnimations().flatMap((a) => a.listSamplers()))
    if (!s.getInput()?.getArray() || !s.getOutput()?.getArray()) throw new FormatError(file, null, null, 'has an animation without its times or values');
  const cameras = root.listNodes().filter((n) => n.getCamera());
  const moving = cameras.filter((n) => chainOf(n).some((q) => channelsOf(q).length > 0));
  const node = moving[0] ?? cameras[0];
  if (!node) throw new FormatError(file, null, null, 'holds no camera');
  if (moving.length > 1) throw new FormatError(file, null, null, `holds ${moving.length} cameras that move (${moving.map((n) => n.getName()).join(', ')}); give a file with one`);
  const chain = chainOf(node);
  const lens = node.getCamera()!;
  if (lens.getType() !== 'perspective') throw new FormatError(file, null, null, 'its camera has no perspective');
  const said = node.getExtras() as { fps?: number; firstFrame?: number };
  const fps = said.fps ?? takeFps;
  if (!fps) throw new FormatError(file, null, null, 'counts in seconds, and nothing says how many frames a second there are: note the frame rate of the recording mode');
  const times = timesOf(chain);
  const firstFrame = said.firstFrame ?? 0;
  const picture = (lens.getExtras() as { picture?: { widthPx?: number } }).picture;
  const byFrame = new Map((lens.getExtras() as { focalMmByFrame?: [number, number][] }).focalMmByFrame ?? []);
  const overWidth = 1 / (2 * Math.tan(lens.getYFov() / 2) * (lens.getAspectRatio() ?? 16 / 9));
  const frames = times.map((seconds): ForeignFrame => {
    const exact = (seconds - (said.firstFrame === undefined ? times[0] : 0)) * fps;
    if (Math.abs(exact - Math.round(exact)) > ON_FRAME)
      throw new FormatError(file, null, null, `its samples do not fall on frames at ${fps} frames a second (one lies at ${seconds.toFixed(4)} s): it was made at another rate`);
    const frame = firstFrame + Math.round(exact);
    const mm = byFrame.get(frame);
    return { frame, ...placed(chain, seconds, file), focal: mm === undefined ? { overWidth } : { mm } };
  });
  const points = root.listNodes().flatMap((n) => {
    const mesh = n.getMesh();
    const names = (mesh?.getExtras() as { tracks?: string[] } | undefined)?.tracks;
    const at = mesh?.listPrimitives()[0]?.getAttribute('POSITION');
    return names && at?.getArray() ? names.map((id, i) => ({ id, at: throughWorld(n, at.getElement(i, []) as unknown as Vec3) })) : [];
  });
  return {
    format: 'glTF 2.0',
    frames,
    points,
    metres: 1,
    up: 'Y',
    pictureWidthPx: picture?.widthPx ?? null,
    fps,
    notes: [
      ...(said.firstFrame === undefined ? [`It counts in seconds: frames are counted from 0, ${fps} a second.`] : []),
      ...(times.length === 1 ? ['Its camera does not move.'] : []),
      ...(lens.getAspectRatio() === null ? ['Its camera says no aspect: 16:9 was taken.'] : []),
    ],
  };
}

/** From the scene down to the node. */
function chainOf(node: Node): Node[] {
  const chain: Node[] = [];
  for (let n: Node | null = node; n; n = n.getParentNode()) chain.unshift(n);
  return chain;
}

interface Channel {
  path: string;
  sampler: AnimationSampler;
}
const channelsOf = (node: Node): Channel[] =>
  node
    .getGraph()
    .listParentEdges(node)
    .flatMap((edge) => {
      const parent = edge.getParent() as { propertyType?: string; getTargetPath?: () => string | null; getSampler?: () => AnimationSampler | null };
      const sampler = parent.propertyType === 'AnimationChannel' ? parent.getSampler?.() : null;
      return sampler ? [{ path: parent.getTargetPath!() ?? '', sampler }] : [];
    });

/** Times of the sampler with most of them; one moment where nothing moves. */
function timesOf(chain: readonly Node[]): number[] {
  const lists = chain.flatMap((n) => channelsOf(n).map((c) => [...(c.sampler.getInput()!.getArray() as Float32Array)]));
  return lists.sort((a, b) => b.length - a.length)[0] ?? [0];
}

function placed(chain: readonly Node[], seconds: number, file: string): { position: Vec3; rotation: Quat } {
  let position: Vec3 = [0, 0, 0];
  let turn: Mat3 = [1, 0, 0, 0, 1, 0, 0, 0, 1];
  let size = 1;
  for (const node of chain) {
    const channels = channelsOf(node);
    const value = (path: string, rest: readonly number[]): number[] => {
      const c = channels.find((q) => q.path === path);
      return c ? sampled(c.sampler, seconds, rest.length) : [...rest];
    };
    const scale = value('scale', node.getScale());
    if (Math.abs(scale[0] - scale[1]) > 1e-3 * Math.abs(scale[0]) || Math.abs(scale[0] - scale[2]) > 1e-3 * Math.abs(scale[0]) || scale[0] <= 0)
      throw new FormatError(file, null, null, `node ${node.getName()} above its camera is stretched unevenly or mirrored`);
    const at = mulMatVec(turn, value('translation', node.getTranslation()) as unknown as Vec3);
    position = position.map((v, k) => v + size * at[k]) as unknown as Vec3;
    turn = mulMat3(turn, quatToMat(value('rotation', node.getRotation()) as unknown as Quat));
    size *= scale[0];
  }
  return { position, rotation: matToQuat(turn) };
}

/** A sampler's value between its keys: in steps, evenly, or at the keys of a spline. */
function sampled(sampler: AnimationSampler, seconds: number, width: number): number[] {
  const times = sampler.getInput()!.getArray() as Float32Array;
  const out: Accessor = sampler.getOutput()!;
  const spline = sampler.getInterpolation() === 'CUBICSPLINE';
  const at = (i: number): number[] => Array.from((out.getElement(spline ? 3 * i + 1 : i, []) as number[]).slice(0, width));
  let i = 0;
  while (i + 1 < times.length && times[i + 1] <= seconds + 1e-9) i += 1;
  const next = Math.min(i + 1, times.length - 1);
  const t = next === i ? 0 : Math.max(0, (seconds - times[i]) / (times[next] - times[i]));
  if (t < 1e-6 || sampler.getInterpolation() === 'STEP') return at(i);
  const [a, b] = [at(i), at(next)];
  const sign = width === 4 && a.reduce((s, v, k) => s + v * b[k], 0) < 0 ? -1 : 1;
  const mixed = a.map((v, k) => v * (1 - t) + sign * b[k] * t);
  const length = width === 4 ? Math.hypot(...mixed) : 1;
  return mixed.map((v) => v / length);
}

function throughWorld(node: Node, [x, y, z]: Vec3): Vec3 {
  const m = node.getWorldMatrix();
  return [m[0] * x + m[4] * y + m[8] * z + m[12], m[1] * x + m[5] * y + m[9] * z + m[13], m[2] * x + m[6] * y + m[10] * z + m[14]];
}
