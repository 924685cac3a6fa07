import type { StoredRecord } from '@mesure/contract';
import { netFactWords, type LineUp, type NetFact } from '@mesure/core';
import { View } from 'react-native';
import { Section } from '../../../ui/controls';
import { Explained } from '../../../ui/explain';
import { capital, fixed } from '../../../ui/format';
import { Failing, Loading } from '../../../ui/states';
import { Figure, Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { VerdictMark } from '../../../ui/verdict-mark';
import { Warnings } from '../../../ui/warnings';
import { EXPLANATIONS } from '../../explanations';
import { DifferenceStrip } from '../difference-strip';
import { ReadingBehind } from '../reading-behind';
import { StandDrawing } from './stand-drawing';
import type { LineUpState } from './use-line-up';

/** Where the camera stood and how long its lens was, each with its standard deviation, and each against the record. */
export function Found({ state, take, pointed }: { state: LineUpState; take: StoredRecord<'take'>; pointed: ReadonlySet<string> }) {
  if (state.at === 'pending') return <Loading what="the line-up" />;
  if (state.at !== 'done') return null;
  const { lineUp, report } = state.answer;
  if (lineUp.status === 'failed') return <Failing title="It cannot be lined up" text={`${capital(lineUp.reason ?? '')}. The marks stay as they are.`} />;
  const byLengths = lineUp.frame !== 'places';
  return (
    <>
      {report ? (
        <View style={{ alignSelf: 'flex-start' }} testID="lineup-verdict">
          <VerdictMark verdict={report.verdict} large />
        </View>
      ) : null}
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl }} testID="lineup-found">
        {hasHeight(lineUp) ? (
          <Explained about={byLengths ? EXPLANATIONS.lengthsHeight : EXPLANATIONS.lineUpHeight}>
            <Figure look="big" origin="computed" value={fixed(lineUp.position![1], 3)} unit="m high" />
          </Explained>
        ) : null}
        {lineUp.sigmaFocalMm! > 0 ? (
          <Explained about={byLengths ? EXPLANATIONS.lengthsFocal : EXPLANATIONS.lineUpFocal}>
            <Figure look="big" origin="computed" value={fixed(lineUp.focalMm, 2)} unit="mm" />
          </Explained>
        ) : null}
      </View>
      <Words look="small" dim testID="lineup-sigmas">
        {sigmaWords(lineUp)}
      </Words>
      {report?.items.map((i, n) => (
        <View key={`${i.quantity} ${i.about} ${n}`}>
          <DifferenceStrip item={i} />
          {i.verdict === 'contradicts' && i.causes[0] ? <Words look="small">{`${i.causes[0].title} (${Math.round(100 * i.causes[0].likelihood)} %): ${i.causes[0].evidence}.`}</Words> : null}
          {i.verdict === 'contradicts' || i.verdict === 'drifts' ? <ReadingBehind item={i} take={take} /> : null}
        </View>
      ))}
      <Warnings of={lineUp.warnings} />
      {byLengths ? <ByLengths lineUp={lineUp} /> : null}
      <Section title={lineUp.frame === 'camera' ? 'From above the camera, as it was held' : 'From above'}>
        <StandDrawing lineUp={lineUp} places={state.places} pointed={pointed} />
      </Section>
    </>
  );
}

const hasHeight = ({ frame }: LineUp): boolean => frame === 'places' || frame === 'floor';

function sigmaWords(lineUp: LineUp): string {
  const { angles } = lineUp;
  const parts = [
    ...(hasHeight(lineUp) ? [`Height ± ${fixed(1000 * lineUp.sigmaPositionM![1], 0)} mm`] : []),
    `${lineUp.frame === 'places' ? 'along the lens axis' : 'how far away the marks are'} ± ${fixed(1000 * lineUp.sigmaAlongAxisM!, 0)} mm`,
    lineUp.sigmaFocalMm! > 0 ? `focal length ± ${fixed(lineUp.sigmaFocalMm, 2)} mm` : 'focal length held',
  ];
  const turn = angles ? `; tilt ${degrees(angles.tiltRad, angles.sigmaTiltRad)}, roll ${degrees(angles.rollRad, angles.sigmaRollRad)}` : '';
  return `${capital(parts.join(', '))}${turn}. Marks are ${fixed(lineUp.rmsPx, 2)} px off (RMS).`;
}

/** Where nobody knew the places: what was measured between the marks, and how far off each comes out. */
function ByLengths({ lineUp }: { lineUp: LineUp }) {
  return (
    <Section title={`By ${lineUp.facts.length} measures between the marks`}>
      {lineUp.frame === 'floor' ? null : (
        <Words look="small" dim>
          No mark on the floor is among them: of the camera’s height nothing can be said.
        </Words>
      )}
      {lineUp.facts.map(({ fact, offM, left }, n) => (
        // one pair can be taped twice
        <Words key={`${netFactWords(fact)} ${n}`} look="small" testID={`lineup-fact-${netFactWords(fact)}`}>
          {`${left ? '▲ ' : ''}${capital(netFactWords(fact))}${'m' in fact ? `, ${fixed(fact.m, 3)} m` : ''}: ${offWords(fact, offM)}${left ? ', left out' : ''}.`}
        </Words>
      ))}
    </Section>
  );
}

const OFF: Record<NetFact['kind'], [more: string, less: string]> = {
  tie: ['longer here', 'shorter here'],
  height: ['higher here', 'lower here'],
  wall: ['farther here', 'nearer here'],
  level: ['off', 'off'],
  plumb: ['off', 'off'],
};
const LEAST_MM = 0.5;

function offWords({ kind }: NetFact, offM: number): string {
  const mm = 1000 * Math.abs(offM);
  return mm < LEAST_MM ? 'fits' : `${fixed(mm, 0)} mm ${OFF[kind][offM > 0 ? 0 : 1]}`;
}

const degrees = (rad: number, sigmaRad: number): string => `${fixed((rad * 180) / Math.PI, 1)}° ± ${fixed((sigmaRad * 180) / Math.PI, 1)}°`;
