import { recordedSetup, rigAt, sigmaOf, takeSync, ticksOr, type AnalysisChoice, type SyncOutcome, type TakeBody } from '@mesure/contract';
import { mountedAs, type RecordedMounting, type WitnessInput, type WitnessPlacement } from '@mesure/core';
import type { Database } from '../../db/connect';
import { ApiProblem } from '../../http/problem';
import type { WitnessSnapshot } from '../compute-types';
import type { InputContext } from '../job';
import { lensEvidence } from './lens-evidence';

/** What was recorded of a witness camera that was carried by a take's main one, as a solve of both is set up. @throws ApiProblem that says what is missing */
export async function witnessOf(
  { db, productionId, subjectId, find, all, mounted }: InputContext,
  take: TakeBody,
  packageId: string,
  choice: AnalysisChoice,
): Promise<{ snapshot: WitnessSnapshot; noted: RecordedMounting | null }> {
  const clip = take.witnesses?.find((w) => w.packageId === packageId);
  const m = mounted(packageId);
  const name = `${m.pack.camera}-cam`;
  if (!clip?.tracks) throw new ApiProblem('NOT_READY', `${name} has no tracks of this take yet. Give it a tracks file first.`);
  const setup = find('setup', take.setupId)?.body;
  if (!setup) throw new ApiProblem('NOT_READY', 'The setup of this take is hidden. Bring it back, or move the take to another one.');
  const rig = rigAt(all('rig'), take.setupId, packageId, take.loggedAt)?.body ?? null;
  if (rig?.placement.way === 'free') throw new ApiProblem('NOT_READY', `${name} stood on the set in this take, and was not carried by the main camera: solve each by itself.`);
  const focalMm = clip.focalMm ?? (m.lens.minFocalMm === m.lens.maxFocalMm ? m.lens.minFocalMm : null);
  if (focalMm === null) throw new ApiProblem('NOT_READY', `The lens of ${name} zooms: note the focal length that it was set to in this take.`);
  const main = mounted(take.packageId);
  const sync = all('sync').find((s) => s.body.takeId === subjectId && s.body.packageId === packageId) ?? null;
  const heard = sync ? await heardOf(db, productionId, sync.id) : null;
  const ran = takeSync({ take, packageId, sync: sync?.body ?? null, outcome: heard, mainFps: main.mode.fps, witnessFps: m.mode.fps });
  if (ran.offsetS === null) throw new ApiProblem('NOT_READY', `Nobody knows how the clip of ${name} ran against the main one. Note both timecodes or a clap, or give the sound of both (Floor, Sync).`);
  const evidence = await lensEvidence(db, productionId, m, all, find);
  const none = { height: null, heightEnd: null, tilt: null, roll: null, distance: null, focalEndMm: null, focalByFrame: null };
  const first = { main: all('footage').find((f) => f.body.takeId === subjectId)?.body.firstFrame ?? 1, witness: clip.firstFrame ?? 1 };
  const placement = rig?.placement as (WitnessPlacement & { way: 'rigid' }) | undefined;
  const snapshot: WitnessSnapshot = {
    packageId,
    name,
    file: clip.tracks,
    setup: {
      ...recordedSetup({
        mounted: m,
        take: { ...take, ...none, focalMm, focusM: clip.focusM },
        setup,
        ties: [],
        ...evidence,
        focalMode: choice.focalMode ?? 'free',
        ticks: { readoutOut: ticksOr(choice, m).readoutOut },
      }),
      fps: m.mode.fps,
    },
    shift: shiftOf(ran.offsetS, ran.mainFps, ran.witnessFps, first),
    // a mark of the set has one name; whatever else was followed is counted by each camera for itself
    shared: [...(find('set', setup.setId)?.body.marks ?? [])],
    mounted: placement ? mountedAs(placement) : null,
  };
  if (!rig || !placement) return { snapshot, noted: null };
  const { way: _way, ...as } = placement;
  return { snapshot, noted: { name, ...as, sigmaM: sigmaOf(rig.toleranceM) } };
}

/** The latest of what was heard of two clips. */
async function heardOf(db: Database, productionId: string, syncId: string): Promise<SyncOutcome | null> {
  const row = await db.AnalysisRow.findOne({ where: { productionId, kind: 'sync', status: 'done', subjectId: syncId }, order: [['createdAt', 'DESC']] });
  return row ? (row.outcome as SyncOutcome) : null;
}

/** Both clips are counted from their own first frame; the same moment comes `offsetS` later in the witness's. */
export function shiftOf(offsetS: number, mainFps: number, witnessFps: number, first: { main: number; witness: number }): WitnessInput['shift'] {
  const perFrame = witnessFps / mainFps;
  // a microframe is what the clocks' own seconds round to
  return { addFrames: Number((first.witness + offsetS * witnessFps - perFrame * first.main).toFixed(6)), perFrame };
}
