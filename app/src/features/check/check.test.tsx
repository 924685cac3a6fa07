import { TextDecoder as WholeTextDecoder } from 'node:util';
import type { Analysis, AnalysisChoice, SolveOutcome, StoredRecord } from '@mesure/contract';
import type { ShotPart } from '@mesure/core';
import { act, fireEvent, screen, within } from '@testing-library/react-native';
import { CheckScreen } from './check-screen';
import { solveLine } from './earlier-solves';
import { dayRecords, FakeServer, ID, open, pushed, record, reopen, seen, settle, stores, takeBody } from '../test-day';

const picked: { file: File | null } = { file: null };
jest.mock('../../ui/pick-file', () => ({ pickFile: async () => mockPicked(), pickFiles: async () => [mockPicked()].filter(Boolean) }));
const mockPicked = () => picked.file;

/** A solve that found the forgotten reducer; `verdict` agrees once the package says so. */
function outcome(verdict: 'contradicts' | 'agrees', change: Partial<SolveOutcome['solve']> = {}, setup: Partial<SolveOutcome['setup']> = {}): SolveOutcome {
  const cause = {
    cause: 'forgotten-reducer',
    title: 'a ×0.71 focal reducer',
    evidence: '32.00 mm × 0.710 = 22.72 mm; the solve says 22.70 ± 0.05 mm.',
    likelihood: 0.93,
    correction: { field: 'adapterFactor', value: 0.71 },
  };
  return {
    kind: 'solve',
    setup: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 }, fps: 24, ...setup },
    reconcile: {
      verdict,
      sentence: verdict === 'contradicts' ? 'The recorded 32 mm fits only with a ×0.71 focal reducer mounted.' : 'Record and solve agree.',
      items: [
        {
          quantity: 'focalLength',
          about: 'focal length',
          unit: 'mm',
          recorded: verdict === 'contradicts' ? 32 : 22.72,
          recordedSigma: 0.3,
          solved: 22.7,
          sigma: 0.05,
          difference: -9.3,
          verdict,
          sentence: 'recorded against solved',
          causes: verdict === 'contradicts' ? [cause] : [],
        },
      ],
    },
    solve: {
      status: 'solved',
      reason: null,
      width: 4096,
      height: 2160,
      focalMm: 22.7,
      sigmaFocalMm: 0.05,
      focalMode: 'free',
      distortion: { mode: 'none' },
      rmsPx: 0.42,
      rmsPerMille: 0.103,
      noisePx: 0.3,
      frames: [1, 2, 3].map((frame) => ({ frame, position: [0.1 * frame, 1.4, 0], rotation: [0, 0, 0, 1], focalMm: 22.7, rmsPx: 0.4, tracks: 12, sigmaPositionM: 0.01 })),
      points: Array.from({ length: 12 }, (_, i) => ({ track: `m${i}`, position: [i / 10, 0, -3], sigmaM: 0.002, rmsPx: 0.1 * (i + 1), observations: 3 })),
      trimmed: [{ track: 'walker', frame: null, residualPx: 14.2, reason: 'moving' }],
      anchoring: { scale: 1, sigmaScalePct: 0.4, datum: ['level points'], residuals: [] },
      warnings: ['Few tracks on the left.'],
      iterations: 5,
      ...change,
    },
  } as unknown as SolveOutcome;
}
const solved = (o: SolveOutcome, change: Partial<Analysis> = {}): Analysis => ({
  id: 'an-1',
  kind: 'solve',
  subjectId: ID.take,
  status: 'done',
  progress: 1,
  stage: 'done',
  error: null,
  outcome: o,
  createdAt: '',
  finishedAt: '',
  ...change,
});
function withSolve(a: Analysis): FakeServer {
  const server = new FakeServer();
  server.analyses.set(a.id, a);
  return server;
}

/** The server keeps its verdicts to itself until what is returned is called. */
function heldVerdicts(server: FakeServer): () => void {
  const answer = server.fetch;
  let here = (): void => undefined;
  const held = new Promise<void>((r) => (here = r));
  server.fetch = async (...asked) => {
    if (/analyses/.test(String(asked[0]))) await held;
    return answer(...asked);
  };
  return () => here();
}

describe('the column of verdicts', () => {
  test('what disagrees comes first, what has no tracks last', async () => {
    const server = withSolve(solved(outcome('contradicts')));
    server.records.set('t2', record('take', 't2', takeBody({ take: 2 })));
    server.records.set('t0', record('take', 't0', takeBody({ slate: '12', take: 9, tracks: null })));
    await open(<CheckScreen takeId={null} />, server);
    const rows = screen.getAllByTestId(/^check-/).map((r) => r.props.testID);
    expect(rows).toEqual(['check-41A-1', 'check-41A-2', 'check-12-9']);
    expect(screen.getByTestId('check-41A-1')).toHaveTextContent(/×0\.71 focal reducer.*contradicts/);
    expect(screen.getByTestId('check-12-9')).toHaveTextContent(/no tracks yet.*not checked/);
    fireEvent.press(screen.getByTestId('check-41A-2'));
    expect(pushed()).toEqual(['/check/t2']);
  });
  test('no row stands where another one will be, before the verdicts are here and when one comes in', async () => {
    const server = withSolve(solved(outcome('agrees')));
    server.records.set('t2', record('take', 't2', takeBody({ take: 2 })));
    server.analyses.set('an-2', solved(outcome('agrees'), { id: 'an-2', subjectId: 't2' }));
    const here = heldVerdicts(server);
    await open(<CheckScreen takeId={null} />, server);
    const rows = () => screen.queryAllByTestId(/^check-/).map((r) => r.props.testID);
    expect(seen('Loading the verdicts …')).toBe(true);
    expect(rows()).toEqual([]);
    here();
    await settle();
    expect(rows()).toEqual(['check-41A-1', 'check-41A-2']);
    // a verdict that comes in is said where its take stands
    server.analyses.set('an-2', solved(outcome('contradicts'), { id: 'an-3', subjectId: 't2' }));
    await act(() => stores().analyses.getState().refresh());
    expect(screen.getByTestId('check-41A-2')).toHaveTextContent(/contradicts/);
    expect(rows()).toEqual(['check-41A-1', 'check-41A-2']);
    // nor does the line that goes, and comes again
    server.cut = true;
    await act(() => stores().analyses.getState().refresh());
    expect(rows()).toEqual(['check-41A-1', 'check-41A-2']);
    server.cut = false;
    await act(() => stores().analyses.getState().refresh());
    expect(rows()).toEqual(['check-41A-1', 'check-41A-2']);
    // who wants them in order says so
    fireEvent.press(screen.getByLabelText('Put the takes in order of their verdicts'));
    expect(rows()).toEqual(['check-41A-2', 'check-41A-1']);
    expect(screen.queryByLabelText('Put the takes in order of their verdicts')).toBeNull();
  });
  test('a list that was shown from the device stands still when the server answers: no row moves, grows or shrinks', async () => {
    const server = withSolve(solved(outcome('agrees')));
    server.records.set('t2', record('take', 't2', takeBody({ take: 2 })));
    server.analyses.set('an-2', solved(outcome('agrees'), { id: 'an-2', subjectId: 't2' }));
    await open(<CheckScreen takeId={null} />, server);
    const rows = () => screen.queryAllByTestId(/^check-/).map((r) => [r.props.testID, within(r).getByText(/Record and solve agree|recorded 32 mm/).props.children]);
    const line = () => screen.getByTestId('verdicts-line').props.children;
    const before = rows();
    expect(before.map(([id]) => id)).toEqual(['check-41A-1', 'check-41A-2']);
    expect(line()).toBe('2 agree');
    // the list is kept on the device in its own time
    await settle(240);
    screen.unmount();
    const here = heldVerdicts(server);
    server.analyses.set('an-2', solved(outcome('contradicts'), { id: 'an-3', subjectId: 't2' }));
    await reopen(<CheckScreen takeId={null} />, server);
    expect(rows()).toEqual(before);
    expect(line()).toMatch(/^○ Known from .*; asking the server$/);
    here();
    await settle();
    expect(line()).toBe('1 contradicts · 1 agrees');
    expect(rows()).toEqual([before[0], ['check-41A-2', outcome('contradicts').reconcile!.sentence]]);
  });
  test('an answer of an older record says so in the column and over the verdict, and is computed again with one tap', async () => {
    const stale = { when: '2026-11-23T14:10:00.000Z', who: 'Odalys', what: 'take 41A take 1' };
    const server = withSolve(solved(outcome('agrees'), { stale }));
    await open(<CheckScreen takeId={null} />, server);
    expect(screen.getByTestId('check-41A-1')).toHaveTextContent(/before the change of 14:10/);
    screen.unmount();
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('stale')).toHaveTextContent(/take 41A take 1, by Odalys/);
    fireEvent.press(screen.getByTestId('solve-anew'));
    await settle();
    expect(server.asked).toContain('POST /productions/11111111-1111-4111-8111-111111111111/analyses');
  });
  test('verdicts that cannot be had leave the takes readable', async () => {
    const server = new FakeServer();
    server.failing.set('/analyses', server.problem('INTERNAL', 500, 'The server stumbled.'));
    await open(<CheckScreen takeId={null} />, server);
    expect(seen('Verdicts could not be loaded')).toBe(true);
    expect(screen.getByTestId('check-41A-1')).toBeTruthy();
  });
  test('no takes, no such take', async () => {
    await open(<CheckScreen takeId={null} />, new FakeServer(dayRecords().filter((r) => r.kind !== 'take')));
    expect(seen('No takes yet')).toBe(true);
    screen.unmount();
    await open(<CheckScreen takeId="gone" />, new FakeServer());
    expect(seen('No such take')).toBe(true);
  });
});

describe('a take', () => {
  test('the verdict, its cause with evidence, the error, the worst tracks, what was left out', async () => {
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(outcome('contradicts'))));
    expect(screen.getByTestId('take-verdict')).toHaveTextContent('contradicts');
    expect(screen.getByTestId('causes')).toHaveTextContent(/93 % likely.*22\.72 mm/);
    expect(screen.getByTestId('solve-rms')).toHaveTextContent(/0\.42 px.*0\.103 ‰/);
    expect(seen('m11')).toBe(true);
    expect(seen('m2')).toBe(false);
    fireEvent.press(screen.getByText('Show all 12 tracks'));
    expect(seen('m2')).toBe(true);
    expect(seen('walker')).toBe(true);
    expect(seen('– Few tracks on the left.')).toBe(true);
  });

  test('one tap mounts the reducer that is in the kit, solves again, and the verdict changes', async () => {
    const server = withSolve(solved(outcome('contradicts')));
    server.answer = (a) => ({ ...solved(outcome('agrees')), id: a.id, createdAt: '2' });
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('correct'));
    await settle();
    await settle(160); // the client asks every half second
    expect(server.records.get(ID.pack)!.body).toMatchObject({ adapterId: ID.reducer });
    expect([...server.records.values()].filter((r) => r.kind === 'adapter')).toHaveLength(1);
    // what the server solved was sent to it first
    const order = server.asked.filter((a) => /PUT .*package|POST .*analyses$/.test(a)).map((a) => a.slice(0, 4).trim());
    expect(order).toEqual(['PUT', 'POST']);
    expect(screen.getByTestId('take-verdict')).toHaveTextContent('agrees');
    expect(screen.queryByTestId('correct')).toBeNull();
  });

  test('a reducer that is not in the kit yet is added with its factor', async () => {
    const server = withSolve(solved(outcome('contradicts')));
    server.records.delete(ID.reducer);
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('correct'));
    await settle(20);
    const adapter = [...server.records.values()].find((r) => r.kind === 'adapter')!;
    expect(adapter.body).toEqual({ name: 'Reducer ×0.71', factor: 0.71 });
    expect(server.records.get(ID.pack)!.body).toMatchObject({ adapterId: adapter.id });
  });

  test('the rows of a mode that are read one after the other are taken out unless somebody says no, and another time that the tracks tell is noted in one tap', async () => {
    const reads = (readoutMs: number) => {
      const server = withSolve(solved(outcome('agrees', {}, { readout: { ms: readoutMs } })));
      const body = server.records.get(ID.body)! as StoredRecord<'body'>;
      server.records.set(ID.body, { ...body, body: { ...body.body, modes: body.body.modes.map((m) => ({ ...m, readoutMs, readoutSource: 'stated' as const })) } });
      return server;
    };
    const server = reads(9.5);
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('solve-facts')).toHaveTextContent(/readout skew of 9\.5 ms taken out/);
    expect(screen.getByTestId('tick-readoutOut')).toHaveTextContent(/one after the other in 9\.5 ms \(as its maker states\)/);
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(server.started.at(-1)!.options).not.toHaveProperty('readoutOut');
    screen.unmount();
    const without = reads(9.5);
    await open(<CheckScreen takeId={ID.take} />, without);
    fireEvent.press(screen.getByTestId('tick-readoutOut'));
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(without.started.at(-1)).toMatchObject({ options: { readoutOut: false } });
    screen.unmount();
    // on a mode of which nobody knows it nothing is offered; what the tracks tell is written to it
    const o = outcome('contradicts');
    o.reconcile!.items[0].causes = [{ cause: 'readout-not-used', title: 'x', evidence: 'y', likelihood: 0.9, correction: { field: 'readoutMs', value: 15.4 } }];
    const told = withSolve(solved(o));
    await open(<CheckScreen takeId={ID.take} />, told);
    expect(screen.queryByTestId('tick-readoutOut')).toBeNull();
    fireEvent.press(screen.getByTestId('correct'));
    await settle(20);
    expect((told.records.get(ID.body)! as StoredRecord<'body'>).body.modes.filter((m) => m.readoutMs === 15.4 && m.readoutSource === 'measured')).toHaveLength(1);
    // it is usual now, and needs no word
    expect((told.started.at(-1)!.options as AnalysisChoice).readoutOut ?? true).toBe(true);
  });

  test('a cause that no tap puts right has its way there', async () => {
    const way = async (change: object, cause: string) => {
      const o = outcome('contradicts');
      Object.assign(o.reconcile!.items[0], change, { causes: [{ cause, title: 'x', evidence: 'y', likelihood: 0.9 }] });
      await open(<CheckScreen takeId={ID.take} />, withSolve(solved(o)));
      fireEvent.press(screen.getByTestId('cause-way'));
      screen.unmount();
      return pushed().pop();
    };
    expect(await way({}, 'other-lens')).toBe('/kit');
    expect(await way({}, 'swapped-digits')).toBe(`/floor/take/${ID.take}?to=focalMm`);
    expect(await way({ quantity: 'cameraHeight', about: 'frame 1', unit: 'm' }, 'height-at-other-place')).toBe(`/floor/take/${ID.take}?to=height`);
    expect(await way({ quantity: 'length', about: 'K1–K2', unit: 'm' }, 'swapped-digits')).toBe(`/floor/net/${ID.setup}`);
  });

  test('a camera that moved and was taken as turning is solved as one that may move, in one tap', async () => {
    const o = outcome('contradicts', { motion: 'pan' }, { motion: 'pan' });
    o.reconcile!.items[0].causes = [{ cause: 'camera-moved', title: 'x', evidence: 'as a turn the tracks are off by 8.0 px, as a move by 0.4 px', likelihood: 0.9 }];
    const server = withSolve(solved(o));
    await open(<CheckScreen takeId={ID.take} />, server);
    // solved again by itself it would stay a turn
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(server.started.at(-1)!.options).toMatchObject({ motion: 'pan' });
    screen.unmount();
    const again = withSolve(solved(o));
    await open(<CheckScreen takeId={ID.take} />, again);
    fireEvent.press(screen.getByTestId('solve-as-move'));
    await settle();
    expect(again.started).toHaveLength(1);
    expect(again.started[0].options).not.toHaveProperty('motion');
  });

  test('a plate and another take of the package stand beside the verdict as its witnesses, and lead to where they speak', async () => {
    const server = withSolve(solved(outcome('contradicts')));
    const other = '00000000-0000-4000-8000-000000000077';
    server.records.set(other, record('take', other, takeBody({ take: 9 })));
    server.analyses.set('b', { ...solved(outcome('contradicts')), id: 'b', subjectId: other });
    server.records.set(
      ID.plate,
      record('plate', ID.plate, {
        lensId: ID.lens,
        packageId: ID.pack,
        picture: { sha256: 'd'.repeat(64), name: 'A_grid.jpg' },
        focalMm: 32,
        focusM: 2,
        cellM: 0.04,
        shotAt: '2026-11-23T08:00:00.000Z',
      } as never),
    );
    const report = { status: 'usable', focalFromDistance: null, focalFromTilt: { mm: 31.9, sigmaMm: 0.2 }, distortion: { focalMm: 32 }, plates: [], warnings: [] };
    server.analyses.set('p', { ...solved(outcome('contradicts')), id: 'p', kind: 'grid', subjectId: ID.plate, outcome: { kind: 'grid', report, corners: [], widthPx: 4096, heightPx: 2160 } as never });
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('focal-said-by')).toHaveTextContent(/1 other witness says the same of the record, 1 something else/);
    expect(screen.getByTestId('said-by-41A take 9')).toHaveTextContent(/= 41A take 9.*22\.70 ± 0\.05 mm where 32\.00 was noted/);
    expect(screen.getByTestId('said-by-A_grid.jpg')).toHaveTextContent(/≠ Plate A_grid\.jpg.*31\.90 ± 0\.20 mm where 32\.00/);
    fireEvent.press(screen.getByTestId('said-by-A_grid.jpg'));
    expect(pushed()).toContain(`/kit/plate/${ID.plate}`);
  });
  test('a solver sees the cause and has no button that the server would refuse', async () => {
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(outcome('contradicts'))), 'solver');
    expect(screen.getByTestId('causes')).toBeTruthy();
    expect(screen.queryByTestId('correct')).toBeNull();
  });

  test('a solve that failed gives its reason and says that the record is untouched', async () => {
    const failed = outcome('agrees', { status: 'failed', reason: 'no parallax: the camera turns but does not move', frames: [], points: [] });
    failed.reconcile = null;
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(failed)));
    expect(seen(/^No parallax.*untouched\.$/)).toBe(true);
    expect(screen.getByTestId('take-verdict')).toHaveTextContent('not observable');
  });

  test('tracks that seem to count otherwise are asked about; what is said is kept, and solved', async () => {
    const middle = { from: 'middle' as const, yUp: true, widthPx: 4096, heightPx: 2160, addFrames: 0 };
    const words = 'The tracks have x from -1900 to 1850: they seem to count from the middle of the picture.';
    const asked = outcome('agrees', { status: 'failed', reason: words, frames: [], points: [], question: { what: 'middle', words, choices: [middle, { ...middle, yUp: false }] } });
    asked.reconcile = null;
    const server = withSolve(solved(asked));
    server.answer = (a) => ({ ...solved(outcome('agrees')), id: a.id, createdAt: '2' });
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('counting-question')).toHaveTextContent(/from the middle of the picture/);
    expect(screen.getByTestId('take-verdict')).toHaveTextContent('not checked');
    expect(seen(/cannot be solved/)).toBe(false);
    fireEvent.press(screen.getByTestId('count-middle-up-4096'));
    await settle();
    await settle(160);
    expect(server.records.get(ID.take)!.body).toMatchObject({ tracksCounted: middle });
    expect(screen.queryByTestId('counting-question')).toBeNull();
    expect(screen.getByTestId('counting')).toHaveTextContent('read from the middle, y upwards');
    expect(screen.getByTestId('take-verdict')).toHaveTextContent('agrees');
  });

  test('that they are right is an answer too; and how they count can be said unasked', async () => {
    const question = {
      what: 'mirrored' as const,
      words: 'The camera comes out below the level marks.',
      choices: [{ from: 'corner' as const, yUp: true, widthPx: 4096, heightPx: 2160, addFrames: 0 }],
    };
    const server = withSolve(solved(outcome('agrees', { question })));
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('count-as-is'));
    await settle();
    expect(server.records.get(ID.take)!.body).toMatchObject({ tracksCounted: { from: 'corner', yUp: false, widthPx: 4096, heightPx: 2160, addFrames: 0 } });
    screen.unmount();
    const later = withSolve(solved(outcome('agrees')));
    await open(<CheckScreen takeId={ID.take} />, later);
    fireEvent.press(screen.getByTestId('count-otherwise'));
    fireEvent.press(screen.getByRole('radio', { name: /upwards/ }));
    fireEvent.changeText(screen.getByTestId('counting-width'), 'half');
    fireEvent.press(screen.getByTestId('keep-counting'));
    await settle();
    expect(screen.getByTestId('counting-form')).toHaveTextContent(/A number above 0/);
    fireEvent.changeText(screen.getByTestId('counting-width'), '2048');
    fireEvent.changeText(screen.getByTestId('counting-height'), '1080');
    fireEvent.changeText(screen.getByTestId('counting-frames'), '1000');
    fireEvent.press(screen.getByTestId('keep-counting'));
    await settle();
    expect(later.records.get(ID.take)!.body).toMatchObject({ tracksCounted: { from: 'corner', yUp: true, widthPx: 2048, heightPx: 1080, addFrames: 1000 } });
    expect(later.asked).toContain('POST /productions/11111111-1111-4111-8111-111111111111/analyses');
  });

  test('a turn tells turns, directions and the lens, and draws no path; without a scale nothing is in millimetres', async () => {
    const turn = outcome('agrees', {
      motion: 'pan',
      status: 'partial',
      reason: 'no parallax: the camera turns but does not move, so directions are seen and no depth',
      points: [],
      directions: [0, 1, 2].map((i) => ({ track: `K${i + 1}`, direction: [Math.sin(0.1 * i), 0, -Math.cos(0.1 * i)] as [number, number, number], rmsPx: 0.2, observations: 3 })),
      // 0, 10 and 20 degrees to the right
      frames: [0, 5, 10].map((deg, i) => ({
        frame: i + 1,
        position: [0, 0, 0],
        rotation: [0, -Math.sin((deg * Math.PI) / 180), 0, Math.cos((deg * Math.PI) / 180)],
        focalMm: 22.7,
        rmsPx: 0.3,
        tracks: 9,
        sigmaPositionM: null,
      })),
      anchoring: { scale: null, sigmaScalePct: null, datum: ['up from the camera’s mean up'], residuals: [] },
    });
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(turn)));
    expect(screen.getByTestId('take-verdict')).toHaveTextContent('agrees');
    expect(seen(/^Where the camera looked: it turns 20\.0° to the right and 0\.0° up, past the directions of 3 tracks/)).toBe(true);
    expect(seen(/^From above/)).toBe(false);
    expect(seen(/^No parallax/)).toBe(true);
    expect(seen(/3 frames, 3 directions; focal length/)).toBe(true);
    screen.unmount();
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(outcome('agrees', { anchoring: { scale: null, sigmaScalePct: null, datum: [], residuals: [] } }))));
    expect(seen(/frames, ± .* mm/)).toBe(false);
  });

  test('running: stage and share; stopped: nothing was changed', async () => {
    const server = withSolve(solved(outcome('agrees'), { status: 'running', outcome: null, progress: 0.42, stage: 'frames placed 42 of 120' }));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('solve-progress')).toHaveTextContent('frames placed 42 of 120, 42 %');
    fireEvent.press(screen.getByTestId('stop-solve'));
    await settle();
    expect(seen('Stopped')).toBe(true);
    expect(screen.getByTestId('start-solve')).toBeTruthy();
  });

  test('a start that the server refuses says why and what is safe', async () => {
    const server = new FakeServer();
    server.failing.set('POST /productions/11111111-1111-4111-8111-111111111111/analyses', server.problem('NOT_READY', 409, 'The package lacks its lens; complete it in Kit first.'));
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByRole('radio', { name: /guided/ }));
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(seen(/lacks its lens.*safe/)).toBe(true);
  });

  test('a lens that bends is found in the take by one tap, and what was found says how well', async () => {
    const bent = outcome('agrees', { bending: { k1: -0.1, remaining: 0.3 }, warnings: [{ code: 'LENS_BENDS', words: 'The lens bends, and this solve took it as straight: shoot a grid.' }] });
    const server = new FakeServer();
    server.analyses.set('an-1', solved(bent));
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('find-lens'));
    await settle();
    expect(server.asked.filter((a) => a.startsWith('POST') && a.includes('/analyses'))).toHaveLength(1);
    expect(server.started.at(-1)).toMatchObject({ kind: 'solve', options: { focalMode: 'free', findDistortion: true } });
    const found = new FakeServer();
    found.analyses.set(
      'an-1',
      solved(
        outcome(
          'agrees',
          { distortion: { model: 'radial', k: [-0.112, 0.02, 0], p: [0, 0], mode: 'free', normalisedWithMm: 21, follows: false, sigma: { k1: 0.004, k2: 0.003 } } } as Partial<SolveOutcome['solve']>,
          { distortion: { mode: 'free' } },
        ),
      ),
    );
    await open(<CheckScreen takeId={ID.take} />, found);
    expect(seen(/Distortion found in this take: k1 [−-]0\.112 ± 0\.004, k2 0\.020 ± 0\.003, over 21\.00 mm/)).toBe(true);
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(found.started.at(-1)).toMatchObject({ options: { findDistortion: true } });
  });

  test('a lens that nobody measured makes most of what is not known: it is said before the verdicts, with the way to its plates', async () => {
    const words = 'Nobody measured how this lens bends: of the ± 1.13 mm of the focal length ± 1.09 come from that.';
    const server = new FakeServer();
    server.analyses.set('an-1', solved(outcome('agrees', { warnings: [{ code: 'LENS_UNMEASURED', words }] })));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(within(screen.getByTestId('unmeasured')).getByText(words)).toBeTruthy();
    // a take has no better answer to it than a plate
    expect(screen.queryByTestId('find-lens')).toBeNull();
    // and it is said once
    expect(screen.getAllByText(words)).toHaveLength(1);
    fireEvent.press(screen.getByTestId('to-plates'));
    expect(pushed()).toContain(`/kit/${ID.pack}`);
  });

  test('a take without tracks is given its clip, and its screen opens', async () => {
    const server = new FakeServer(dayRecords().map((r) => (r.kind === 'take' ? record('take', r.id, takeBody({ tracks: null })) : r)));
    await open(<CheckScreen takeId={ID.take} />, server);
    picked.file = new File(['....ftyp'], 'A_t1.mp4');
    fireEvent.press(screen.getByTestId('give-clip'));
    await settle();
    expect([...server.records.values()].some((r) => r.kind === 'footage')).toBe(true);
    expect(pushed()).toContain(`/check/clip/${ID.take}`);
  });

  test('a zoom is solved as one, its focal length drawn by frame with its band', async () => {
    const zoom = outcome('agrees', {
      focalMode: 'zoom',
      frames: [24, 31.5, 40].map((focalMm, i) => ({ frame: i + 1, position: [0.1 * i, 1.4, 0], rotation: [0, 0, 0, 1], focalMm, sigmaFocalMm: 0.2, rmsPx: 0.4, tracks: 12, sigmaPositionM: 0.01 })),
    } as Partial<SolveOutcome['solve']>);
    const server = new FakeServer(dayRecords().map((r) => (r.kind === 'take' ? record('take', r.id, takeBody({ focalMm: 24, focalEndMm: 40 })) : r)));
    server.analyses.set('an-1', solved(zoom));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('focal-chart')).toBeTruthy();
    expect(screen.getByLabelText('Focal length by frame: zooms from 24.0 to 40.0 mm.')).toBeTruthy();
    expect(screen.getByTestId('as-zoom')).toHaveTextContent(/24 to 40 mm: it is solved as one/);
    expect(screen.queryByRole('radio', { name: /guided/ })).toBeNull();
  });

  test('what moved is said; an object’s way is drawn before the camera, and the next solve is of it again', async () => {
    const server = withSolve(solved(outcome('agrees')));
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByRole('radio', { name: /an object/ }));
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(server.started.at(-1)).toMatchObject({ kind: 'solve', options: { motion: 'object' } });
    screen.unmount();
    const made = outcome('agrees');
    const object = made.solve.frames.map((f, i) => ({ frame: f.frame, position: [0.3 * i, 0.5, -3], rotation: [0, 0, 0, 1] }));
    const driven = { ...made, setup: { ...made.setup, motion: 'object' }, solve: { ...made.solve, motion: 'object', object } } as unknown as SolveOutcome;
    const later = withSolve(solved(driven));
    await open(<CheckScreen takeId={ID.take} />, later);
    expect(seen('Way of the object, and its points')).toBe(true);
    const travel = 0.3 * (object.length - 1);
    expect(screen.getByLabelText(new RegExp(`From above: the object travels ${travel.toFixed(2)} m past`))).toBeTruthy();
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(later.started.at(-1)).toMatchObject({ options: { motion: 'object' } });
  });

  test('the path is turned by a drag and by its buttons, and never upside down', async () => {
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(outcome('agrees'))));
    expect(screen.queryByTestId('orbit')).toBeNull();
    fireEvent.press(screen.getByRole('radio', { name: /^turned$/ }));
    expect(screen.getByLabelText(/^Seen 30° round and from 25° above/)).toBeTruthy();
    fireEvent.press(screen.getByLabelText('Turn it to the left'));
    for (let i = 0; i < 6; i += 1) fireEvent.press(screen.getByLabelText('Look from higher'));
    expect(screen.getByLabelText(/^Seen 45° round and from 90° above/)).toBeTruthy();
    for (let i = 0; i < 4; i += 1) fireEvent.press(screen.getByLabelText('Turn it to the right'));
    for (let i = 0; i < 8; i += 1) fireEvent.press(screen.getByLabelText('Look from lower'));
    expect(screen.getByLabelText(/^Seen 345° round and from 0° above/)).toBeTruthy();
  });

  test('what else the kit has may have been on: a mode is put right with one tap', async () => {
    const made = outcome('contradicts');
    const cause = { cause: 'windowed-mode', title: 'It was shot in 4K cropped', evidence: '32 × 1.32', likelihood: 0.9, correction: { field: 'mode', value: ID.windowed, name: '4K cropped' } };
    const wrong = { ...made, reconcile: { ...made.reconcile!, items: [{ ...made.reconcile!.items[0], causes: [cause] }] } } as unknown as SolveOutcome;
    const server = withSolve(solved(wrong));
    await open(<CheckScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByText('Set A-cam to 4K cropped and solve again'));
    await settle(40);
    expect(server.records.get(ID.pack)!.body).toMatchObject({ modeId: ID.windowed });
    expect(server.started.at(-1)).toMatchObject({ kind: 'solve' });
  });

  test('a shot that a whip parted shows its stretches: what holds each, and which has no camera', async () => {
    const alone = { focalMm: 24.1, sigmaFocalMm: 0.05, noisePx: 0.31 };
    const parts: ShotPart[] = [
      { from: 1, to: 30, frames: 30, holds: 'first', by: [], alone: null },
      { from: 39, to: 70, frames: 32, holds: 'tracks', by: ['K1', 'K4', 'K7'], alone },
      { from: 80, to: 90, frames: 11, holds: 'nothing', by: [], alone: null },
    ];
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(outcome('agrees', { parts }))));
    expect(screen.getByTestId('stretch-1')).toHaveTextContent('Frames 1 to 30: what the rest is laid on.');
    expect(screen.getByTestId('stretch-39')).toHaveTextContent(/joined by what both sides see: K1, K4, K7\.By itself: 24\.10 ± 0\.05 mm, tracks to 0\.31 px\./);
    expect(screen.getByTestId('stretch-80')).toHaveTextContent(/nothing ties it to the rest; its frames have no camera/);
    expect(screen.getByTestId('solve-facts')).toHaveTextContent(/^3 stretches, /);
    screen.unmount();
    await open(<CheckScreen takeId={ID.take} />, withSolve(solved(outcome('agrees'))));
    expect(screen.queryByText('Stretches')).toBeNull();
  });

  test('the principal point is found with the next solve where that is asked for; what was found stands there, and is found again', async () => {
    const server = withSolve(solved(outcome('agrees')));
    await open(<CheckScreen takeId={ID.take} />, server);
    // a round lens has no squeeze to find
    expect(screen.queryByTestId('tick-findSqueeze')).toBeNull();
    fireEvent.press(screen.getByTestId('tick-findCentre'));
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(server.started.at(-1)).toMatchObject({ kind: 'solve', options: { findCentre: true } });
    screen.unmount();
    const at = { x: 2048 - 12.3, y: 1080 + 4.5, sigmaX: 1.1, sigmaY: 0.9, told: true };
    const asked = { principalPoint: { mode: 'free' }, squeezeFit: { mode: 'free' } } as const;
    const seen = { width: 4096, height: 2160, found: { principalPx: at, squeeze: { value: 1.94, sigma: 0.004, told: true } } } as Partial<SolveOutcome['solve']>;
    const found = withSolve(solved(outcome('agrees', seen, asked)));
    await open(<CheckScreen takeId={ID.take} />, found);
    expect(screen.getByTestId('solve-facts')).toHaveTextContent(/Principal point 12\.3 px left of and 4\.5 px below the middle, ± 1\.1 and ± 0\.9 px\. Squeeze 1\.940 ± 0\.004\./);
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(found.started.at(-1)).toMatchObject({ options: { findCentre: true, findSqueeze: true } });
    screen.unmount();
    const untold = withSolve(solved(outcome('agrees', { found: { principalPx: { ...at, told: false } } } as Partial<SolveOutcome['solve']>)));
    await open(<CheckScreen takeId={ID.take} />, untold);
    expect(screen.getByTestId('solve-facts')).toHaveTextContent(/Principal point: not told by this take/);
  });

  test('what a trim would leave out is said before, and is asked for with the next solve; trimmed, all can take part again', async () => {
    const would = { places: 41, of: 5000, tracks: 7, limitPx: 1.2, restRmsPx: 0.38 };
    const server = withSolve(solved(outcome('agrees', { trimWould: would } as Partial<SolveOutcome['solve']>)));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('trim')).toHaveTextContent(/41 of 5000 places, of 7 tracks, are farther off than 1\.2 px.*would be 0\.38 px instead of/);
    fireEvent.press(screen.getByTestId('trim'));
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(server.started.at(-1)).toMatchObject({ kind: 'solve', options: { trim: true } });
    screen.unmount();
    const after = withSolve(solved(outcome('agrees', { trimWould: null, trimmed: [{ track: 'f1', frame: 3, residualPx: 4.2, reason: 'trim' }] } as Partial<SolveOutcome['solve']>)));
    await open(<CheckScreen takeId={ID.take} />, after);
    expect(screen.getByTestId('trim')).toHaveTextContent(/1 place of 1 track was left out, the worst 4\.2 px off/);
    fireEvent.press(screen.getByTestId('trim'));
    fireEvent.press(screen.getByTestId('start-solve'));
    await settle();
    expect(after.started.at(-1)).toMatchObject({ kind: 'solve' });
    expect((after.started.at(-1) as { options: object }).options).not.toHaveProperty('trim');
  });

  test('tracks: given, refused with their line, or not chosen after all', async () => {
    const server = new FakeServer(dayRecords().map((r) => (r.kind === 'take' ? record('take', r.id, takeBody({ tracks: null })) : r)));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(seen('No tracks yet')).toBe(true);
    picked.file = null;
    fireEvent.press(screen.getByTestId('give-tracks'));
    await settle();
    expect(server.asked.some((a) => a.includes('/files'))).toBe(false);
    picked.file = new File(['track,frame,x,y\nK1,1,2,three\n'], 'tracks.csv');
    server.failing.set('/files/uploads', server.problem('INVALID', 422, 'tracks.csv, line 7, y: "three" is not a number.'));
    fireEvent.press(screen.getByTestId('give-tracks'));
    await settle();
    expect(seen(/line 7.*Nothing was changed/)).toBe(true);
    server.failing.clear();
    fireEvent.press(screen.getByTestId('give-tracks'));
    await settle();
    expect(server.records.get(ID.take)!.body).toMatchObject({ tracks: { name: 'tracks.csv' } });
    expect(screen.getByTestId('start-solve')).toBeTruthy();
  });

  test('a table that a spreadsheet saved in sixteen bits is read like any other', async () => {
    const server = new FakeServer(dayRecords().map((r) => (r.kind === 'take' ? record('take', r.id, takeBody({ tracks: null })) : r)));
    await open(<CheckScreen takeId={ID.take} />, server);
    // the stand-in of this environment knows UTF-8 alone; a browser's own knows both
    const usual = global.TextDecoder;
    global.TextDecoder = WholeTextDecoder as typeof usual;
    const text = 'track,frame,x,y\nK1,1,2,3\n';
    picked.file = new File([new Uint8Array([0xff, 0xfe, ...[...text].flatMap((c) => [c.charCodeAt(0), 0])])], 'wide.csv');
    fireEvent.press(screen.getByTestId('give-tracks'));
    await settle();
    expect(server.records.get(ID.take)!.body).toMatchObject({ tracks: { name: 'wide.csv' } });
    global.TextDecoder = usual;
  });

  test('tracks of another shape have their columns said, and arrive as the CSV that is read', async () => {
    const server = new FakeServer(dayRecords().map((r) => (r.kind === 'take' ? record('take', r.id, takeBody({ tracks: null })) : r)));
    await open(<CheckScreen takeId={ID.take} />, server);
    picked.file = new File(['Punkt;frame;x;y\nK1;1;2,5;3\nK1;2;3,5;4\n'], 'export.txt');
    fireEvent.press(screen.getByTestId('give-tracks'));
    await settle();
    expect(seen(/No column holds the name of the track/)).toBe(true);
    fireEvent.press(screen.getByLabelText('Change what column Punkt holds'));
    fireEvent.press(screen.getByRole('radio', { name: 'name of the track' }));
    await settle();
    expect(screen.getByTestId('table-row-0')).toHaveTextContent('track K1 · frame 1 · x 2,5 · y 3');
    fireEvent.press(screen.getByTestId('take-tracks'));
    await settle(40);
    expect(server.records.get(ID.take)!.body).toMatchObject({ tracks: { name: 'export.csv' }, tracksCounted: null });
  });
});

describe('the entry behind a verdict', () => {
  const height = (change: object = {}) => ({
    quantity: 'cameraHeight' as const,
    about: 'frame 1',
    unit: 'm' as const,
    recorded: 1.4,
    recordedSigma: 0.005,
    solved: 1.82,
    sigma: 0.01,
    difference: 0.42,
    verdict: 'contradicts' as const,
    sentence: '',
    causes: [],
    ...change,
  });
  const judged = (reconcile: Partial<NonNullable<SolveOutcome['reconcile']>>): Analysis => {
    const whole = outcome('agrees');
    return solved({ ...whole, reconcile: { ...whole.reconcile!, ...reconcile } });
  };

  test('stands there as it was typed, with who and when, and its field is one tap away', async () => {
    const server = new FakeServer();
    server.records.delete(ID.take);
    server.memory.write('take', ID.take, { mutationId: 'm1', baseVersion: 0, deleted: false, body: takeBody() });
    server.analyses.set('a1', judged({ verdict: 'contradicts', items: [height()] }));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('reading-cameraHeight-frame 1')).toHaveTextContent(/Entered as 1\.4 m by .+, \d\d:\d\d/);
    fireEvent.press(screen.getByTestId('to-reading-cameraHeight'));
    expect(pushed()).toContain(`/floor/take/${ID.take}?to=height`);
  });

  test('what agrees has none, and a tie leads to the net', async () => {
    const server = new FakeServer([
      ...dayRecords(),
      record('tie', 't1', { setId: ID.set, from: 'K1', to: 'K2', length: { typed: '2.41 m', unit: 'm', valueM: 2.41, toleranceM: 0.005 }, instrument: 'tape', measuredAt: '2026-11-23T09:00:00.000Z' }),
    ]);
    server.analyses.set('a1', judged({ verdict: 'contradicts', items: [height({ quantity: 'length', about: 'K1–K2', recorded: 2.41 }), height({ verdict: 'agrees' })] }));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.queryByTestId('reading-cameraHeight-frame 1')).toBeNull();
    expect(screen.getByTestId('reading-length-K1–K2')).toHaveTextContent(/Entered as 2\.41 m by wrangler/);
    fireEvent.press(screen.getByTestId('to-reading-length'));
    expect(pushed()).toContain(`/floor/net/${ID.setup}`);
  });

  test('a lens that bends and was taken as straight comes before every verdict, with the way to its plates', async () => {
    const server = new FakeServer();
    const whole = judged({});
    const done = whole.outcome as SolveOutcome;
    server.analyses.set('a1', {
      ...whole,
      outcome: {
        ...done,
        solve: { ...done.solve, bending: { k1: -0.12, remaining: 0.5 }, warnings: [{ code: 'LENS_BENDS', words: 'The lens bends, and this solve took it as straight: k1 about -0.12.' }] },
      },
    });
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('bending')).toHaveTextContent(/The lens bends/);
    fireEvent.press(screen.getByTestId('to-plates'));
    expect(pushed()).toContain(`/kit/${ID.pack}`);
  });

  test('when nothing tells which is wrong, both worlds stand there and what decides', async () => {
    const server = new FakeServer();
    const undecided = {
      worlds: [
        { wrong: ['Length K1–K2'], scale: 1, sigmaScale: 0.01, cameraHeightM: 1.4 },
        { wrong: ['Camera height, frame 1'], scale: 1.3, sigmaScale: 0.01, cameraHeightM: 1.82 },
      ],
      decide: 'Measure K1–K3: 2.100 m if length K1–K2 is wrong, 2.730 m if camera height, frame 1 is wrong.',
    };
    server.analyses.set('a1', judged({ verdict: 'contradicts', items: [height()], undecided }));
    await open(<CheckScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('worlds')).toHaveTextContent(/If length K1–K2 is wrong \(shown here\).*1\.400.*If camera height, frame 1 is wrong.*1\.820.*1\.300 times as large.*Measure K1–K3/);
  });
});

describe('earlier solves of the take', () => {
  const now = outcome('agrees');
  /** As it was before the height was put right: 30 mm lower, with a bump, and another focal length. */
  const lower = outcome('contradicts', {
    focalMm: 24.1,
    rmsPx: 0.91,
    frames: now.solve.frames.map((f) => ({ ...f, position: [f.position[0], f.position[1] - 0.03, f.position[2]] as [number, number, number] })),
    points: now.solve.points.map((q) => ({ ...q, position: [q.position[0], q.position[1] - 0.03, q.position[2]] as [number, number, number] })),
  });
  const turning = outcome('agrees', { motion: 'pan' });
  function serverWith(list: Analysis[]) {
    const server = new FakeServer();
    server.analyses.set('an-1', solved(now));
    const day = server.fetch;
    server.fetch = (async (input: unknown, init: unknown) => {
      const address = String(input);
      const answer = (value: unknown) => ({ ok: true, status: 200, text: async () => JSON.stringify(value), json: async () => value }) as unknown as Response;
      if (server.cut) return day(input as string, init as never);
      if (address.endsWith(`/analyses/of/${ID.take}`)) return answer({ analyses: [solved(now), ...list] });
      const one = list.find((a) => address.endsWith(`/analyses/${a.id}`));
      return one ? answer(one) : day(input as string, init as never);
    }) as typeof day;
    return server;
  }
  const press = async (id: string) => {
    fireEvent.press(screen.getByTestId(id));
    await settle();
  };

  test('one is laid over the one that is shown, says how far they are apart, and is taken off again', async () => {
    const server = serverWith([solved(lower, { id: 'an-0', createdAt: '2026-11-23T14:10:00.000Z' }), solved(turning, { id: 'an-t', createdAt: '2026-11-23T13:00:00.000Z' })]);
    await open(<CheckScreen takeId={ID.take} />, server);
    await settle();
    await press('earlier-solves');
    expect(screen.queryByTestId('earlier-an-1')).toBeNull();
    expect(screen.getByTestId('earlier-an-0')).toHaveTextContent(/0\.91 px, 24\.10 mm free, no distortion/);
    const dashed = () => screen.UNSAFE_root.findAll((n) => String(n.type) === 'RNSVGPath' && n.props.strokeDasharray).length;
    const before = dashed();
    await press('earlier-an-0');
    expect(screen.getByTestId('comparison')).toHaveTextContent(/Focal length 24\.10 mm then, 22\.70 mm now\. As each is anchored the cameras are 30\.0 mm apart, at most 30\.0 mm at frame 1/);
    expect(screen.getByTestId('comparison')).toHaveTextContent(/Laid onto this one by its shape, 0\.0 mm are left/);
    expect(screen.getByTestId('comparison')).toHaveTextContent(/Size and direction are the same/);
    expect(dashed()).toBeGreaterThan(before);
    await press('earlier-an-0');
    expect(screen.queryByTestId('comparison')).toBeNull();
    expect(dashed()).toBe(before);
    // a camera that only turned has no path to lay over
    await press('earlier-an-t');
    expect(screen.getByTestId('comparison')).toHaveTextContent(/cannot be laid over each other/);
    expect(dashed()).toBe(before);
  });

  test('the only one says so; without a network it says where they are', async () => {
    const server = serverWith([]);
    await open(<CheckScreen takeId={ID.take} />, server);
    await settle();
    await press('earlier-solves');
    expect(seen('This is the only one of the take.')).toBe(true);
    screen.unmount();
    const cut = serverWith([]);
    await open(<CheckScreen takeId={ID.take} />, cut);
    await settle();
    cut.cut = true;
    await press('earlier-solves');
    expect(seen('They are on the server')).toBe(true);
  });

  test('a line says what was solved for', () => {
    expect(solveLine(outcome('agrees', { status: 'partial', focalMode: 'zoom', focalMm: null }).solve)).toBe('0.42 px, zoom, no distortion, in part');
  });
});
