import type { BookEstimate, GridDistortion, SolveSetup } from '@mesure/core';
import type { Knowledge } from './kinds/shared';
import type { MountedPackage, Motion } from './recorded-setup';

/** What is known when a setup is made. */
export interface TickContext {
  mounted: MountedPackage;
  /** as a plate or the lens book has the lens; null: no plate is there */
  plate: BookEstimate['distortion'] | GridDistortion | null;
  /** a plate or marked edges tell how it bends */
  bendKnown: boolean;
  zooms: boolean;
}

/** Something of a test solve that is on or off, beside focal length, what moved, and trim. */
interface SolveTick {
  title: string;
  detail(mounted: MountedPackage): string;
  /** for the list of the next solve; one that is not in it has a place of its own where it matters */
  offered(mounted: MountedPackage, zooms: boolean): boolean;
  /** as it is where nobody says */
  usual(mounted: MountedPackage): boolean;
  /** what it makes of the setup of a solve */
  setup(context: TickContext): Partial<SolveSetup>;
  /** and where somebody said no to what is usual */
  without?(mounted: MountedPackage): Partial<SolveSetup>;
  /** was it on in the setup that was solved? undefined: nobody said, and what is usual may be another thing by now */
  asked(setup: SolveSetup): boolean | undefined;
}

const KNOWN: Record<Knowledge, string> = { measured: 'measured', stated: 'as its maker states', unknown: 'from nobody knows where' };

/** A plate tells its own centre; at another setting of the lens it wanders by a few pixels. */
const LEAST_CENTRE_SIGMA_PX = 3;
function centreKnown(plate: TickContext['plate']): NonNullable<SolveSetup['principalPoint']> {
  const sigma = plate && 'sigma' in plate ? plate.sigma.center : undefined;
  if (!Array.isArray(sigma) || !sigma.every(Number.isFinite)) return { mode: 'free' };
  return { mode: 'guided', sigmaPx: Math.max(LEAST_CENTRE_SIGMA_PX, ...sigma) };
}

/** What somebody may choose when he starts a computation. */
export interface AnalysisChoice extends SolveTicks {
  focalMode?: 'held' | 'guided' | 'free';
  /** package of a witness camera that was fixed to the main one, and is solved with it */
  withWitness?: string;
  motion?: Motion;
  trim?: boolean;
  mapFormat?: 'exr' | 'tiff';
}

/** A further one is one entry here: the wire, the setup, what a stored solve was asked for, and the list on the screen come from it. */
export const SOLVE_TICKS = {
  findDistortion: {
    title: 'Find the distortion too',
    detail: () => 'Where no plate says how the lens bends.',
    offered: () => false,
    usual: () => false,
    setup: ({ bendKnown }) => (bendKnown ? {} : { distortion: { mode: 'free' } }),
    asked: (setup) => setup.distortion?.mode === 'free',
  },
  readoutOut: {
    title: 'Take the readout skew out',
    detail: ({ mode }) =>
      `The rows of ${mode.name} are read one after the other in ${mode.readoutMs} ms (${KNOWN[mode.readoutSource ?? 'unknown']}): in a pan uprights lean, and a turn looks like a move.`,
    offered: ({ mode }) => Boolean(mode.readoutMs),
    usual: ({ mode }) => Boolean(mode.readoutMs),
    setup: ({ mounted }) => (mounted.mode.readoutMs ? { readout: { ms: mounted.mode.readoutMs } } : {}),
    without: ({ mode }) => (mode.readoutMs ? { readout: null } : {}),
    asked: ({ readout }) => (readout === undefined ? undefined : readout !== null),
  },
  findCentre: {
    title: 'Find the principal point too',
    detail: () => 'Where the lens does not sit over the middle of the picture, or the picture was cropped or moved after it. The camera must roll a little during the take.',
    offered: (_mounted, zooms) => !zooms,
    usual: () => false,
    setup: ({ plate, zooms }) => (zooms ? {} : { principalPoint: centreKnown(plate) }),
    asked: (setup) => setup.principalPoint !== undefined,
  },
  findSqueeze: {
    title: 'Find the squeeze too',
    detail: () => 'Near focus many anamorphic lenses squeeze less than is marked.',
    offered: ({ lens }) => lens.squeeze !== 1,
    usual: () => false,
    setup: () => ({ squeezeFit: { mode: 'free' } }),
    asked: (setup) => setup.squeezeFit !== undefined,
  },
} as const satisfies Record<string, SolveTick>;

export type SolveTickName = keyof typeof SOLVE_TICKS;
export type SolveTicks = { [name in SolveTickName]?: boolean };
export const SOLVE_TICK_NAMES = Object.keys(SOLVE_TICKS) as SolveTickName[];

const each = <T>(of: (tick: SolveTick, name: SolveTickName) => T): Record<SolveTickName, T> =>
  Object.fromEntries(SOLVE_TICK_NAMES.map((name) => [name, of(SOLVE_TICKS[name], name)])) as Record<SolveTickName, T>;

/** As they were in a solve that is there. */
export const ticksAsked = (setup: SolveSetup): SolveTicks => each((tick) => tick.asked(setup));
/** What somebody said, and what is usual for this camera where he said nothing. */
export const ticksOr = (said: SolveTicks, mounted: MountedPackage): Record<SolveTickName, boolean> => each((tick, name) => said[name] ?? tick.usual(mounted));
/** Those that are otherwise than usual: only they need a word. */
export const ticksUnusual = (ticks: SolveTicks, mounted: MountedPackage): SolveTicks => {
  const usual = ticksOr({}, mounted);
  return Object.fromEntries(SOLVE_TICK_NAMES.filter((name) => ticks[name] !== undefined && ticks[name] !== usual[name]).map((name) => [name, ticks[name]]));
};
/** What they make of a setup. */
export const ticked = (ticks: SolveTicks, context: TickContext): Partial<SolveSetup> =>
  Object.assign({}, ...SOLVE_TICK_NAMES.map((name) => made(SOLVE_TICKS[name], ticks[name], context))) as Partial<SolveSetup>;
const made = (tick: SolveTick, on: boolean | undefined, context: TickContext): Partial<SolveSetup> => (on ? tick.setup(context) : on === false ? (tick.without?.(context.mounted) ?? {}) : {});
