import type { StoredRecord } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { isWhole, useAll, useAnalysesState, useData } from '../../../data';
import { Section } from '../../../ui/controls';
import { ClipPicture } from './clip-picture';
import { CountStrip } from './count-strip';
import { useFollowed, useFrames } from './use-frames';

/** The take's picture with its tracks beside the verdict: scrubbed, not changed. Nothing where its clip was not followed. */
export function ClipMoment({ take }: { take: StoredRecord<'take'> }) {
  const { session } = useData();
  const footage = useAll('footage').find((f) => f.body.takeId === take.id);
  const analysis = useAnalysesState((s) => (footage ? s.bySubject[footage.id] : undefined));
  const loadWhole = useAnalysesState((s) => s.loadWhole);
  useEffect(() => {
    if (footage) void loadWhole(footage.id);
  }, [footage, analysis?.id, analysis?.status, loadWhole]);
  const outcome = analysis?.status === 'done' && analysis.outcome?.kind === 'tracks' && isWhole(analysis) ? analysis.outcome : null;
  if (!footage || !outcome) return null;
  return <Moment key={footage.id} productionId={session.production.id} footage={footage.body} outcome={outcome} />;
}

function Moment({ productionId, footage, outcome }: { productionId: string; footage: StoredRecord<'footage'>['body']; outcome: Parameters<typeof useFrames>[2] }) {
  const [index, setIndex] = useState(0);
  const urlOf = useFrames(productionId, footage, outcome);
  const tracks = useFollowed(productionId, outcome);
  return (
    <Section title="Picture and tracks">
      <ClipPicture footage={footage} index={index} url={urlOf(index)} tracks={tracks} outline={[]} describe="Dots: tracks that a solve may use. Crosses: left out." />
      <CountStrip frames={outcome?.frames ?? []} firstFrame={footage.firstFrame} index={index} count={footage.frames} onChange={setIndex} />
    </Section>
  );
}
