import { boardTrial, poleTrial, scorePlate } from '@mesure/synthetic';
import { analysePlate } from '.';

test('150 poles across a chart: nothing is a cell off, and 97 % are found', () => {
  const low: string[] = [];
  for (let seed = 1; seed <= 150; seed += 1) {
    const trial = poleTrial(seed);
    const found = analysePlate({ widthPx: trial.widthPx, heightPx: trial.heightPx, data: trial.gray }, { ...trial, fxPx: trial.fPx, fyPx: trial.fPx }, { chart: trial.ruled ? 'ruled' : 'chequer' });
    const score = scorePlate(trial, found.nodes, trial.ruled ? 13 : 8);
    expect({ seed, shifts: score.shifts }).toEqual({ seed, shifts: 1 });
    expect(score.worstPx).toBeLessThan(1.2);
    if (score.share < 0.97) low.push(`${seed}: ${score.share.toFixed(3)} ${trial.ruled ? 'ruled' : 'chequer'} ${found.status} ${found.uncertain} uncertain`);
  }
  process.stdout.write(`poles below 97 %: ${low.length} of 150\n${low.join('\n')}\n`);
  expect(low.length).toBeLessThanOrEqual(3);
});

test('150 held boards: no more than two lack a corner', () => {
  const lacking: string[] = [];
  for (let seed = 1; seed <= 150; seed += 1) {
    const { plate, gray, widthPx, heightPx, fPx, scene } = boardTrial(seed);
    const found = analysePlate({ widthPx, heightPx, data: gray }, { widthPx, heightPx, fxPx: fPx, fyPx: fPx });
    const score = scorePlate({ plate, scene }, found.nodes, 5);
    if (found.nodes.length !== 63 || score.share < 1 || score.worstPx > 1.5) lacking.push(`${seed}: ${found.nodes.length} corners, worst ${score.worstPx.toFixed(2)} px`);
  }
  process.stdout.write(`boards that lack corners: ${lacking.length} of 150\n${lacking.join('\n')}\n`);
  expect(lacking.length).toBeLessThanOrEqual(2);
});
