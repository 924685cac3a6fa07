import { CoreError } from '@mesure/core';
import { FormatError } from '@mesure/formats';
import { COMMANDS } from './commands';
import { helpFor, overview } from './help';
import { UsageError } from './usage-error';

/** Exit codes of the command line: 0 done, 1 done but unusable, 2 bad input. */
export async function main(argv: readonly string[]): Promise<number> {
  const [name, ...rest] = argv;
  if (name === undefined || name === 'help' || name === '--help' || name === '-h') {
    const about = rest[0];
    if (about !== undefined && !COMMANDS[about]) {
      process.stderr.write(`mesure: there is no command "${about}"\n`);
      return 2;
    }
    process.stdout.write(about ? helpFor(COMMANDS[about]) : overview(Object.values(COMMANDS)));
    return 0;
  }
  const command = COMMANDS[name];
  if (!command) {
    process.stderr.write(`mesure: there is no command "${name}"; see mesure help\n`);
    return 2;
  }
  if (rest.includes('--help')) {
    process.stdout.write(helpFor(command));
    return 0;
  }
  try {
    return await command.run(rest);
  } catch (error) {
    if (error instanceof FormatError || error instanceof UsageError) {
      process.stderr.write(`mesure ${name}: ${error.message}\n`);
      return 2;
    }
    if (error instanceof CoreError) {
      process.stderr.write(`mesure ${name}: ${error.field ? `${error.field}: ` : ''}${error.message}\n`);
      return 2;
    }
    throw error;
  }
}
