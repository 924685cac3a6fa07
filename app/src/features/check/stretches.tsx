import type { ShotPart, SolveResult } from '@mesure/core';
import { View } from 'react-native';
import { Section } from '../../ui/controls';
import { fixed } from '../../ui/format';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

const NAMED = 6;

/** A shot that a whip parted: its stretches along time, and what holds each to the others. */
export function Stretches({ parts }: { parts: readonly ShotPart[] | undefined }) {
  const p = usePalette();
  if (!parts || parts.length < 2) return null;
  const [from, to] = [Math.min(...parts.map((s) => s.from)), Math.max(...parts.map((s) => s.to))];
  const share = (frame: number): `${number}%` => `${(100 * (frame - from)) / Math.max(1, to + 1 - from)}%`;
  return (
    <Section title="Stretches">
      <Words look="small" dim>
        Too few tracks go on between them to lead the camera over frame by frame.
      </Words>
      <View style={{ height: 20, borderBottomWidth: 1, borderColor: p.line, marginVertical: SPACE.s }} aria-hidden>
        {parts.map((s) => (
          <View
            key={s.from}
            style={{
              position: 'absolute',
              left: share(s.from),
              width: share(from + s.to + 1 - s.from),
              top: 2,
              bottom: 2,
              borderWidth: 2,
              borderColor: s.holds === 'nothing' ? p.against : p.blue,
              backgroundColor: s.holds === 'nothing' ? 'transparent' : p.blue,
              borderStyle: s.holds === 'nothing' ? 'dashed' : 'solid',
            }}
          />
        ))}
      </View>
      {[...parts]
        .sort((a, b) => a.from - b.from)
        .map((s) => (
          <View key={s.from} style={{ paddingVertical: SPACE.xs }} testID={`stretch-${s.from}`}>
            <Words>{`Frames ${s.from} to ${s.to}: ${heldWords(s, parts)}`}</Words>
            {s.alone ? (
              <Words look="small" dim>
                {aloneWords(s.alone)}
              </Words>
            ) : null}
          </View>
        ))}
    </Section>
  );
}

export function heldWords(part: ShotPart, parts: readonly ShotPart[]): string {
  const names = `${part.by.slice(0, NAMED).join(', ')}${part.by.length > NAMED ? ` and ${part.by.length - NAMED} more` : ''}`;
  switch (part.holds) {
    case 'first':
      return parts.some((s) => s.holds === 'tracks' || s.holds === 'surveyed') ? 'what the rest is laid on.' : 'solved.';
    case 'tracks':
      return `joined by what both sides see: ${names}.`;
    case 'surveyed':
      return `put beside it by surveyed places of its own: ${names}.`;
    case 'nothing':
      return '▲ nothing ties it to the rest; its frames have no camera.';
  }
}

const aloneWords = ({ focalMm, sigmaFocalMm, noisePx }: NonNullable<ShotPart['alone']>): string =>
  `By itself: ${sigmaFocalMm === null ? 'its focal length is not told' : sigmaFocalMm ? `${fixed(focalMm, 2)} ± ${fixed(sigmaFocalMm, 2)} mm` : `${fixed(focalMm, 2)} mm held`}${noisePx === null ? '' : `, tracks to ${fixed(noisePx, 2)} px`}.`;

/** For the line of facts: nothing where the shot is one piece. */
export const stretchesWords = ({ parts }: Pick<SolveResult, 'parts'>): string => (parts && parts.length > 1 ? `${parts.length} stretches, ` : '');
