import { expSO3, mulMat3, type Mat3, type TurnOrder } from '@mesure/core';

const DEG = Math.PI / 180;
export const turnAbout = (axis: 'X' | 'Y' | 'Z', degrees: number): Mat3 => expSO3([axis === 'X' ? degrees * DEG : 0, axis === 'Y' ? degrees * DEG : 0, axis === 'Z' ? degrees * DEG : 0]);

/** XYZ: about X first, then Y, then Z, each about the axes of the world around it. */
export function turnsInOrder(order: TurnOrder, degrees: { X: number; Y: number; Z: number }): Mat3 {
  const [first, second, third] = [...order] as ('X' | 'Y' | 'Z')[];
  return mulMat3(turnAbout(third, degrees[third]), mulMat3(turnAbout(second, degrees[second]), turnAbout(first, degrees[first])));
}
