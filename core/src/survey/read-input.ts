import { CoreError } from '../errors';
import { pointsOfFact } from '../facts';
import type { Net, Places } from './net';
import type { NetInput, OpenPoint } from './net-result';

const MOST_POINTS = 2000;

/** Facts by points, checked. @throws CoreError TOO_FEW_OBSERVATIONS | INVALID_OPTION | NON_FINITE_INPUT */
export function netOf({ facts, known = [], near }: NetInput): Net {
  if (facts.length === 0 && known.length === 0) throw new CoreError('TOO_FEW_OBSERVATIONS', 'A tape net needs ties', 'ties');
  const index = new Map<string, number>();
  const put = (id: string) => {
    if (!index.has(id)) index.set(id, index.size);
  };
  facts.forEach((f, i) => {
    const ids = pointsOfFact(f);
    if (new Set(ids).size < ids.length) throw new CoreError('INVALID_OPTION', `Fact ${i + 1} names ${ids[0]} twice`, `facts[${i}]`);
    const numbers = [f.sigmaM, ...('m' in f ? [f.m] : [])];
    if (!numbers.every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `Fact ${i + 1} (${ids.join(', ')}) is not made of numbers`, `facts[${i}]`);
    if (!(f.sigmaM > 0)) throw new CoreError('INVALID_OPTION', `The sigma of fact ${i + 1} (${ids.join(', ')}) is ${f.sigmaM}; it must be above 0`, `facts[${i}].sigmaM`);
    if (f.kind === 'tie' && !(f.m > 0)) throw new CoreError('INVALID_OPTION', `The tie from ${f.a} to ${f.b} is ${f.m} m; it must be above 0`, `facts[${i}].m`);
    if (f.kind === 'wall' && f.m < 0) throw new CoreError('INVALID_OPTION', `${f.id} is ${f.m} m from the wall; it must be 0 or above`, `facts[${i}].m`);
    ids.forEach(put);
  });
  const named = new Set<string>();
  for (const k of known) {
    if (named.has(k.id)) throw new CoreError('INVALID_OPTION', `Point ${k.id} is known twice`, 'points');
    named.add(k.id);
    if (![...k.at, ...k.sigmaM].every(Number.isFinite) || k.sigmaM.some((s) => s < 0)) throw new CoreError('NON_FINITE_INPUT', `Point ${k.id} is not made of numbers`, 'points');
  }
  if (index.size > MOST_POINTS) throw new CoreError('INVALID_OPTION', `${index.size} points are more than the ${MOST_POINTS} that one net holds`, 'ties');
  const ids = [...index.keys()];
  const factsOf: number[][] = ids.map(() => []);
  facts.forEach((f, i) => pointsOfFact(f).forEach((id) => factsOf[index.get(id)!].push(i)));
  // a known point that nothing ties to says nothing of the net, and has its place all the same
  const used = known.filter((k) => index.has(k.id));
  const untied = known.filter((k) => !index.has(k.id));
  return { ids, index, facts, factsOf, known: used, untied, near: new Map([...(near ?? [])].flatMap(([id, at]) => (index.has(id) ? [[index.get(id)!, at] as const] : []))) };
}

/** What each point that could not be placed still needs. */
export function openPoints(net: Net, placed: Places): OpenPoint[] {
  return net.ids.flatMap((id, p): OpenPoint[] => {
    if (placed.has(p)) return [];
    let surfaces = 0;
    for (const i of net.factsOf[p]) {
      const f = net.facts[i];
      if (pointsOfFact(f).every((other) => other === id || placed.has(net.index.get(other)!))) surfaces += f.kind === 'plumb' ? 2 : 1;
    }
    const need = 3 - surfaces;
    const missing =
      need > 0
        ? `${need === 1 ? 'one further tie' : `${need} further ties`} to determined points${net.factsOf[p].some((i) => net.facts[i].kind === 'height') ? '' : `, or its height and ${need === 1 ? 'nothing else' : need === 2 ? 'one tie' : 'two ties'}`}`
        : 'its ties lie nearly in one line or plane: one across them is needed';
    return [{ id, facts: surfaces, missing: missing.replace(', or its height and nothing else', ', or its height') }];
  });
}
