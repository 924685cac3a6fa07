import type { ServerConfig } from '../config';
import type { Database } from '../db/connect';
import type { Route } from '../http/route';
import { stateOf } from './state';

export const watchRoutes = (db: Database, config: Pick<ServerConfig, 'dataDir' | 'space'>): Route[] => [
  {
    method: 'get',
    path: '/server',
    access: 'people',
    what: 'How the machine is: its queue, disk, last backup and faults, counted over all films.',
    handle: async (_req, res) => res.json(await stateOf(db, config.dataDir, config.space.reserveBytes)),
  },
];
