import { FormatError, textOf, warningsApart } from '@mesure/formats';
import { readFileSync, statSync, writeFileSync } from 'node:fs';
import { parseArgs, type ParseArgsConfig } from 'node:util';
import { UsageError } from './usage-error';

/** Text of a file, or of standard input for `-`. */
export function readText(file: string): string {
  try {
    return textOf(readBytes(file), file);
  } catch (cause) {
    if (cause instanceof FormatError) throw new UsageError(cause.message);
    throw cause;
  }
}

export function readBytes(file: string): Buffer {
  try {
    return readFileSync(file === '-' ? 0 : file);
  } catch (cause) {
    const code = (cause as NodeJS.ErrnoException).code;
    throw new UsageError(`${file}: ${code === 'ENOENT' ? 'there is no such file' : code === 'EISDIR' ? 'is a folder' : `cannot be read (${code})`}`);
  }
}

/** For what is read by another program, which would not say it in our words. */
export function mustBeFile(file: string): void {
  const there = statSync(file, { throwIfNoEntry: false });
  if (!there?.isFile()) throw new UsageError(`${file}: ${there ? 'is no file' : 'there is no such file'}`);
}

export const writeText = (file: string, text: string): void => writeBytes(file, text);

export function writeBytes(file: string, bytes: Uint8Array | string): void {
  try {
    writeFileSync(file, bytes);
  } catch (cause) {
    throw new UsageError(`${file}: cannot be written (${(cause as NodeJS.ErrnoException).code})`);
  }
}

export function writeJson(value: unknown): void {
  process.stdout.write(`${JSON.stringify(value, (_key, v: unknown) => warningsApart(v), 2)}\n`);
}

export function parse<T extends NonNullable<ParseArgsConfig['options']>>(args: string[], options: T) {
  try {
    return parseArgs({ args, options, allowPositionals: true, strict: true });
  } catch (cause) {
    throw new UsageError((cause as Error).message);
  }
}

/** The one value of a required option. */
export function required(value: string | undefined, name: string): string {
  if (value === undefined) throw new UsageError(`--${name} is required`);
  return value;
}

/** A bar on a terminal, plain lines otherwise, both on standard error. */
export function progressReporter(): (stage: string, fraction: number) => void {
  let last = '';
  return (stage, fraction) => {
    if (process.stderr.isTTY) {
      const filled = Math.round(24 * Math.min(1, fraction));
      process.stderr.write(`\r${'█'.repeat(filled)}${'░'.repeat(24 - filled)} ${stage.padEnd(28)}${fraction >= 1 ? '\n' : ''}`);
    } else if (stage !== last) {
      last = stage;
      process.stderr.write(`${stage}\n`);
    }
  };
}
