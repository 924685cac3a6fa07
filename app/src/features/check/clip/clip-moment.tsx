import type { FootageBody, SolveOutcome, StoredRecord, TracksOutcome } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { isWhole, useAll, useAnalysesState, useData } from '../../../data';
import { Action, Section } from '../../../ui/controls';
import { ClipPicture } from './clip-picture';
import { CountStrip } from './count-strip';
import { useStanding } from './standing';
import { useFollowed, useFrames } from './use-frames';

/** The take's picture with its tracks beside the verdict: scrubbed, not changed. Nothing where its clip was not followed. */
export function ClipMoment({ take, outcome: solved, marks }: { take: StoredRecord<'take'>; outcome: SolveOutcome; marks: readonly string[] }) {
  const { session } = useData();
  const footage = useAll('footage').find((f) => f.body.takeId === take.id);
  const analysis = useAnalysesState((s) => (footage ? s.bySubject[footage.id] : undefined));
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  useEffect(() => {
    if (footage) void loadWhole(footage.id);
  }, [footage, analysis?.id, analysis?.status, loadWhole]);
  const outcome = analysis?.status === 'done' && analysis.outcome?.kind === 'tracks' && isWhole(analysis) ? analysis.outcome : null;
  if (!footage || !outcome) return null;
  return <Moment key={footage.id} productionId={session.production.id} footage={footage.body} outcome={outcome} solved={solved} addFrames={take.body.tracksCounted?.addFrames ?? 0} marks={marks} />;
}

interface Shown {
  productionId: string;
  footage: FootageBody;
  outcome: TracksOutcome;
  solved: SolveOutcome;
  addFrames: number;
  marks: readonly string[];
}
/** Of a clip that does not say its own. */
const USUAL_FPS = 24;

function Moment({ productionId, footage, outcome, solved, addFrames, marks }: Shown) {
  const [index, setIndex] = useState(0);
  const [playing, setPlaying] = useState(false);
  const urlOf = useFrames(productionId, footage, outcome);
  const tracks = useFollowed(productionId, outcome);
  const standing = useStanding({ footage, outcome: solved, tracks, addFrames, marks }, index);
  useEffect(() => {
    if (!playing) return undefined;
    // from the end it begins again
    const timer = setInterval(() => setIndex((i) => (i + 1) % footage.frames), 1000 / (footage.fps ?? USUAL_FPS));
    return () => clearInterval(timer);
  }, [playing, footage.frames, footage.fps]);
  return (
    <Section title="Picture and tracks">
      <ClipPicture
        footage={footage}
        index={index}
        url={urlOf(index)}
        tracks={tracks}
        outline={[]}
        standing={standing.linesAt(index)}
        describe="Dots: tracks that a solve may use. Crosses: left out."
      />
      <CountStrip
        frames={outcome.frames}
        firstFrame={footage.firstFrame}
        index={index}
        count={footage.frames}
        onChange={(i) => {
          setPlaying(false);
          setIndex(i);
        }}
      />
      {/* picture by picture from the server is no speed to play at */}
      <View style={{ alignItems: 'flex-start', display: urlOf(0).startsWith('blob:') ? 'flex' : 'none' }}>
        <Action kind="quiet" icon={playing ? 'pause' : 'play-arrow'} title={playing ? 'Hold' : 'Play it'} onPress={() => setPlaying(!playing)} testID="play-clip" />
      </View>
      {standing.controls}
    </Section>
  );
}
