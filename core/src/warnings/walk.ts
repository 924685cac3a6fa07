import { tableOf } from './warning';

/** Of pictures of a walk that are placed together. */
export const WALK = tableOf({
  WALK_PLACES_LEFT: (left: number, of: number) =>
    `${left} of ${of} places do not lie where the pictures say together, and were left out: something moved between the pictures, or two things look alike.`,
  WALK_FOCAL_NOT_TOLD: (share: number) =>
    `These pictures do not tell the focal length, as those of one flat thing seen square-on, or fewer than five, never do: it was taken as recorded, ± ${(100 * share).toFixed(0)} %. One picture more from a slant would tell it.`,
  WALK_LENS_BENDS: (k1: number, sigma: number) => `The lens bends (k1 ${k1.toFixed(3)} ± ${sigma.toFixed(3)}): its distortion was found with the rest.`,
  WALK_BY_STATIONS: (sigmaPct: number) =>
    `What a metre is comes from where the pictures were to be taken, ± ${sigmaPct.toFixed(1)} %. Point out two taped marks, each in two pictures, and it is measured.`,
  WALK_WITHOUT_METRE: () => 'Nothing says what a metre is: the places are in units of their own. Point out two taped marks, each in two pictures.',
  WALK_LOOSE: (px: number) =>
    `Places miss by ${px.toFixed(1)} px, more than twice what pictures laid over each other do: the lens bends and was taken as straight, or the world is bent somewhere. Look at it before anything is measured in it.`,
  WALK_TURNS: () => 'The camera only turned: the pictures say which way each looked and how long the lens is, and no place. Take some from a few steps aside.',
  STILL_OFF_STATION: (name: string, m: number) => `${name} was taken ${m.toFixed(2)} m from its station; the size of the whole does not count on it.`,
});
