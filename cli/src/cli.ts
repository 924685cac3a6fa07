import { main } from './main';

main(process.argv.slice(2)).then(
  (code) => {
    process.exitCode = code;
  },
  (error: unknown) => {
    process.stderr.write(`mesure: this should not have happened. ${error instanceof Error ? error.stack : String(error)}\n`);
    process.exitCode = 70;
  },
);
