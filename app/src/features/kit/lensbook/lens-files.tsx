import { opticsOf, type MountedPackage, type StoredRecord } from '@mesure/contract';
import type { GridReport } from '@mesure/core';
import { writeDistortionCsv, writeDistortionJson, writeLensMetadata, type LensSetting } from '@mesure/formats/lens';
import { useState } from 'react';
import { Linking, View } from 'react-native';
import { api, filesOf, useAnalysesState, useData } from '../../../data';
import { Action, Choice, Progress, Row, Section } from '../../../ui/controls';
import { capital, fixed, percent } from '../../../ui/format';
import { saveFile } from '../../../ui/save-file';
import { waitingWords } from '../../../ui/stale-words';
import { Failing } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { SPACE } from '../../../ui/theme';

/** What leaves of a measured lens: the numbers at once, the maps and the undistorted plate from the server. */
export function LensFiles({ record, report, mounted }: { record: StoredRecord<'plate'>; report: GridReport; mounted: MountedPackage }) {
  const { session } = useData();
  const [mapFormat, setMapFormat] = useState<'exr' | 'tiff'>('exr');
  const job = useAnalysesState((s) => s.bySubject[filesOf(record.id)]);
  const start = useAnalysesState((s) => s.start);
  const stop = useAnalysesState((s) => s.stop);
  const error = useAnalysesState((s) => s.error);
  const { body } = record;
  const setting: LensSetting = {
    lens: mounted.lens.name,
    serial: mounted.lens.serial,
    body: `${mounted.body.name}, ${mounted.mode.name}`,
    focalMm: body.focalMm,
    focusM: body.focusM,
    pupilMm: mounted.lens.pupilMm ?? null,
    report,
    setup: opticsOf(mounted, body.focalMm),
  };
  const name = `${mounted.lens.name} ${body.focalMm}mm`.replace(/[^\p{L}\p{N}.]+/gu, '_');
  const metadata = writeLensMetadata(setting);
  const running = job?.status === 'queued' || job?.status === 'running';
  const outcome = job?.status === 'done' && job.outcome?.kind === 'lens-files' ? job.outcome : null;
  return (
    <Section title="To take away">
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        <Action
          title="JSON"
          label="Save the distortion as JSON"
          onPress={() => saveFile(`${name}.json`, writeDistortionJson(mounted.lens.name, report, setting.setup), 'application/json')}
          testID="save-json"
        />
        <Action title="CSV" label="Save the distortion as CSV" onPress={() => saveFile(`${name}.csv`, writeDistortionCsv([setting]), 'text/csv')} testID="save-csv" />
        <Action
          title="Lens metadata"
          label="Save as camera and lens metadata (SMPTE open tracking schema)"
          disabled={metadata === null}
          onPress={() => metadata && saveFile(`${name}.lens.json`, metadata, 'application/json')}
          testID="save-metadata"
        />
      </View>
      <View style={{ marginTop: SPACE.m }}>
        <Choice
          label="ST maps as"
          value={mapFormat}
          options={[
            { value: 'exr', title: 'OpenEXR', detail: '32-bit float' },
            { value: 'tiff', title: 'TIFF', detail: '32-bit float' },
          ]}
          onChange={setMapFormat}
        />
      </View>
      {running && job ? (
        <View style={{ gap: SPACE.s }}>
          <Progress fraction={job.progress} label={job.status === 'queued' ? capital(waitingWords(job)) : `${job.stage}, ${percent(job.progress)}`} />
          <Action title="Stop making them" icon="stop" onPress={() => void stop(filesOf(record.id))} />
        </View>
      ) : (
        <Action
          title={body.given ? 'Make ST maps' : 'Make ST maps and the undistorted plate'}
          icon="transform"
          onPress={() => void start('lens-files', record.id, { mapFormat })}
          testID="make-files"
        />
      )}
      {job?.status === 'failed' ? <Failing title="The files were not made" text={`${job.error ?? ''} The plate and its distortion are safe.`} /> : null}
      {!job && error ? <Failing title="The files were not made" text={error} /> : null}
      {outcome ? (
        <>
          <Words look="small" dim style={{ marginTop: SPACE.s }} testID="round-trip">
            {`There and back again through both maps: ${outcome.roundTripPx < 0.001 ? 'below 0.001' : fixed(outcome.roundTripPx, 3)} px at worst.`}
          </Words>
          <View style={{ marginHorizontal: -SPACE.m }}>
            {outcome.files.map((f) => (
              <Row
                key={f.sha256 + f.name}
                testID={`file-${f.name}`}
                title={f.name}
                detail={`${f.what} · ${(f.sizeBytes / 1e6).toFixed(1)} MB`}
                onPress={() => void Linking.openURL(api.fileUrl(session.production.id, f.sha256))}
              />
            ))}
          </View>
        </>
      ) : null}
    </Section>
  );
}
