import { FormatError } from '../format-error';

export type UsdValue = number | string | UsdValue[];
/** A prim of a USD text file with what stands in it; of an attribute its value, or its values by time code. */
export interface Prim {
  type: string;
  name: string;
  attributes: Map<string, { value: UsdValue | null; samples: [number, UsdValue][] | null }>;
  children: Prim[];
}
export interface UsdText {
  metadata: Map<string, UsdValue>;
  prims: Prim[];
}

/** Deeper than any scene; a file that nests further is broken. */
const DEEPEST = 200;
const TOKEN =
  /\s+|#[^\n]*|"""[^]*?"""|'''[^]*?'''|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|@[^@\n]*@|<[^>\n]*>|[-+]?(?:\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?|inf|nan)(?![\w.])|[A-Za-z_][\w:.[\]]*|[()[\]{}=,;:]/gy;

interface Token {
  text: string;
  line: number;
}

function tokensOf(text: string, file: string): Token[] {
  const tokens: Token[] = [];
  let line = 1;
  TOKEN.lastIndex = 0;
  while (TOKEN.lastIndex < text.length) {
    const at = TOKEN.lastIndex;
    const [found] = TOKEN.exec(text) ?? [];
    if (found === undefined) throw new FormatError(file, line, null, `"${text.slice(at, at + 12).trim()}" is not USD text`);
    if (!/^[\s#]/.test(found)) tokens.push({ text: found, line });
    for (let i = found.indexOf('\n'); i >= 0; i = found.indexOf('\n', i + 1)) line += 1;
  }
  return tokens;
}

/**
 * The prims of a USD text file: types, names, attributes with values and time samples, nested as they are. Relationships, connections, variants and what
 * other files hold are passed over.
 * Source  OpenUSD, the text file format (usda 1.0).
 * @throws FormatError with file and line
 */
export function parseUsda(text: string, file: string): UsdText {
  const tokens = tokensOf(text, file);
  let at = 0;
  const fail = (words: string): never => {
    throw new FormatError(file, tokens[Math.min(at, tokens.length - 1)]?.line ?? 1, null, words);
  };
  const peek = (): string | undefined => tokens[at]?.text;
  const take = (): string => (tokens[at] ? tokens[at++].text : fail('ends too early'));
  const expect = (text: string) => (take() === text ? undefined : ((at -= 1), fail(`"${text}" was expected, and "${peek() ?? 'the end'}" stands there`)));

  function value(depth = 0): UsdValue {
    if (depth > DEEPEST) fail('is nested too deeply');
    const token = take();
    if (token === '(' || token === '[') {
      const list: UsdValue[] = [];
      const close = token === '(' ? ')' : ']';
      while (peek() !== close) {
        list.push(value(depth + 1));
        if (peek() === ',') take();
        else if (peek() !== close) fail(`"," or "${close}" was expected`);
      }
      take();
      return list;
    }
    if (token === '{') {
      skipTo('}');
      return '';
    }
    if (/^["']/.test(token)) return unquoted(token);
    const number = Number(token);
    return Number.isFinite(number) ? number : token;
  }
  /** Past the bracket that closes, whatever stands before it. */
  function skipTo(close: string): void {
    let depth = 1;
    const open = { ')': '(', '}': '{', ']': '[' }[close];
    while (depth > 0) {
      const t = take();
      if (t === open) depth += 1;
      else if (t === close) depth -= 1;
    }
  }
  function samples(): [number, UsdValue][] {
    expect('{');
    const list: [number, UsdValue][] = [];
    while (peek() !== '}') {
      const code = Number(take());
      if (!Number.isFinite(code)) fail('a time code is not a number');
      expect(':');
      list.push([code, value()]);
      if (peek() === ',') take();
    }
    take();
    return list.sort((a, b) => a[0] - b[0]);
  }
  function metadataOf(into: Map<string, UsdValue>): void {
    expect('(');
    while (peek() !== ')') {
      const words = [take()];
      while (peek() !== '=' && peek() !== ')' && !/^["']/.test(words[words.length - 1])) {
        // a sentence of documentation stands alone
        if (tokens[at]?.line !== tokens[at - 1].line) break;
        words.push(take());
      }
      if (peek() !== '=') continue;
      take();
      into.set(words[words.length - 1], value());
    }
    take();
  }
  function prim(depth: number): Prim {
    if (depth > DEEPEST) fail('is nested too deeply');
    let type = '';
    if (!/^["']/.test(peek() ?? '')) type = take();
    const p: Prim = { type, name: unquoted(take()), attributes: new Map(), children: [] };
    if (peek() === '(') metadataOf(new Map());
    expect('{');
    while (peek() !== '}') statement(p, depth);
    take();
    return p;
  }
  function statement(p: Prim, depth: number): void {
    const first = peek()!;
    if (first === 'def' || first === 'over' || first === 'class') {
      take();
      const child = prim(depth + 1);
      if (first === 'def') p.children.push(child);
      return;
    }
    if (first === 'variantSet') {
      while (peek() !== '{') take();
      take();
      skipTo('}');
      return;
    }
    // qualifiers and the type come before the name, which stands before "=", "(" or the next line
    let name = take();
    const { line } = tokens[at - 1];
    while (peek() !== undefined && peek() !== '=' && peek() !== '(' && peek() !== '}' && tokens[at]?.line === line) {
      const t = take();
      if (t !== '[' && t !== ']') name = t;
    }
    const timed = name.endsWith('.timeSamples');
    const key = timed ? name.slice(0, -'.timeSamples'.length) : name;
    const here = p.attributes.get(key) ?? { value: null, samples: null };
    if (peek() === '=') {
      take();
      if (timed) here.samples = samples();
      else here.value = value();
      p.attributes.set(key, here);
    }
    if (peek() === '(') {
      take();
      skipTo(')');
    }
    if (peek() === ';') take();
  }

  const metadata = new Map<string, UsdValue>();
  if (peek() === '(') metadataOf(metadata);
  const prims: Prim[] = [];
  while (peek() !== undefined) {
    const what = take();
    if (what === 'def') prims.push(prim(0));
    else if (what === 'over' || what === 'class') prim(0);
    else fail(`"def" was expected, and "${what}" stands there`);
  }
  return { metadata, prims };
}

function unquoted(token: string): string {
  const n = /^("""|''')/.test(token) ? 3 : 1;
  return token.slice(n, -n).replace(/\\(.)/g, (_m, c: string) => ({ n: '\n', t: '\t' })[c] ?? c);
}
