import type { ChartKind } from '@mesure/core';
import { Choice } from '../../../ui/controls';

/** Which kind of chart. */
export function ChartChoice({ value, onChange }: { value: ChartKind; onChange: (chart: ChartKind) => void }) {
  return (
    <Choice<ChartKind>
      label="Chart"
      value={value}
      options={[
        { value: 'chequer', title: 'chequered' },
        { value: 'ruled', title: 'ruled', detail: 'thin lines' },
      ]}
      onChange={onChange}
    />
  );
}
