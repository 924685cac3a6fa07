import { normals } from '@mesure/synthetic';
import { jettyCrane } from './shots';

type Vec = readonly [number, number, number];
const FIRST = 1001;

/** The jetty's crane as a solver at post would send it: USD text in centimetres with Z up, frames from 1001, in a world of its own. */
export function jettyMoveUsda(): string {
  const { shot, set, trueFocalMm, sensorWidthMm } = jettyCrane();
  const g = normals(71);
  const [cos, sin] = [Math.cos(0.6), Math.sin(0.6)];
  /** metres with Y up into its world: turned about the upright, moved, Z up, centimetres */
  const turned = ([x, y, z]: Vec): Vec => [cos * x + sin * z, sin * x - cos * z, y];
  const place = (p: Vec): Vec => turned(p).map((v, k) => 100 * v + [340, -120, 0][k]) as unknown as Vec;
  const tuple = (v: readonly number[]) => `(${v.map((c) => c.toFixed(5)).join(', ')})`;
  const matrix = (c: (typeof shot.cameras)[number]): string => {
    const rows = [c.right, c.down.map((v) => -v) as unknown as Vec, c.forward.map((v) => -v) as unknown as Vec].map((axis) => tuple([...turned(axis), 0]));
    return `(${[...rows, tuple([...place(c.position), 1])].join(', ')})`;
  };
  const points = [...set.marks, ...set.features].map((p) => ({ id: p.id, at: place(p.at).map((v) => v + 0.15 * g()) }));
  return `#usda 1.0
(
    metersPerUnit = 0.01
    upAxis = "Z"
    timeCodesPerSecond = 24
    startTimeCode = ${FIRST}
    endTimeCode = ${FIRST + shot.cameras.length - 1}
)

def Xform "solve"
{
    def Camera "camera"
    {
        float focalLength = ${trueFocalMm}
        float horizontalAperture = ${sensorWidthMm}
        matrix4d xformOp:transform.timeSamples = {
${shot.cameras.map((c) => `            ${FIRST - 1 + c.frame}: ${matrix(c)},`).join('\n')}
        }
        uniform token[] xformOpOrder = ["xformOp:transform"]
    }

    def Points "cloud"
    {
        point3f[] points = [${points.map((p) => tuple(p.at)).join(', ')}]
        string[] primvars:names = [${points.map((p) => `"${p.id}"`).join(', ')}]
    }
}
`;
}
