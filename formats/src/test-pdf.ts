import { inflateSync } from 'node:zlib';

/** All streams of a PDF that are packed, unpacked. */
export function streamsOf(pdf: Uint8Array): string[] {
  const raw = Buffer.from(pdf);
  const out: string[] = [];
  for (let at = raw.indexOf('stream\n'); at >= 0; at = raw.indexOf('stream\n', at + 7)) {
    try {
      out.push(inflateSync(raw.subarray(at + 7)).toString('latin1'));
    } catch {
      // not a packed stream
    }
  }
  return out;
}

/**
 * The words of a PDF as a reader finds them: each text order through its font's table from glyphs to letters. Fonts of one document that give one
 * glyph two meanings cannot be told apart here, so a text is given once for each font.
 */
export function wordsOf(pdf: Uint8Array): string[] {
  const streams = streamsOf(pdf);
  const tables = streams
    .filter((s) => s.includes('beginbfchar'))
    .map((s) => new Map([...s.matchAll(/<([0-9A-Fa-f]+)>\s+<([0-9A-Fa-f]+)>/g)].map((m) => [m[1].toUpperCase(), String.fromCharCode(...(m[2].match(/.{4}/g) ?? []).map((h) => parseInt(h, 16)))])));
  return streams.flatMap((s) => [...s.matchAll(/<([0-9A-Fa-f]+)> Tj/g)].flatMap((m) => tables.map((t) => (m[1].match(/.{4}/g) ?? []).map((g) => t.get(g.toUpperCase()) ?? '').join(''))));
}
