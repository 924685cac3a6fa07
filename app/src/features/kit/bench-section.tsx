import { opticsOf, type PackageBody } from '@mesure/contract';
import { compareFrames, depthOfField, formatLength, subjectScale, type Optics, type SolveSetup, isFocusInfinity } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { G, Rect, Text as SvgText } from 'react-native-svg';
import { useAll, useFind } from '../../data';
import { EXPLANATIONS } from '../explanations';
import { Choice, Section } from '../../ui/controls';
import { Drawing } from '../../ui/drawing';
import { fixed } from '../../ui/format';
import { enteredLength, LengthLine } from '../../ui/length-line';
import { LiveNumber } from '../../ui/live-number';
import { useLengthUnit } from '../floor/use-floor';
import { Fact } from '../../ui/fact';
import { Words } from '../../ui/text';
import { FONT, SPACE, usePalette } from '../../ui/theme';
import { viewPackage } from './package-words';

const metres = (m: number): string => (m === Infinity ? '∞' : m < 1 ? `${fixed(100 * m, 1)} cm` : `${fixed(m, 2)} m`);

/** The optics bench: what this package does at a focus distance and stop, and beside another package. */
export function BenchSection({ setup, optics, packageId, body }: { setup: SolveSetup; optics: Optics; packageId: string; body: PackageBody }) {
  const p = usePalette();
  const find = useFind();
  const others = useAll('package')
    .filter((q) => q.id !== packageId)
    .sort((a, b) => (a.body.camera < b.body.camera ? -1 : 1));
  const unit = useLengthUnit();
  const [focusText, setFocusText] = useState(() => formatLength(3, unit));
  const [stop, setStop] = useState<number | null>(4);
  const [circle, setCircle] = useState<'pixel' | '25' | '30'>('pixel');
  const [otherId, setOtherId] = useState<string>(others[0]?.id ?? '');
  const cocMm = circle === 'pixel' ? optics.pitchYUm / 1000 : Number(circle) / 1000;
  const focus = enteredLength(focusText, unit, 'focus distance');
  const focusM = focus.length?.valueM ?? null;
  const asked = focusM !== null && focusM > optics.effectiveFocalMm / 1000 && stop !== null && stop > 0 && stop <= 128;
  const depth = asked ? depthOfField({ focalMm: optics.effectiveFocalMm, stop: stop!, focusM: focusM!, cocMm }) : null;
  const scale = asked && !isFocusInfinity(focusM!) ? subjectScale(setup, focusM!) : null;
  const other = others.find((q) => q.id === otherId);
  const view = other ? viewPackage(other.body, find) : null;
  const there = view?.status === 'complete' ? opticsOf(view.mounted, other!.body.focalMm) : null;
  const against = there ? compareFrames(setup, there) : null;
  return (
    <Section title="Optics bench">
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <LengthLine label="Focus distance" unit={unit} quantity="focus distance" value={focusText} onChangeText={setFocusText} error={focus.error} testID="bench-focus" />
        </View>
        <View style={{ flex: 1 }}>
          <LiveNumber label="Stop" value={stop} onChange={setStop} error={stop !== null && (stop <= 0 || stop > 128) ? 'between 0 and 128' : null} testID="bench-stop" />
        </View>
      </View>
      <Choice
        label="Sharp means a disc of at most"
        value={circle}
        options={[
          { value: 'pixel', title: 'one pixel', detail: `${fixed(optics.pitchYUm, 1)} µm` },
          { value: '25', title: '25 µm' },
          { value: '30', title: '30 µm' },
        ]}
        onChange={setCircle}
      />
      {depth ? (
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }}>
          <Fact about={EXPLANATIONS.depthOfField} label="Sharp from" value={metres(depth.nearM)} testID="bench-near" />
          <Fact about={EXPLANATIONS.depthOfField} label="to" value={metres(depth.farM)} testID="bench-far" />
          <Fact about={EXPLANATIONS.depthOfField} label="Hyperfocal" value={metres(depth.hyperfocalM)} />
          {scale ? (
            <>
              <Fact about={EXPLANATIONS.fieldAtFocus} label="Field at focus" value={`${fixed(scale.fieldWidthM, 2)} × ${fixed(scale.fieldHeightM, 2)}`} unit="m" testID="bench-field" />
              <Fact about={EXPLANATIONS.fieldAtFocus} label="A pixel there" value={fixed(scale.pixelWidthMm, 2)} unit="mm" />
            </>
          ) : null}
        </View>
      ) : (
        <Words look="small" dim>
          Enter a focus distance beyond the lens and a stop.
        </Words>
      )}
      {others.length > 0 ? (
        <View style={{ marginTop: SPACE.m }}>
          <Choice label="Beside" value={otherId} options={others.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))} onChange={setOtherId} />
          {against && there && other ? (
            <>
              <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }}>
                <Fact about={EXPLANATIONS.sameView} label={`Crop against ${other.body.camera}-cam`} value={fixed(against.cropAgainst, 3)} />
                <Fact about={EXPLANATIONS.sameView} label={`Same view on ${other.body.camera}-cam`} value={fixed(against.matchingFocalMm, 1)} unit="mm marked" testID="bench-match" />
              </View>
              <Drawing
                box={{
                  x: -0.6 * Math.max(1, 1 / against.widthShare),
                  y: -0.4 * Math.max(1, 1 / against.heightShare),
                  width: 1.2 * Math.max(1, 1 / against.widthShare),
                  height: 0.8 * Math.max(1, 1 / against.heightShare),
                }}
                maxHeight={220}
                describe={`${body.camera}-cam sees ${fixed(against.widthShare, 2)} times the width and ${fixed(against.heightShare, 2)} times the height that ${other.body.camera}-cam sees.`}
              >
                {(px) => {
                  const h = 1 / optics.desqueezedAspect;
                  const [ow, oh] = [1 / against.widthShare, h / against.heightShare];
                  return (
                    <G>
                      <Rect x={-ow / 2} y={-oh / 2} width={ow} height={oh} fill="none" stroke={p.dim} strokeWidth={px(2)} strokeDasharray={`${px(6)} ${px(4)}`} />
                      <Rect x={-0.5} y={-h / 2} width={1} height={h} fill={p.blue} fillOpacity={0.14} stroke={p.blue} strokeWidth={px(2.5)} />
                      <SvgText x={-0.5 + px(6)} y={h / 2 - px(6)} fontSize={px(13)} fontFamily={FONT.text} fill={p.ink}>{`${body.camera}-cam`}</SvgText>
                      <SvgText x={-ow / 2} y={-oh / 2 - px(6)} fontSize={px(13)} fontFamily={FONT.text} fill={p.dim}>{`${other.body.camera}-cam`}</SvgText>
                    </G>
                  );
                }}
              </Drawing>
            </>
          ) : (
            <Words look="small" dim>
              {view?.status === 'incomplete' ? view.why : 'Choose another package.'}
            </Words>
          )}
        </View>
      ) : null}
    </Section>
  );
}
