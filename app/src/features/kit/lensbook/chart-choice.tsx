import { Choice } from '../../../ui/controls';

export type Chart = 'chequer' | 'ruled';

/** Which kind of chart. */
export function ChartChoice({ value, onChange }: { value: Chart; onChange: (chart: Chart) => void }) {
  return (
    <Choice<Chart>
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
