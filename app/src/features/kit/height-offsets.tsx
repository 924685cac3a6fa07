import { USUAL_OFFSETS_M, type HeightPlace, type StoredRecord } from '@mesure/contract';
import { formatLength, mustReadLength } from '@mesure/core';
import { useMayWrite, useRecordsState } from '../../data';
import { useLineEntry } from '../../forms';
import { Section } from '../../ui/controls';
import { InlineField } from '../../ui/inline-field';
import { Words } from '../../ui/text';
import { useLengthUnit } from '../floor/use-floor';

/** From where a tape is held up to the entrance pupil: measured once for this build, applied to every height taken there. */
export function HeightOffsets({ record }: { record: StoredRecord<'package'> }) {
  return (
    <Section title="Heights of this build">
      <Words look="small" dim>
        A height is that of the entrance pupil. Measure once how far it is above the place where the tape is held.
      </Words>
      {(['body base', 'dolly head'] as const).map((place) => (
        <Offset key={place} record={record} place={place} />
      ))}
    </Section>
  );
}

function Offset({ record, place }: { record: StoredRecord<'package'>; place: HeightPlace }) {
  const unit = useLengthUnit();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const own = record.body.offsetsM?.[place];
  const line = useLineEntry(
    record.id,
    `offset-${place}`,
    own === undefined ? '' : formatLength(own, unit),
    (text) => (text.trim() === '' ? null : mustReadLength(text, { unit, quantity: 'offset to the pupil' }).valueM),
    (m) =>
      void write(
        'package',
        record.id,
        (now) => {
          const { [place]: _was, ...others } = now.offsetsM ?? {};
          return { ...now, offsetsM: m === null ? others : { ...others, [place]: m } };
        },
        `Offset from the ${place} kept`,
      ),
  );
  return (
    <InlineField
      label={`From the ${place}`}
      {...line}
      note={own === undefined ? `not measured: ${formatLength(USUAL_OFFSETS_M[place], unit)} is taken` : null}
      disabled={!mayWrite}
      testID={`offset-${place.replace(' ', '-')}`}
    />
  );
}
