import { parse, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const handoverCommand: Command = {
  name: 'handover',
  usage: 'handover DAY.zip --verify',
  summary: 'Checks a handover: every file there, unchanged, readable, and in agreement with the others.',
  details: [
    '--verify  is what this command does; nothing is written.',
    'The JSON has a line a file: good, changed (other bytes than left), missing, unlisted, or wrong (it does not hold together), with the reason.',
    'Exit 1 when any file is not good.',
  ],
  example: 'mesure handover 2026-01-12-Day-3-handover.zip --verify',
  async run(args) {
    const { values, positionals } = parse(args, { verify: { type: 'boolean' } });
    if (positionals.length !== 1) throw new UsageError('give one handover');
    if (!values.verify) throw new UsageError('say what to do with it: --verify');
    const { checkHandover } = await import('@mesure/formats/handover');
    const { openZip } = await import('@mesure/formats/zip');
    const zip = await openZip(positionals[0]).catch((error: NodeJS.ErrnoException) => {
      throw new UsageError(`${positionals[0]}: ${error.code === 'ENOENT' ? 'there is no such file' : `is no zip that can be read (${error.message})`}`);
    });
    try {
      const files = await checkHandover(zip.entries);
      const good = files.filter((f) => f.status === 'good').length;
      writeJson({ good, notGood: files.length - good, files });
      return good === files.length ? 0 : 1;
    } finally {
      zip.close();
    }
  },
};
