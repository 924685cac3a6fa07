import { ROLES, type Role } from '@mesure/contract';
import { existsSync, readFileSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { startCluster } from '../../../scripts/cluster.mjs';
import { connect, type Database } from '../db/connect';
import { migrate } from '../db/migrate';
import { readStorage } from '../config';
import { storeOf } from '../files/storage';
import { ApiProblem } from '../http/problem';
import { backup, BackupError, restore, verifyBackup } from './archive';
import { findOrphans } from './orphans';
import { addPerson, AdminError, beginLink, listPeople, listProductions, passwordLink, personData, removeForGood, removePerson, secondStepOff, signOutEverywhere } from './people';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const dataDir = path.resolve(process.env.MESURE_DATA_DIR ?? path.join(root, '.data'));
const openStore = () => storeOf(readStorage(process.env, dataDir));
const HELP = `bin/admin keeps people, productions and backups of the installation in ${dataDir}.

  productions                          all productions, with how many people and records each has
  people                               all people, with their productions and roles
  add-person NAME PRODUCTION ROLE      a link by which a person joins; ROLE is one of ${ROLES.join(', ')}
  password-link NAME                   a link by which a person sets a new password
  sign-out NAME                        ends every session of a person
  second-step-off NAME                 for who has lost authenticator and recovery codes: the password is enough again
  remove-person NAME [PRODUCTION]      out of one production, or out of all; what was entered keeps the name
  person-data NAME                     all that is kept of a person, as JSON
  forget-person NAME                   for good: entries stay, told as of “a former member”; older backups still have the name
  begin-link                           the first link again, while nobody has begun
  space                                room that the files of each production take, and files that belong to none
  tidy                                 removes files that belong to no production and are older than a day
  backup FILE.zip                      database and files, with checksums; the server may run meanwhile
  verify FILE.zip                      every checksum of a backup
  restore FILE.zip                     into an empty installation

PRODUCTION is its name or its id. With MESURE_DATABASE_URL it works on that database, else on the cluster beside the data.
`;

const [command, ...args] = process.argv.slice(2);
const out = (value: unknown): void => void process.stdout.write(`${typeof value === 'string' ? value : JSON.stringify(value, null, 2)}\n`);
const need = (n: number, what: string) => {
  if (args.length < n) throw new AdminError(`bin/admin ${command} wants ${what}. --help lists all.`);
};
/** As the running server says it, else a place to put the address in front. */
const address = (): string => {
  try {
    return (JSON.parse(readFileSync(path.join(dataDir, 'running.json'), 'utf8')) as { address: string | null }).address ?? 'https://…';
  } catch {
    return 'https://…';
  }
};

const COMMANDS: Record<string, (db: Database) => Promise<void>> = {
  productions: async (db) => out(await listProductions(db)),
  people: async (db) => out(await listPeople(db)),
  async 'add-person'(db) {
    need(3, 'a name, a production and a role');
    out(`${address()}/join#${await addPerson(db, args[0], args[1], args[2] as Role)}`);
  },
  async 'password-link'(db) {
    need(1, 'a name');
    out(`${address()}/password#${await passwordLink(db, args[0])}`);
  },
  async 'sign-out'(db) {
    need(1, 'a name');
    out(`${await signOutEverywhere(db, args[0])} sessions ended.`);
  },
  async 'second-step-off'(db) {
    need(1, 'a name');
    out(await secondStepOff(db, args[0]));
  },
  async 'remove-person'(db) {
    need(1, 'a name');
    out(await removePerson(db, args[0], args[1]));
  },
  async 'person-data'(db) {
    need(1, 'a name');
    out(await personData(db, args[0]));
  },
  async 'forget-person'(db) {
    need(1, 'a name');
    await removeForGood(db, args[0]);
    out(`${args[0]} is gone for good. Entries are told as of a former member; backups made before still have the name.`);
  },
  'begin-link': async (db) => out(`${address()}/begin#${await beginLink(db)}`),
  async space(db) {
    const productions = await db.Production.findAll({ order: [['name', 'ASC']] });
    const used = await Promise.all(productions.map(async (p) => ({ production: p.name, bytes: Number(await db.StoredFile.sum('sizeBytes', { where: { productionId: p.id } })) || 0 })));
    const { files, bytes } = await findOrphans(db, openStore());
    out({ productions: used, orphans: { files: files.length, bytes } });
  },
  async tidy(db) {
    const store = openStore();
    const { files, bytes } = await findOrphans(db, store);
    for (const sha256 of files) await store.remove(sha256);
    out(`${files.length} files of no production removed, ${(bytes / 1e6).toFixed(1)} MB.`);
  },
  async backup(db) {
    need(1, 'a file');
    const m = await backup(db, openStore(), path.resolve(args[0]), (text) => process.stderr.write(`${text}\n`));
    out(`${args[0]}: ${m.tables.map((t) => `${t.rows} ${t.name}`).join(', ')}, ${m.files.length} files.`);
  },
  async restore(db) {
    need(1, 'a file');
    const incoming = path.join(dataDir, 'incoming');
    await mkdir(incoming, { recursive: true });
    const m = await restore(db, openStore(), path.resolve(args[0]), incoming);
    out(`Restored from ${m.madeAt}: ${m.tables.map((t) => `${t.rows} ${t.name}`).join(', ')}, ${m.files.length} files. Phones are asked what only they hold.`);
  },
};

/** The database, and what ends it again when it was started for this command only. */
async function openDatabase(): Promise<{ db: Database; stop: () => void }> {
  const url = process.env.MESURE_DATABASE_URL;
  if (url) return { db: connect(url), stop: () => undefined };
  const running = path.join(dataDir, 'database.json');
  if (existsSync(running)) {
    const db = connect((JSON.parse(readFileSync(running, 'utf8')) as { url: string }).url);
    const there = await db.sequelize.authenticate().then(
      () => true,
      () => false,
    );
    if (there) return { db, stop: () => undefined };
    await db.sequelize.close();
  }
  const cluster = await startCluster(path.join(dataDir, 'postgres'));
  return { db: connect(cluster.url), stop: cluster.stop };
}

if (!command || command === '--help' || command === 'help') {
  process.stdout.write(HELP);
  process.exit(command ? 0 : 2);
}
let stop: () => void = () => undefined;
try {
  if (command === 'verify') {
    need(1, 'a file');
    const m = await verifyBackup(path.resolve(args[0]));
    out(`${args[0]} is whole: made ${m.madeAt}, ${m.tables.reduce((s, t) => s + t.rows, 0)} rows, ${m.files.length} files.`);
  } else {
    const run = COMMANDS[command];
    if (!run) throw new AdminError(`bin/admin: ${command} is not known. --help lists all.`);
    const opened = await openDatabase();
    stop = opened.stop;
    await migrate(opened.db.sequelize);
    await run(opened.db);
    await opened.db.sequelize.close();
  }
  stop();
} catch (error) {
  stop();
  if (!(error instanceof AdminError || error instanceof BackupError || error instanceof ApiProblem)) throw error;
  process.stderr.write(`${error.message}\n`);
  process.exit(2);
}
