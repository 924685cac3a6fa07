import { seededRandom } from '../math';
import { alignCloud } from './align-cloud';
import { endsOfFarFacts, misfit, refine, unfold } from './fit-places';
import { grow } from './grow';
import type { Net, Places } from './net';
import { relaxNet } from './relax';
import { coreOf, levelSeeds, triangleSeeds } from './seeds';

/** Times that a layout with folds in it is shaken; each costs about a second with 200 points. */
const STIRS = 3;

/** Choices between twins that are tried from one seed while the net fits badly. */
const TRIES = 6;
/** One such point in so many is left to the search for blunders: laying the whole net out again costs more than it mends. */
const FOLDED_ONE_IN = 60;
/** More facts that are far off than this share, and the build is a wrong one: blunders are rarer. */
const FAR_SHARE = 0.08;

/** What is folded is put right, and what hangs on it is added. */
function finished(net: Net, placed: Places, seed: number): Places {
  const random = seededRandom(seed);
  if (placed.size > 0) {
    refine(net, placed, true);
    unfold(net, placed, random);
  }
  const more = grow(net, placed, true, random, () => random() < 0.5).placed;
  if (more.size > placed.size) refine(net, more, true);
  return more;
}

/** Another layout of the same net: all of its points are lifted off where they lie and let down again. */
export function layAgain(net: Net, from: Places, seed: number): Places {
  const core = coreOf(net);
  if (core.length < 3) return new Map();
  return finished(net, alignCloud(net, relaxNet(net, core, seed, { from, stirred: new Set(core) })), seed);
}

/** First coordinates of as many points as the facts determine. */
export function placeNet(net: Net): Places {
  // what has too few facts must not pull at the others
  const core = coreOf(net);
  const builds: { placed: Places; cost: number; far: number; folded: number }[] = [];
  const finish = (placed: Places, seed: number) => {
    const more = finished(net, placed, seed);
    builds.push({ placed: more, ...misfit(net, more) });
  };
  const good = () => builds.some((b) => b.placed.size >= core.length && b.folded <= Math.floor(net.ids.length / FOLDED_ONE_IN) && b.far <= Math.max(1, FAR_SHARE * net.facts.length));
  const attempt = (start: Places, level: boolean) => {
    for (let t = 0; t < TRIES && !good(); t += 1) {
      const random = seededRandom(101 + t);
      const grown = grow(net, start, level, random, () => t > 0 && random() < 0.5);
      if (grown.placed.size < 3 && t > 0) return;
      finish(level ? grown.placed : alignCloud(net, grown.placed), 7 + t);
      if (grown.guessed.length <= 1) return;
    }
  };
  if (core.length >= 3) finish(alignCloud(net, relaxNet(net, core, 1)), 1);
  for (let t = 0; t < STIRS && builds.length > 0 && !good(); t += 1) {
    const best = builds.reduce((a, b) => (b.far < a.far ? b : a));
    finish(relaxNet(net, core, 11 + t, { from: best.placed, stirred: endsOfFarFacts(net, best.placed) }), 11 + t);
  }
  if (net.known.length > 0) attempt(new Map(net.known.filter((k) => net.index.has(k.id)).map((k) => [net.index.get(k.id)!, k.at])), true);
  for (const seed of levelSeeds(net)) if (!good()) attempt(seed, true);
  for (const seed of triangleSeeds(net)) if (!good()) attempt(seed, false);
  if (builds.length === 0) return new Map();
  builds.sort((a, b) => b.placed.size - a.placed.size || a.cost - b.cost);
  return builds[0].placed;
}
