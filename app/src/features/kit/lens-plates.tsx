import type { Analysis, StoredRecord } from '@mesure/contract';
import { CoreError, parseLength } from '@mesure/core';
import { useRouter } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { api, newId, useAll, useAnalysesState, useData, useFind, useMayWrite, useRecordsState } from '../../data';
import { Action, Choice, Field, Row, Section, Sheet } from '../../ui/controls';
import { fixed, focal, percent, readNumber } from '../../ui/format';
import { pickFile } from '../../ui/pick-file';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

export function plateState(a: Analysis | undefined): string {
  if (!a) return 'not measured yet';
  if (a.status === 'queued') return 'waits for the server';
  if (a.status === 'running') return `${a.stage}, ${percent(a.progress)}`;
  if (a.status === 'failed') return a.error ?? 'failed';
  if (a.status === 'stopped') return 'stopped';
  return a.outcome?.kind === 'grid' ? a.outcome.report.sentence : '';
}

/** The grid plates of a package's lens, and the way to add one. */
export function LensPlates({ record }: { record: StoredRecord<'package'> }) {
  const router = useRouter();
  const lens = useFind()('lens', record.body.lensId);
  const plates = useAll('plate')
    .filter((q) => q.body.lensId === record.body.lensId)
    .sort((a, b) => (a.body.shotAt < b.body.shotAt ? 1 : -1));
  const bySubject = useAnalysesState((s) => s.bySubject);
  const mayWrite = useMayWrite();
  const [file, setFile] = useState<File | null>(null);
  return (
    <Section title={`Grid plates of ${lens?.body.name ?? 'the lens'}`}>
      {plates.length === 0 ? (
        <Empty title="No grid plate yet" text="Shoot a chequered or ruled chart square-on that fills the whole frame; the server finds the corners and fits the distortion." />
      ) : null}
      <View style={{ marginHorizontal: -SPACE.m }}>
        {plates.map((q) => (
          <Row
            key={q.id}
            testID={`plate-${q.body.picture.name}`}
            title={`${focal(q.body.focalMm)} mm${q.body.focusM ? ` at ${fixed(q.body.focusM, 1)} m` : ''}`}
            detail={plateState(bySubject[q.id])}
            onPress={() => router.push(`/kit/plate/${q.id}`)}
          />
        ))}
      </View>
      {mayWrite ? (
        <View style={{ marginTop: SPACE.m }}>
          <Action title="Add a grid plate" icon="add-a-photo" testID="add-plate" onPress={() => void pickFile('image/jpeg,image/png,image/tiff').then((f) => f && setFile(f))} />
        </View>
      ) : null}
      {file ? <NewPlate file={file} record={record} onClose={() => setFile(null)} /> : null}
    </Section>
  );
}

function NewPlate({ file, record, onClose }: { file: File; record: StoredRecord<'package'>; onClose: () => void }) {
  const p = usePalette();
  const router = useRouter();
  const { session, records, analyses } = useData();
  const write = useRecordsState((s) => s.write);
  const [focalText, setFocalText] = useState(focal(record.body.focalMm));
  const [focusText, setFocusText] = useState('');
  const [cellText, setCellText] = useState('40 mm');
  const [chart, setChart] = useState<'chequer' | 'ruled'>('chequer');
  const [errors, setErrors] = useState<{ focal?: string; focus?: string; cell?: string }>({});
  const [state, setState] = useState<{ busy: boolean; error: string | null }>({ busy: false, error: null });
  async function add() {
    const found: typeof errors = {};
    const focalMm = readNumber(focalText);
    if (focalMm === null || focalMm < 1) found.focal = 'Enter a focal length in mm, such as 32';
    const length = (text: string, key: 'focus' | 'cell', unit: 'm' | undefined): number | null => {
      try {
        return parseLength(text, unit).valueM;
      } catch (e) {
        found[key] = e instanceof CoreError ? e.message : String(e);
        return null;
      }
    };
    const focusM = focusText.trim() === '' ? null : length(focusText, 'focus', 'm');
    const cellM = length(cellText, 'cell', undefined);
    setErrors(found);
    if (Object.keys(found).length > 0) return;
    setState({ busy: true, error: null });
    try {
      const uploaded = await api.upload(session.production.id, file, file.name, 'plate');
      const id = newId();
      await write(
        'plate',
        id,
        {
          lensId: record.body.lensId,
          packageId: record.id,
          picture: { sha256: uploaded.sha256, name: uploaded.name },
          focalMm: focalMm!,
          focusM,
          cellM: cellM!,
          chart,
          shotAt: new Date().toISOString(),
        },
        'Grid plate added',
      );
      await records.getState().send();
      await analyses.getState().start('grid', id);
      onClose();
      router.push(`/kit/plate/${id}`);
    } catch (e) {
      setState({ busy: false, error: `${e instanceof Error ? e.message : e} The picture is still on this device; nothing was added.` });
    }
  }
  return (
    <Sheet title="New grid plate" open onClose={onClose}>
      <Words dim numberOfLines={1}>{`${file.name}, ${(file.size / 1e6).toFixed(1)} MB`}</Words>
      <View style={{ height: SPACE.m }} />
      <Field label="Focal length as marked" suffix="mm" value={focalText} onChangeText={setFocalText} error={errors.focal} keyboard="decimal-pad" />
      <Field label="Focus distance" value={focusText} onChangeText={setFocusText} error={errors.focus} hint="2.5 m; leave empty when not noted" />
      <Choice
        label="Chart"
        value={chart}
        options={[
          { value: 'chequer', title: 'chequered' },
          { value: 'ruled', title: 'ruled', detail: 'thin lines' },
        ]}
        onChange={setChart}
      />
      <Field label="Size of a cell" value={cellText} onChangeText={setCellText} error={errors.cell} hint="With its unit: 40 mm, 1 1/2 in" />
      {state.error ? <Words role="alert" color={p.against}>{`▲ ${state.error}`}</Words> : null}
      <Action kind="main" title={state.busy ? 'Sending the picture …' : 'Measure this plate'} onPress={() => void add()} busy={state.busy} testID="measure-plate" />
    </Sheet>
  );
}
