import { mulMatVec, quatToMat, type SolveResult } from '@mesure/core';

/** What the still camera is called among the points. */
export const CAMERA_POINT = 'camera';

/**
 * A solve of an object as it went before the camera, for the drawings of a path: its way takes the place of the camera's, and its points stand where
 * they were in the middle frame, the camera among them. Null where it has no way.
 */
export function objectSeen(solve: SolveResult): SolveResult | null {
  const { object } = solve;
  if (!object || object.length === 0) return null;
  const middle = object[Math.floor(object.length / 2)];
  const turn = quatToMat(middle.rotation);
  const byFrame = new Map(object.map((o) => [o.frame, o]));
  const camera = cameraOf(solve);
  return {
    ...solve,
    frames: solve.frames.flatMap((f) => {
      const o = byFrame.get(f.frame);
      return o ? [{ ...f, position: o.position, rotation: o.rotation }] : [];
    }),
    points: [
      ...solve.points.map((q) => {
        const at = mulMatVec(turn, q.position);
        return { ...q, position: [at[0] + middle.position[0], at[1] + middle.position[1], at[2] + middle.position[2]] as typeof q.position };
      }),
      ...(camera ? [{ track: CAMERA_POINT, position: camera, sigmaM: null, rmsPx: 0, observations: 0 } as unknown as SolveResult['points'][number]] : []),
    ],
  };
}

/** Where the still camera stands in the set: it is the same for every frame. */
function cameraOf({ object, frames }: SolveResult): SolveResult['points'][number]['position'] | null {
  const o = object![0];
  const f = frames.find((q) => q.frame === o.frame);
  if (!f) return null;
  const at = mulMatVec(quatToMat(o.rotation), f.position);
  return [at[0] + o.position[0], at[1] + o.position[1], at[2] + o.position[2]];
}
