import { edges } from './edges';
import { forecastCommand } from './forecast';
import { grid } from './grid';
import { lens } from './lens';
import { lineup } from './lineup';
import { net } from './net';
import { optics } from './optics';
import { reconcileCommand } from './reconcile';
import { exportCommand } from './export';
import { handoverCommand } from './handover';
import { rig } from './rig';
import { solve } from './solve';
import { stills } from './stills';
import { sync } from './sync';
import { track } from './track';

export interface Command {
  name: string;
  usage: string;
  summary: string;
  details: string[];
  example: string;
  run(args: string[]): Promise<number>;
}

export const COMMANDS: Record<string, Command> = {
  optics,
  grid,
  edges,
  lens,
  net,
  track,
  solve,
  forecast: forecastCommand,
  stills,
  sync,
  rig,
  lineup,
  reconcile: reconcileCommand,
  export: exportCommand,
  handover: handoverCommand,
};
