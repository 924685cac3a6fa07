import type { Command } from './commands';

export function overview(commands: readonly Command[]): string {
  const width = Math.max(...commands.map((c) => c.name.length));
  return [
    'mesure: lens grids, test solves and their check against the record, on files.',
    '',
    ...commands.map((c) => `  ${c.name.padEnd(width)}  ${c.summary}`),
    '',
    'mesure help COMMAND explains one. JSON goes to standard output, progress to standard error.',
    'Exit 0: done. 1: done, but the result is unusable (the JSON says why). 2: bad input.',
    '',
  ].join('\n');
}

export function helpFor(c: Command): string {
  return [`mesure ${c.usage}`, '', c.summary, '', ...c.details, '', 'Example', `  ${c.example}`, ''].join('\n');
}
