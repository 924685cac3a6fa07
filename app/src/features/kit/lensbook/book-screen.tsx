import { factorOf, type MountedPackage, type PupilGroup, type StoredRecord } from '@mesure/contract';
import { COEFFICIENTS, coefficientsOf, CoreError, formatLength, lensAt, nextPlate, pupilFromDistances, type LensBook } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useFind, useMayWrite, useRecordsState } from '../../../data';
import { EXPLANATIONS } from '../../explanations';
import { Explained } from '../../../ui/explain';
import { Action, Field, Row, Section } from '../../../ui/controls';
import { enteredLength, LengthLine } from '../../../ui/length-line';
import { useLengthUnit } from '../../floor/use-floor';
import { fixed, focal, readNumber, withSigma } from '../../../ui/format';
import { Empty } from '../../../ui/states';
import { Fact } from '../../../ui/fact';
import { Figure, Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';
import { Page } from '../../shell/pane';
import { PackageGate } from '../package-gate';
import { BookField, focusWords } from './book-field';
import { lensWords } from '../package-words';
import { useBook } from './use-book';

/** All that is known of the lens of a package: its plates as a field, what lies between them, and what is still open. */
export function BookScreen({ packageId }: { packageId: string }) {
  return (
    <PackageGate packageId={packageId} what="the lens book">
      {(record, mounted) => <Book key={record.id} record={record} mounted={mounted} />}
    </PackageGate>
  );
}

function Book({ record, mounted }: { record: StoredRecord<'package'>; mounted: MountedPackage }) {
  const router = useRouter();
  const { book, measured, range, groups, setup } = useBook(record, mounted);
  const [focalText, setFocalText] = useState(focal(record.body.focalMm));
  const unit = useLengthUnit();
  const [focusText, setFocusText] = useState(() => formatLength(3, unit));
  const typedFocal = readNumber(focalText);
  const focusRead = enteredLength(focusText, unit, 'focus distance');
  const focalMm = typedFocal && typedFocal >= 1 ? typedFocal : record.body.focalMm;
  const focusM = focusRead.length ? focusRead.length.valueM : 3;
  const next = nextPlate(book, range);
  const factor = factorOf(mounted);
  return (
    <Page action={<Action title="Back to the package" icon="arrow-back" onPress={() => router.push(`/kit/${record.id}`)} />}>
      <Words look="title" level={1}>{`Lens book, ${mounted.lens.name}`}</Words>
      <Words dim>{`${lensWords(mounted.lens)} · ${mounted.lens.serial || 'no serial number'} · ${mounted.adapter?.name ?? 'no adapter'}, on ${mounted.mode.name}`}</Words>
      <View style={{ marginTop: SPACE.s, minHeight: 44, justifyContent: 'flex-end' }}>
        <Words look="heading" level={2} testID="next-plate">
          {next ? next.sentence : 'Covered: another plate would tell nothing new.'}
        </Words>
      </View>
      <BookField book={book} range={range} next={next} asked={{ focalMm, focusM }} />
      <View style={{ flexDirection: 'row', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <Field
            label="Focal length as marked"
            suffix="mm"
            value={focalText}
            onChangeText={setFocalText}
            error={typedFocal && typedFocal >= 1 ? null : 'Enter a focal length in mm'}
            keyboard="decimal-pad"
            testID="book-focal"
          />
        </View>
        <View style={{ flex: 1 }}>
          <LengthLine label="Focus distance" unit={unit} quantity="focus distance" value={focusText} onChangeText={setFocusText} error={focusRead.error} testID="book-focus" />
        </View>
      </View>
      {book ? (
        <Setting book={book} focalMm={focalMm} focusM={focusM} factor={factor} />
      ) : (
        <Empty title="No usable plate yet" text="Shoot the plate that is named above; the book opens with the first one." />
      )}
      {groups.length > 0 ? <Pupil groups={groups} record={record} mounted={mounted} /> : null}
      <Section title="Plates in this book">
        <View style={{ marginHorizontal: -SPACE.m }}>
          {(book?.plates ?? []).map((q) => {
            const left = book!.leftOut.find((l) => l.id === q.id);
            const mine = measured.find((m) => m.id === q.id);
            return (
              <Row
                key={q.id}
                testID={`book-${q.id}`}
                title={`${focal(q.focalMm)} mm at ${q.focusM === null ? 'a focus not noted' : focusWords(q.focusM)} · ${mine?.plate.picture.name ?? ''}`}
                detail={[
                  `own fit ${fixed(q.rmsPx, 3)} px`,
                  left ? `${left.rmsPx < 10 ? fixed(left.rmsPx, 2) : fixed(left.rmsPx, 0)} px from what the others predict${left.beyond ? ', beyond them' : ''}` : null,
                  q.focalRatio ? `marked ${focal(q.focalMm)}, measured ${measuredWords(q.focalMm * factor * q.focalRatio.value, q.focalMm * factor * q.focalRatio.sigma)} mm` : null,
                ]
                  .filter(Boolean)
                  .join(' · ')}
                onPress={() => router.push(`/kit/plate/${q.id}`)}
              />
            );
          })}
        </View>
        {book ? (
          <Words look="small" dim style={{ marginTop: SPACE.s }}>
            {`Frame of ${setup.image.width} × ${setup.image.height} px. Each plate is left out in turn and predicted by the others: a plate far off is noted with the wrong focal length, focus or adapter, or lies beyond the others.`}
          </Words>
        ) : null}
      </Section>
    </Page>
  );
}

const measuredWords = (mm: number, sigma: number): string => {
  const w = withSigma(mm, sigma);
  return `${w.value} ± ${w.sigma}`;
};

/** The lens at one setting, between its plates. */
function Setting({ book, focalMm, focusM, factor }: { book: LensBook; focalMm: number; focusM: number; factor: number }) {
  const est = lensAt(book, { focalMm, focusM });
  const { distortion: d } = est;
  const values = coefficientsOf(d);
  const coefficients = COEFFICIENTS[d.model].map((name, i): [string, number] => [name, values[i]]);
  const { left, right, top, bottom, width, height } = est.overscan;
  return (
    <Section title="At this setting">
      <Words testID="book-sentence" style={{ minHeight: 44 }}>
        {`${est.where === 'beyond' ? '▲ ' : ''}${est.sentence}`}
      </Words>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl, rowGap: SPACE.s }}>
        {est.focalRatio ? (
          <View testID="book-true-focal">
            <Words look="label" dim>{`Marked ${focal(focalMm)}, measured`}</Words>
            <Explained about={EXPLANATIONS.bookFocal}>
              <Figure {...withSigma(focalMm * factor * est.focalRatio.value, focalMm * factor * est.focalRatio.sigma)} unit="mm" origin="computed" />
            </Explained>
          </View>
        ) : null}
        <Fact about={EXPLANATIONS.cornerDisplacement} label="Corner displacement" value={fixed(est.cornerDisplacementPct, 2)} unit="% of half diagonal" testID="book-corner" />
        <Fact about={EXPLANATIONS.undistortedSize} label="Undistorted" value={`${fixed(width, 0)} × ${fixed(height, 0)}`} unit="px" />
        <Fact about={EXPLANATIONS.undistortedSize} label="Beyond left, right, top, bottom" value={[left, right, top, bottom].map((v) => fixed(v, 0)).join(', ')} unit="px" />
      </View>
      <Words look="small" dim style={{ marginTop: SPACE.s }}>
        {`${d.model}: ${coefficients.map(([name, v]) => `${name} ${v.toPrecision(3)}`).join(', ')}; normalised with ${fixed(d.focalMm, 2)} mm.`}
        {est.modelRmsPx > 0.05 ? ` One ${d.model} model misses what the plates say together by ${fixed(est.modelRmsPx, 2)} px.` : ''}
      </Words>
    </Section>
  );
}

/** One setting with the chart at two distances or more: the true focal length and where the entrance pupil lies. */
function Pupil({ groups, record, mounted }: { groups: PupilGroup[]; record: StoredRecord<'package'>; mounted: MountedPackage }) {
  const find = useFind();
  const write = useRecordsState((s) => s.write);
  const mayWrite = useMayWrite();
  return (
    <Section title="Entrance pupil">
      {groups.map((g) => {
        const setting = `${focal(g.focalMm)} mm, ${g.charts.length} distances`;
        try {
          const e = pupilFromDistances(g.charts, g.recordedMm);
          const lens = find('lens', record.body.lensId);
          const known = mounted.lens.pupilMm ?? null;
          return (
            <View key={setting + g.focusM} style={{ marginBottom: SPACE.m }} testID="pupil">
              <Words look="label" dim>
                {setting}
              </Words>
              <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.xl }}>
                <Explained about={EXPLANATIONS.entrancePupil}>
                  <Figure {...withSigma(e.pupilMm, e.sigmaPupilMm)} unit="mm before the sensor mark" origin="computed" />
                </Explained>
                <Explained about={EXPLANATIONS.focalFromChart}>
                  <Figure {...withSigma(e.focalMm, e.sigmaFocalMm)} unit="mm focal length" origin="computed" />
                </Explained>
              </View>
              {e.rmsMm !== null ? <Words look="small" dim>{`The tape misses the line by ${fixed(e.rmsMm, 1)} mm.`}</Words> : null}
              {mayWrite && lens && (known === null || Math.abs(known - e.pupilMm) > 1) ? (
                <Action
                  title={`Keep ${fixed(e.pupilMm, 0)} mm with the lens`}
                  testID="keep-pupil"
                  onPress={() =>
                    void write(
                      'lens',
                      lens.id,
                      (now) => ({ ...now, pupilMm: Number(e.pupilMm.toFixed(1)), pupilSource: 'measured' }),
                      `${lens.body.name}: pupil ${fixed(e.pupilMm, 0)} mm before the mark`,
                    )
                  }
                />
              ) : null}
            </View>
          );
        } catch (error) {
          return <Words key={setting} look="small" dim>{`${setting}: ${error instanceof CoreError ? error.message : String(error)}`}</Words>;
        }
      })}
    </Section>
  );
}
