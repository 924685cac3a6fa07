import type { TableKind } from './mapped-table';

const missing =
  <C extends string>(...needed: readonly C[]) =>
  (taken: ReadonlySet<C>): C[] =>
    needed.filter((c) => !taken.has(c));

export type TrackColumn = 'track' | 'frame' | 'x' | 'y' | 'weight';

/** Places of features in pictures: `track,frame,x,y[,weight]`. */
export const TRACK_TABLE: TableKind<TrackColumn> = {
  holds: 'tracks',
  columns: ['track', 'frame', 'x', 'y', 'weight'],
  words: { track: 'name of the track', frame: 'frame', x: 'x, across', y: 'y, up or down', weight: 'weight, 0 to 1' },
  aliases: {
    track: ['track', 'trackname', 'trackid', 'name', 'id', 'point', 'pointid', 'feature', 'marker', 'mark'],
    frame: ['frame', 'framenumber', 'frameno', 'fr', 'f'],
    x: ['x', 'xpx', 'px', 'u', 'posx', 'xpos', 'xpixel', 'xpixels'],
    y: ['y', 'ypx', 'py', 'v', 'posy', 'ypos', 'ypixel', 'ypixels'],
    weight: ['weight', 'confidence', 'score', 'quality'],
  },
  texts: ['track'],
  mayBeEmpty: [],
  lacking: missing('track', 'frame', 'x', 'y'),
};

const QUATERNION = ['qx', 'qy', 'qz', 'qw'] as const;
const ANGLES = ['rx', 'ry', 'rz'] as const;
export type MoveColumn = 'frame' | 'x' | 'y' | 'z' | (typeof QUATERNION)[number] | (typeof ANGLES)[number] | 'focal_mm' | 'unit' | 'up';
const axis = (of: string): string[] => [`${of}`, `t${of}`, `pos${of}`, `position${of}`, `translate${of}`, `translation${of}`, `loc${of}`, `location${of}`, `cam${of}`, `${of}m`, `${of}cm`, `${of}mm`];
const turn = (of: string): string[] => [`r${of}`, `rot${of}`, `rotate${of}`, `rotation${of}`, `r${of}deg`, `rot${of}deg`, `rotation${of}deg`, `euler${of}`];
const quaternion = (of: string): string[] => [`q${of}`, `quat${of}`, `quaternion${of}`, `orientation${of}`];

/**
 * A camera's path, a row a frame. Pan, tilt and roll are recognised by nobody but the person who knows about which axes they turn.
 * Turns are all of a quaternion, or three angles.
 */
export const MOVE_TABLE: TableKind<MoveColumn> = {
  holds: 'camera places',
  columns: ['frame', 'x', 'y', 'z', ...QUATERNION, ...ANGLES, 'focal_mm', 'unit', 'up'],
  words: {
    frame: 'frame',
    x: 'place along x',
    y: 'place along y',
    z: 'place along z',
    qx: 'quaternion, x',
    qy: 'quaternion, y',
    qz: 'quaternion, z',
    qw: 'quaternion, w (the real part)',
    rx: 'angle about x',
    ry: 'angle about y',
    rz: 'angle about z',
    focal_mm: 'focal length, mm',
    unit: 'unit of its places',
    up: 'axis that points up',
  },
  aliases: {
    frame: ['frame', 'framenumber', 'frameno', 'fr', 'f'],
    x: axis('x'),
    y: axis('y'),
    z: axis('z'),
    qx: quaternion('x'),
    qy: quaternion('y'),
    qz: quaternion('z'),
    qw: quaternion('w'),
    rx: turn('x'),
    ry: turn('y'),
    rz: turn('z'),
    focal_mm: ['focalmm', 'focal', 'focallength', 'focallengthmm', 'flmm'],
    unit: ['unit'],
    up: ['up'],
  },
  texts: ['unit', 'up'],
  mayBeEmpty: ['focal_mm'],
  lacking: (taken) => [...missing<MoveColumn>('frame', 'x', 'y', 'z')(taken), ...missing<MoveColumn>(...(ANGLES.some((a) => taken.has(a)) && !taken.has('qw') ? ANGLES : QUATERNION))(taken)],
};

export type PointColumn = 'id' | 'x' | 'y' | 'z' | 'unit' | 'up';

/** Places of a solve's points: `id,x,y,z[,unit][,up]`. */
export const POINT_TABLE: TableKind<PointColumn> = {
  holds: 'points',
  columns: ['id', 'x', 'y', 'z', 'unit', 'up'],
  words: { id: 'name of the point', x: 'place along x', y: 'place along y', z: 'place along z', unit: 'unit of its places', up: 'axis that points up' },
  aliases: { id: ['id', 'name', 'point', 'pointid', 'pointname', 'track', 'trackname', 'mark', 'marker', 'locator', 'no'], x: axis('x'), y: axis('y'), z: axis('z'), unit: ['unit'], up: ['up'] },
  texts: ['id', 'unit', 'up'],
  mayBeEmpty: [],
  lacking: missing('id', 'x', 'y', 'z'),
};

const LENS_NUMBERS = ['k1', 'k2', 'k3', 'k4', 'p1', 'p2'] as const;
export type LensColumn = 'lens' | 'focal_mm' | 'focus' | (typeof LENS_NUMBERS)[number] | 'center_x_px' | 'center_y_px';

/** Coefficients of a lens, a row a setting. What a radius of 1 is, the formula and its direction no header says. */
export const LENS_TABLE: TableKind<LensColumn> = {
  holds: 'lens settings',
  columns: ['lens', 'focal_mm', 'focus', ...LENS_NUMBERS, 'center_x_px', 'center_y_px'],
  words: {
    lens: 'lens',
    focal_mm: 'focal length as marked, mm',
    focus: 'focus distance',
    ...(Object.fromEntries(LENS_NUMBERS.map((n) => [n, n])) as Record<(typeof LENS_NUMBERS)[number], string>),
    center_x_px: 'centre, px right of the middle',
    center_y_px: 'centre, px below the middle',
  },
  aliases: {
    lens: ['lens', 'lensname', 'model', 'lensmodel'],
    focal_mm: ['focalmm', 'focal', 'focallength', 'focallengthmm', 'flmm'],
    focus: ['focus', 'focusdistance', 'focusm', 'focusft', 'focuscm', 'distance'],
    k1: ['k1', 'radial1'],
    k2: ['k2', 'radial2'],
    k3: ['k3', 'radial3'],
    k4: ['k4', 'radial4'],
    p1: ['p1', 'tangential1'],
    p2: ['p2', 'tangential2'],
    // from the corner or from the middle: nothing is guessed
    center_x_px: [],
    center_y_px: [],
  },
  texts: ['lens', 'focus'],
  mayBeEmpty: ['k2', 'k3', 'k4', 'p1', 'p2', 'center_x_px', 'center_y_px'],
  lacking: missing('focal_mm', 'k1'),
};
