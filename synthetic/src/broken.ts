const SYNTAX = '0123456789-.eE(){}[]",;:';

/** A file as it comes off a bad line: bytes turned over, replaced by what the syntax is made of, copied about; with `cut`, also cut off. */
export function brokenBytes(bytes: Uint8Array, u: () => number, cut: boolean): Uint8Array {
  const b = bytes.slice(0, cut ? Math.floor(u() * bytes.length) : bytes.length);
  for (let hits = Math.floor(1 + 6 * u()); hits > 0 && b.length > 0; hits -= 1) {
    const at = Math.floor(u() * b.length);
    const how = u();
    if (how < 0.4) b[at] = Math.floor(256 * u());
    else if (how < 0.7) b[at] = SYNTAX.charCodeAt(Math.floor(u() * SYNTAX.length));
    else {
      const length = Math.min(40, b.length);
      const from = Math.floor(u() * (b.length - length));
      b.copyWithin(Math.min(at, b.length - length), from, from + length);
    }
  }
  return b;
}
