import { frameOf, VERDICT_SIGN, type Report, type ReportSetup, type ReportTake, type TopView, type ViewFrame } from './model';

const esc = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.codePointAt(0)};`);
const at = (n: number): string => String(Math.round(100 * n) / 100);

const STYLE = `
:root { --paper: #fbfaf6; --ink: #16202a; --dim: #55606b; --line: #c9c4b6; --tape: #e8b93c; --print: #22528f; }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 60rem; padding: 1.5rem 1rem 4rem; background: var(--paper); color: var(--ink); font: 1rem/1.45 "Noto Sans", system-ui, sans-serif; font-variant-numeric: tabular-nums; }
h1 { font-size: 1.7rem; margin: 0; } h2 { font-size: 1.25rem; margin: 2.2rem 0 .4rem; padding-top: .6rem; border-top: 3px solid var(--tape); } h3 { font-size: 1.05rem; margin: 1.4rem 0 .2rem; }
p { margin: .3rem 0; } .dim { color: var(--dim); } small { font-size: .85rem; }
.figures { display: flex; flex-wrap: wrap; gap: .4rem 2rem; margin: 1rem 0; padding: 0; list-style: none; } .figures b { font-size: 1.8rem; display: block; line-height: 1.1; }
.wide { overflow-x: auto; } table { border-collapse: collapse; width: 100%; font-size: .9rem; } th, td { text-align: left; padding: .25rem .6rem .25rem 0; border-bottom: 1px solid var(--line); vertical-align: top; } td.n, th.n { text-align: right; white-space: nowrap; }
svg { width: 100%; height: auto; background: #fff; border: 1px solid var(--line); margin: .5rem 0; }
ul { margin: .3rem 0; padding-left: 1.2rem; } a { color: var(--print); } nav ul { columns: 2; }
@media print { body { background: #fff; max-width: none; } section.setup { break-before: page; } }
`;

/** One page that works from the disk: no script, nothing fetched. */
export function writeReportHtml(r: Report): string {
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${esc(`${r.day}, ${r.production}`)}</title>
<style>${STYLE}</style>
</head>
<body>
<header>
<h1>${esc(r.day)}</h1>
<p>${esc(r.production)}, ${esc(r.date)}</p>
<p class="dim">${r.closed ? `Signed: ${esc(r.closed)}.` : 'The day is not signed yet.'} Written ${esc(r.madeAt)}.</p>
${r.changedAfterClose.length > 0 ? `<h3>Changed after it was signed</h3>${list(r.changedAfterClose)}` : ''}
</header>
<main>
<ul class="figures">${r.figures.map((f) => `<li><b>${esc(f.value)}</b>${esc(f.what)}</li>`).join('')}</ul>
${r.setups.length > 1 ? `<nav aria-label="Setups"><ul>${r.setups.map((s, i) => `<li><a href="#s${i}">${esc(s.title)}</a></li>`).join('')}</ul></nav>` : ''}
<h2 id="missing">What is missing</h2>
${r.missing.length === 0 ? '<p>Nothing.</p>' : `<div class="wide"><table><thead><tr><th scope="col">of</th><th scope="col">what</th></tr></thead><tbody>${r.missing.map((m) => `<tr><td>${esc(m.of)}</td><td>${esc(m.what.join('; '))}</td></tr>`).join('')}</tbody></table></div>`}
${r.setups.map(setup).join('\n')}
<h2>Lenses</h2>
${r.lenses.length === 0 ? '<p class="dim">No lens of this day was measured.</p>' : `<ul>${r.lenses.map((l) => `<li>${esc(l.name)}: ${esc(l.detail)}</li>`).join('')}</ul>`}
<h2>How the numbers are meant</h2>
${list(r.conventions)}
<h2>Files beside this page</h2>
<div class="wide"><table><thead><tr><th scope="col">file</th><th scope="col">what</th><th scope="col">read with</th></tr></thead><tbody>${r.files.map((f) => `<tr><td><a href="${esc(encodeURI(f.path))}">${esc(f.path)}</a></td><td>${esc(f.what)}</td><td>${esc(f.readWith)}</td></tr>`).join('')}</tbody></table></div>
</main>
</body>
</html>
`;
}

const list = (lines: readonly string[]): string => `<ul>${lines.map((l) => `<li>${esc(l)}</li>`).join('')}</ul>`;

const setup = (s: ReportSetup, i: number): string => `<section class="setup" id="s${i}">
<h2>${esc(s.title)}</h2>
<p class="dim">${esc(s.detail)}</p>
${s.drawing ? drawing(s.drawing, s.title) : ''}
${s.takes.length === 0 ? '<p class="dim">No take.</p>' : s.takes.map(take).join('\n')}
</section>`;

const take = (t: ReportTake): string => `<article>
<h3>${VERDICT_SIGN[t.verdict]} ${esc(t.label)}: ${esc(t.verdict)}</h3>
<p class="dim"><small>${esc(t.detail)}</small></p>
${t.sentence ? `<p>${esc(t.sentence)}</p>` : ''}
${t.numbers.length > 0 ? `<div class="wide"><table><thead><tr><th scope="col">quantity</th><th scope="col" class="n">recorded</th><th scope="col" class="n">solved</th><th scope="col">verdict</th></tr></thead><tbody>${t.numbers.map((n) => `<tr><td>${esc(n.what)}</td><td class="n">${esc(n.recorded)}</td><td class="n">${esc(n.solved)}</td><td>${esc(n.verdict)}</td></tr>`).join('')}</tbody></table></div>` : ''}
${t.lacks.length > 0 ? `<p>Missing: ${esc(t.lacks.join('; '))}.</p>` : ''}
${t.remarks.length > 0 ? list(t.remarks) : ''}
${t.folder ? `<p><small>Files: <a href="${esc(encodeURI(t.folder))}/">${esc(t.folder)}/</a></small></p>` : ''}
</article>`;

const WIDTH = 900;

/** From above, to one scale, with its bar; what it shows stands in its text too. */
function drawing(view: TopView, title: string): string {
  const f = frameOf(view, WIDTH, 460, 46);
  if (!f) return '';
  const place = ([x, z]: readonly [number, number]): string => `${at(f.originX + f.scale * x)},${at(f.originY + f.scale * z)}`;
  const said = [
    view.pieces.length > 0 ? `${view.pieces.length} pieces of the set` : '',
    view.marks.length > 0 ? `${view.marks.length} marks` : '',
    view.planned.length > 0 ? 'the planned move' : '',
    view.paths.length > 0 ? `solved paths of ${view.paths.map((p) => p.label).join(', ')}` : '',
  ].filter((w) => w !== '');
  const dot = (p: readonly [number, number], r: number, fill: string) => `<circle cx="${place(p).split(',')[0]}" cy="${place(p).split(',')[1]}" r="${r}" fill="${fill}"/>`;
  const text = (p: readonly [number, number], words: string, dx: number, dy: number, fill: string) =>
    `<text x="${at(f.originX + f.scale * p[0] + dx)}" y="${at(f.originY + f.scale * p[1] + dy)}" font-size="13" fill="${fill}">${esc(words)}</text>`;
  const bar = f.barM * f.scale;
  return `<svg viewBox="0 0 ${WIDTH} ${at(f.height + 34)}" role="img" aria-label="${esc(`${title} from above: ${said.join(', ')}`)}">
${view.pieces.map((p) => `<polygon points="${p.corners.map(place).join(' ')}" fill="#eee9dc" stroke="#b3ab97"/>`).join('')}
${view.pieces.map((p) => pieceName(p, f)).join('')}
${view.planned.length > 1 ? `<polyline points="${view.planned.map(place).join(' ')}" fill="none" stroke="#6d6656" stroke-width="2" stroke-dasharray="7 5"/>` : ''}
${view.paths.map((p, i) => `<polyline points="${p.at.map(place).join(' ')}" fill="none" stroke="#22528f" stroke-width="${2.6 - 0.3 * Math.min(4, i)}"/>${dot(p.at[0], 5, '#22528f')}${text(p.at[p.at.length - 1], p.label, 8, 4 + 15 * i, '#22528f')}`).join('')}
${view.marks.map((m) => `<path d="M${at(f.originX + f.scale * m.at[0] - 5)} ${at(f.originY + f.scale * m.at[1])}h10m-5 -5v10" stroke="#16202a" stroke-width="1.6"/>${text(m.at, m.id, 7, -5, '#16202a')}`).join('')}
<path d="M20 ${at(f.height + 18)}h${at(bar)}m0 -5v10m-${at(bar)} -10v10" stroke="#16202a" stroke-width="2" fill="none"/><text x="${at(28 + bar)}" y="${at(f.height + 23)}" font-size="14">${f.barM} m</text>
</svg>
<p class="dim"><small>From above. ${view.planned.length > 1 ? 'Broken line: the move as planned. ' : ''}${view.paths.length > 0 ? 'Full line: the camera as solved, a dot where it begins. ' : ''}${view.marks.length > 0 ? 'Crosses: marks.' : ''}</small></p>`;
}

/** In the middle of what is large enough for it; a wall or a post has its name below it. */
function pieceName(p: TopView['pieces'][number], f: ViewFrame): string {
  const [xs, zs] = [p.corners.map((c) => f.originX + f.scale * c[0]), p.corners.map((c) => f.originY + f.scale * c[1])];
  const [wide, deep] = [Math.max(...xs) - Math.min(...xs), Math.max(...zs) - Math.min(...zs)];
  const fits = wide > 8 * p.name.length && deep > 30;
  const [mx, mz] = middle(p.corners);
  const y = fits ? f.originY + f.scale * mz + 4 : Math.max(...zs) + 14;
  return `<text x="${at(f.originX + f.scale * mx)}" y="${at(y)}" text-anchor="middle" font-size="12" fill="#6d6656">${esc(p.name)}</text>`;
}

const middle = (corners: readonly (readonly [number, number])[]): [number, number] => [corners.reduce((s, c) => s + c[0], 0) / corners.length, corners.reduce((s, c) => s + c[1], 0) / corners.length];
