import { mulMat3, mulMatTVec, type Vec3 } from '../math';
import { toCameraOf, type CameraMoment, type WitnessCamera } from '../setup';

/**
 * The witness camera at a moment of the main camera's move. A rigid one is carried along: its offset is right, up and forward in the main
 * camera's own axes, and its turning comes on top of the main camera's.
 */
export function witnessMoment(camera: WitnessCamera, main: CameraMoment): CameraMoment {
  const p = camera.placement;
  if (p.way === 'free') return { ...main, position: [p.xM, p.heightM, p.zM], toCamera: toCameraOf(p.headingRad, p.tiltRad, 0), focalMm: camera.focalMm, headingRad: p.headingRad, tiltRad: p.tiltRad };
  // picture axes run right, down, forward
  const offset = mulMatTVec(main.toCamera, [p.rightM, -p.upM, p.forwardM]);
  const position: Vec3 = [main.position[0] + offset[0], main.position[1] + offset[1], main.position[2] + offset[2]];
  // world → main → witness: toCameraOf(turn, tilt) speaks of a camera whose main looks along −Z, so that the axes are exchanged on the way
  const turned = toCameraOf(p.turnRad, p.tiltRad, 0);
  const own = [turned[0], -turned[1], -turned[2], turned[3], -turned[4], -turned[5], turned[6], -turned[7], -turned[8]] as const;
  const toCamera = mulMat3([...own], main.toCamera);
  const [fx, fy, fz] = [toCamera[6], toCamera[7], toCamera[8]];
  return { ...main, position, toCamera, focalMm: camera.focalMm, headingRad: Math.atan2(-fx, -fz), tiltRad: Math.asin(Math.max(-1, Math.min(1, fy))) };
}
