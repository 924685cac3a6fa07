import { HEIGHT_PLACES, pupilHeightM, type HeightPlace, type TakeBody } from '@mesure/contract';
import { CoreError, formatLength, parseLength, type ParsedLength } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { useAll, useFind, useRecord, useRecordsState } from '../../data';
import { Action, Choice, Field, Section, Stepper } from '../../ui/controls';
import { focal, readNumber } from '../../ui/format';
import { LengthEntry } from '../../ui/length-entry';
import { Empty, Loading } from '../../ui/states';
import { Figure, Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { viewPackage, packageParts } from '../kit/package-words';
import { Page } from '../shell/pane';
import { takeLacks } from './next-take';
import { SwapPackage } from './swap-package';

/** Where a height is usually taken is below the lens; the usual distances to the entrance pupil. */
const OFFSETS: Record<HeightPlace, string> = { 'lens axis': '0 cm', 'body base': '6 cm', 'dolly head': '18 cm' };
const TOLERANCES = ['5 mm', '10 mm', '20 mm', '50 mm'] as const;

/** One take: every field is kept the moment it is left. */
export function TakeScreen({ takeId }: { takeId: string }) {
  const status = useRecordsState((s) => s.status);
  const take = useRecord('take', takeId);
  const router = useRouter();
  if (status === 'loading') return <Loading what="the take" />;
  if (!take || take.deleted)
    return (
      <Page>
        <Empty title="No such take" text="It was undone or removed." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
      </Page>
    );
  return <TakeForm takeId={takeId} body={take.body} />;
}

function TakeForm({ takeId, body }: { takeId: string; body: TakeBody }) {
  const router = useRouter();
  const find = useFind();
  const write = useRecordsState((s) => s.write);
  const packages = useAll('package').sort((a, b) => (a.body.camera < b.body.camera ? -1 : 1));
  const pack = find('package', body.packageId);
  const view = pack ? viewPackage({ ...pack.body, focalMm: body.focalMm }, find) : null;
  const label = `${body.slate} take ${body.take}`;
  const keep = (change: Partial<TakeBody>, what: string) => void write('take', takeId, (now) => ({ ...now, ...change, carried: now.carried.filter((f) => !(f in change)) }), `${label}: ${what} kept`);
  const carried = (field: keyof TakeBody) => (body.carried.includes(field) ? ' ↷ carried over' : '');
  const lacks = takeLacks(body);
  const pupil = pupilHeightM(body);
  return (
    <Page action={<Action kind="main" title="Done, back to the setup" icon="check" onPress={() => router.push(`/floor/${body.setupId}`)} testID="take-done" />}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center' }}>
        <Words look="title" level={1}>
          {label}
        </Words>
        <Action
          kind="quiet"
          icon={body.circled ? 'radio-button-checked' : 'radio-button-unchecked'}
          title={body.circled ? 'Circled' : 'Circle'}
          onPress={() => keep({ circled: !body.circled }, body.circled ? 'not circled' : 'circled')}
        />
      </View>
      <Words dim>{lacks.length > 0 ? `Missing: ${lacks.join(', ')}` : 'Nothing is missing.'}</Words>
      <Section title={`Camera height${carried('height')}`}>
        {pupil !== null && body.height ? (
          <View testID="pupil-height">
            <Figure look="big" origin={body.height.offsetM !== 0 ? 'computed' : 'typed'} value={formatLength(pupil, body.height.unit)} sigma={formatLength(body.height.toleranceM, 'mm')} />
          </View>
        ) : null}
        <LengthEntry
          label="Height as measured"
          value={body.height}
          startM={1.4}
          onCommit={(l: ParsedLength) =>
            keep(
              {
                height: {
                  typed: l.typed,
                  unit: l.unit,
                  valueM: l.valueM,
                  toleranceM: body.height?.toleranceM ?? 0.01,
                  takenAt: body.height?.takenAt ?? 'lens axis',
                  offsetM: body.height?.offsetM ?? 0,
                },
              },
              'height',
            )
          }
        />
        {body.height ? (
          <>
            <Choice
              label="Taken at"
              value={body.height.takenAt}
              options={HEIGHT_PLACES.map((v) => ({ value: v, title: v }))}
              onChange={(takenAt) => keep({ height: { ...body.height!, takenAt, offsetM: parseLength(OFFSETS[takenAt]).valueM } }, `height taken at the ${takenAt}`)}
            />
            {body.height.takenAt !== 'lens axis' ? (
              <LengthField label="From there up to the entrance pupil" valueM={body.height.offsetM} onCommit={(offsetM) => keep({ height: { ...body.height!, offsetM } }, 'offset')} />
            ) : null}
            <Choice<string>
              label="Tolerance"
              value={TOLERANCES.find((t) => Math.abs(parseLength(t).valueM - body.height!.toleranceM) < 1e-9) ?? ''}
              options={TOLERANCES.map((t) => ({ value: t, title: `± ${t}` }))}
              onChange={(t) => keep({ height: { ...body.height!, toleranceM: parseLength(t).valueM } }, 'tolerance')}
            />
          </>
        ) : null}
      </Section>
      <Section title={`Lens${carried('packageId') || carried('focalMm')}`}>
        <Choice
          label="Package"
          value={body.packageId}
          options={packages.map((q) => ({ value: q.id, title: `${q.body.camera}-cam` }))}
          onChange={(packageId) => keep({ packageId, focalMm: find('package', packageId)!.body.focalMm }, 'package')}
        />
        {view?.status === 'complete' ? <Words dim>{packageParts(view.mounted)}</Words> : <Words>{view?.why ?? 'The package is gone.'}</Words>}
        {pack ? <SwapPackage pack={pack} onMounted={(packageId, focalMm) => keep({ packageId, focalMm }, 'package')} /> : null}
        <NumberField label="Focal length from the slate" unit="mm" value={focal(body.focalMm)} onCommit={(focalMm) => keep({ focalMm }, 'focal length')} />
        <LengthField label={`Focus distance${carried('focusM')}`} valueM={body.focusM} optional onCommit={(focusM) => keep({ focusM }, 'focus distance')} />
      </Section>
      <Section title="Slate">
        <TextField label="Slate" value={body.slate} onCommit={(slate) => slate.trim() && keep({ slate: slate.trim() }, 'slate')} />
        <Stepper label="Take" value={body.take} min={1} max={999} onChange={(n) => keep({ take: n }, 'take number')} />
        <TextField label="Notes" value={body.notes} multiline onCommit={(notes) => keep({ notes }, 'notes')} />
      </Section>
    </Page>
  );
}

function LengthField({ label, valueM, onCommit, optional }: { label: string; valueM: number | null; onCommit: (m: number) => void; optional?: boolean }) {
  const shown = valueM === null ? '' : formatLength(valueM, 'm');
  const [text, setText] = useState(shown);
  const [error, setError] = useState<string | null>(null);
  useEffect(() => setText(shown), [shown]);
  const commit = () => {
    if (text === shown || (optional && text.trim() === '')) return;
    try {
      onCommit(parseLength(text, 'm').valueM);
      setError(null);
    } catch (e) {
      setError(e instanceof CoreError ? e.message : String(e));
    }
  };
  return <Field label={label} value={text} onChangeText={setText} onDone={commit} error={error} hint="3.2 m, 10 ft 6 in" />;
}

function NumberField({ label, unit, value, onCommit }: { label: string; unit: string; value: string; onCommit: (v: number) => void }) {
  const [text, setText] = useState(value);
  const [error, setError] = useState<string | null>(null);
  useEffect(() => setText(value), [value]);
  const commit = () => {
    if (text === value) return;
    const n = readNumber(text);
    if (n === null || n < 1) setError(`Enter a number of ${unit}, such as 32`);
    else {
      setError(null);
      onCommit(n);
    }
  };
  return <Field label={label} suffix={unit} value={text} onChangeText={setText} onDone={commit} error={error} keyboard="decimal-pad" />;
}

function TextField({ label, value, onCommit, multiline }: { label: string; value: string; onCommit: (v: string) => void; multiline?: boolean }) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  return (
    <View style={{ marginBottom: SPACE.xs }}>
      <Field label={label} value={text} onChangeText={setText} multiline={multiline} onDone={() => text !== value && onCommit(text)} />
    </View>
  );
}
