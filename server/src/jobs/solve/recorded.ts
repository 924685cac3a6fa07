import { kitAround, netInputOf, recordedSetup, ticksOr, type AnalysisChoice, type TakeBody, type TieBody } from '@mesure/contract';
import { ApiProblem } from '../../http/problem';
import type { SolveInput } from '../compute-types';
import type { InputContext } from '../job';
import { lensEvidence } from './lens-evidence';

/** What was recorded of a take, as a solve of it is set up and judged, with the net of its set. @throws ApiProblem that says what is missing */
export async function recordedOf({ db, productionId, find, all, mounted }: InputContext, take: TakeBody, choice: AnalysisChoice): Promise<Pick<SolveInput, 'setup' | 'net' | 'around'>> {
  const setup = find('setup', take.setupId)?.body;
  if (!setup) throw new ApiProblem('NOT_READY', 'The setup of this take is hidden. Bring it back, or move the take to another one.');
  const m = mounted(take.packageId);
  const evidence = await lensEvidence(db, productionId, m, all, find);
  const ties = all('tie')
    .map((t) => t.body)
    .filter((t) => t.setId === setup.setId);
  return {
    around: kitAround(m, { lenses: all('lens'), adapters: all('adapter') }),
    net: netOf(setup.setId, { find, all }, ties),
    setup: recordedSetup({
      mounted: m,
      take,
      setup,
      ties,
      ...evidence,
      focalMode: choice.focalMode ?? 'free',
      ticks: ticksOr(choice, m),
      motion: choice.motion ?? 'free',
    }),
  };
}

/** The tape net of a set. Without a height it does not know the floor, and its places say no more than its ties: then there is none. */
export function netOf(setId: string, { find, all }: Pick<InputContext, 'find' | 'all'>, ties: readonly TieBody[]): SolveInput['net'] {
  const set = find('set', setId)?.body;
  const facts = all('fact')
    .map((f) => f.body)
    .filter((f) => f.setId === setId);
  const net = set && facts.some((f) => f.what === 'height' || f.what === 'point') ? netInputOf(set, ties, facts) : null;
  return net && { ...net, near: [...(net.near ?? [])] };
}
