import { isIP } from 'node:net';
import { parseArgs } from 'node:util';
import { isLoopback } from '../config';

export interface ServeOptions {
  host: string;
  /** 0: a free one */
  port: number;
  workers: number;
  /** own: a certificate made here; files: given; off: none, on loopback or behind a proxy */
  tls: 'own' | 'files' | 'off';
  tlsCert: string | null;
  tlsKey: string | null;
  behindProxy: boolean;
  /** under which phones find it beside this machine's own names and addresses: in a container, behind a proxy, with a name of the set's DNS */
  names: string[];
  demo: boolean;
  fresh: boolean;
}

const NAME = /^(?=.{1,253}$)[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$/;

export const SERVE_HELP = `bin/serve starts Mesure: its database, one web process and its workers, and keeps them running.

  --host ADDRESS        where to listen; 0.0.0.0 (all) unless said, 127.0.0.1 for this machine only
  --port N              4180 unless said; 0 takes a free one
  --workers N           processes that compute; 1 unless said
  --tls-cert FILE --tls-key FILE
                        a certificate of your own, PEM
  --behind-proxy        a proxy before it ends TLS and sets X-Forwarded-For and -Proto
  --name NAME           a name or address under which phones reach it beside the machine's own (a container's host, a
                        proxy, a name of the set's DNS); may be said more than once; MESURE_NAMES, with spaces
  --tls own|off         own: a certificate made here, also on loopback; off: none, on loopback only
  --help                this

Without any of them it listens to the set's network with a certificate that it makes itself, and shows how a phone learns to trust it.
Where the data is: MESURE_DATA_DIR (.data beside the program). A database elsewhere: MESURE_DATABASE_URL.
docs/running.md explains the rest.
`;

export class OptionError extends Error {}

/** What was asked for, or a sentence that says what is wrong with it. */
export function readOptions(args: readonly string[], env: NodeJS.ProcessEnv = {}): ServeOptions {
  let values;
  try {
    ({ values } = parseArgs({
      args: [...args],
      options: {
        host: { type: 'string' },
        port: { type: 'string' },
        workers: { type: 'string' },
        tls: { type: 'string' },
        'tls-cert': { type: 'string' },
        'tls-key': { type: 'string' },
        'behind-proxy': { type: 'boolean' },
        name: { type: 'string', multiple: true },
        demo: { type: 'boolean' },
        fresh: { type: 'boolean' },
      },
    }));
  } catch (error) {
    throw new OptionError(`${error instanceof Error ? error.message.replace(/\. .*$/s, '') : error}. --help lists what is known.`);
  }
  const whole = (name: string, text: string | undefined, usual: number, most: number): number => {
    if (text === undefined) return usual;
    if (!/^\d+$/.test(text) || Number(text) > most) throw new OptionError(`--${name} ${text}: a whole number up to ${most} is wanted.`);
    return Number(text);
  };
  const demo = values.demo === true;
  const host = values.host ?? env.MESURE_HOST ?? (demo ? '127.0.0.1' : '0.0.0.0');
  const [tlsCert, tlsKey] = [values['tls-cert'] ?? null, values['tls-key'] ?? null];
  if ((tlsCert === null) !== (tlsKey === null)) throw new OptionError('--tls-cert and --tls-key go together.');
  const behindProxy = values['behind-proxy'] === true;
  if (values.tls !== undefined && !['own', 'off'].includes(values.tls)) throw new OptionError(`--tls ${values.tls}: own or off is wanted.`);
  if (values.tls === 'off' && tlsCert) throw new OptionError('--tls off and --tls-cert contradict each other.');
  if (values.fresh && !demo) throw new OptionError('--fresh belongs to bin/demo: a real installation is never thrown away.');
  const usual = behindProxy || isLoopback(host) ? 'off' : 'own';
  const tls = tlsCert ? 'files' : ((values.tls as 'own' | 'off' | undefined) ?? usual);
  if (tls === 'off' && !behindProxy && !isLoopback(host))
    throw new OptionError(
      `Without TLS it listens on this machine only: passwords would cross the network in the clear, and phones keep nothing without it. Say --host 127.0.0.1, --behind-proxy, or leave --tls off out.`,
    );
  const names = [...(values.name ?? []), ...(env.MESURE_NAMES ?? '').split(/[\s,]+/)].map((n) => n.trim().toLowerCase()).filter(Boolean);
  const wrong = names.find((n) => !isIP(n) && !NAME.test(n));
  if (wrong !== undefined) throw new OptionError(`--name ${wrong}: a name or an address is wanted, such as film.set or 192.168.7.4, without https:// and port.`);
  return {
    host,
    port: whole('port', values.port ?? env.MESURE_PORT, demo ? 0 : 4180, 65_535),
    workers: whole('workers', values.workers, 1, 64),
    tls,
    tlsCert,
    tlsKey,
    behindProxy,
    names: [...new Set(names)],
    demo,
    fresh: values.fresh === true,
  };
}
