import { CHART_KINDS, CHARTS, type ChartKind } from '@mesure/core';
import { Choice } from '../../../ui/controls';

/** Which kind of chart. */
export function ChartChoice({ value, onChange }: { value: ChartKind; onChange: (chart: ChartKind) => void }) {
  return (
    <Choice<ChartKind> label="Chart" value={value} options={CHART_KINDS.map((kind) => ({ value: kind, title: CHARTS[kind].words.title, detail: CHARTS[kind].words.detail }))} onChange={onChange} />
  );
}
