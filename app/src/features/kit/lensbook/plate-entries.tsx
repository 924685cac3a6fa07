import { mountPackage, typedLength, USUAL_TOLERANCE, type PlateBody, type StoredRecord } from '@mesure/contract';
import { formatLength, type LengthUnit, formatFocus } from '@mesure/core';
import { useState } from 'react';
import { onto, useAll, useAnalysesState, useClock, useFind, useRecordsState } from '../../../data';
import { bodyProblems, ChoiceField, FormNotes, LengthField, TextField, useKeptForm } from '../../../forms';
import { Action, Sheet } from '../../../ui/controls';
import { focal, readNumber } from '../../../ui/format';
import { enteredLength } from '../../../ui/length-line';
import { useLengthUnit } from '../../floor/use-floor';
import { packageParts } from '../package-words';

interface PlateText {
  packageId: string;
  focalMm: string;
  focusM: string;
  cellM: string;
  distance: string;
}

const QUANTITIES = { focusM: 'focus distance', cellM: 'cell of a chart', distance: 'distance' } as const;

/** What was entered for a plate: the package that it was shot on, marking, focus, chart. Kept, it is measured again. */
export function PlateEntries({ plate, onClose }: { plate: StoredRecord<'plate'>; onClose: () => void }) {
  const clock = useClock();
  const find = useFind();
  const unit = useLengthUnit();
  const write = useRecordsState((s) => s.write);
  const send = useRecordsState((s) => s.send);
  const start = useAnalysesState((s) => s.start);
  const packages = [...useAll('package')].sort((a, b) => a.body.camera.localeCompare(b.body.camera, 'en', { numeric: true }) || (b.body.until ?? '9').localeCompare(a.body.until ?? '9'));
  // only what differs from what the form began with was changed here
  const [base] = useState(plate.body);
  const initial: PlateText = {
    packageId: base.packageId,
    focalMm: focal(base.focalMm),
    focusM: base.focusM === null ? '' : formatFocus(base.focusM, unit),
    cellM: base.cellM === null ? '' : `${Number((1000 * base.cellM).toFixed(3))} mm`,
    distance: base.chartDistance?.typed ?? '',
  };
  const bodyOf = (v: PlateText): PlateBody => {
    const changed = (key: keyof PlateText) => v[key] !== initial[key];
    const metres = (text: string, as: 'focus distance' | 'cell of a chart', usual: LengthUnit) => (text.trim() === '' ? null : (enteredLength(text, usual, as).length?.valueM ?? Number.NaN));
    return {
      ...base,
      packageId: v.packageId,
      // a plate belongs to the lens that was on the camera
      lensId: find('package', v.packageId)?.body.lensId ?? base.lensId,
      ...(changed('focalMm') ? { focalMm: readNumber(v.focalMm.replace(/\s*mm$/i, '')) ?? Number.NaN } : {}),
      ...(changed('focusM') ? { focusM: metres(v.focusM, 'focus distance', unit) } : {}),
      ...(changed('cellM') ? { cellM: metres(v.cellM, 'cell of a chart', 'mm') ?? Number.NaN } : {}),
      ...(changed('distance')
        ? { chartDistance: v.distance.trim() === '' ? null : { ...typedLength(v.distance, unit), toleranceM: base.chartDistance?.toleranceM ?? USUAL_TOLERANCE.distanceM } }
        : {}),
    };
  };
  const form = useKeptForm<PlateText>(`plate ${plate.id}`, initial, async (v) => {
    const wrong = (['focusM', 'cellM', 'distance'] as const).flatMap((field) => {
      const error = v[field].trim() === '' || v[field] === initial[field] ? null : enteredLength(v[field], field === 'cellM' ? 'mm' : unit, QUANTITIES[field]).error;
      return error ? [{ field, message: error }] : [];
    });
    if (wrong.length > 0) return wrong;
    const pack = find('package', v.packageId);
    const mounted = pack ? mountPackage(pack.body, find) : null;
    const { minFocalMm, maxFocalMm } = mounted && !('missing' in mounted) ? mounted.lens : { minFocalMm: 0, maxFocalMm: Infinity };
    const body = bodyOf(v);
    if (body.focalMm < minFocalMm - 0.01 || body.focalMm > maxFocalMm + 0.01)
      return [{ field: 'focalMm', message: `The lens of this package is marked ${minFocalMm === maxFocalMm ? minFocalMm : `${minFocalMm} to ${maxFocalMm}`} mm` }];
    return bodyProblems('plate', body);
  });
  const keep = form.handleSubmit(async (v) => {
    await write('plate', plate.id, onto('plate', base, bodyOf(v)), `${base.picture.name}: entries kept`);
    form.done();
    onClose();
    await send();
    await start('grid', plate.id);
  });
  return (
    <Sheet title="What was entered for it" open onClose={onClose}>
      <ChoiceField
        form={form}
        name="packageId"
        label="Shot on"
        options={packages.map((q) => {
          const mounted = mountPackage(q.body, find);
          return {
            value: q.id,
            title: `${q.body.camera}-cam${q.body.until ? ` until ${clock.stamp(q.body.until)}` : ''}`,
            detail: 'missing' in mounted ? `its ${mounted.missing} is missing` : packageParts(mounted),
          };
        })}
        onChosen={(packageId) => {
          const body = find('package', packageId)?.body;
          if (body && body.lensId !== base.lensId) form.setValue('focalMm', focal(body.focalMm));
        }}
      />
      <TextField form={form} name="focalMm" label="Focal length as marked" suffix="mm" keyboard="decimal-pad" testID="plate-focal" />
      <LengthField form={form} name="focusM" label="Focus distance" unit={unit} quantity="focus distance" hint="Left empty: not noted." testID="plate-focus" />
      <LengthField form={form} name="cellM" label="Cell of the chart" unit="mm" quantity="cell of a chart" testID="plate-cell" />
      <LengthField
        form={form}
        name="distance"
        unit={unit}
        quantity="distance"
        label="Sensor mark to chart"
        hint={`Left empty: not measured.${base.chartDistance ? ` Recorded: ${formatLength(base.chartDistance.valueM, base.chartDistance.unit)}.` : ''}`}
        testID="plate-distance"
      />
      <FormNotes form={form} />
      <Action kind="main" title="Keep and measure again" onPress={() => void keep()} testID="keep-plate-entries" />
    </Sheet>
  );
}
