import { reordered, type SetupBody } from '@mesure/contract';
import { useRecordsState } from '../../data';
import { Sheet } from '../../ui/controls';
import { Sortable } from '../../ui/sortable';
import { Words } from '../../ui/text';
import { useDay, useDaySetups } from '../days/use-day';

/** The day's setups, put in the order in which they are shot. */
export function OrderSheet({ onClose }: { onClose: () => void }) {
  const day = useDay();
  const setups = useDaySetups();
  const writeMany = useRecordsState((s) => s.writeMany);
  const move = (id: string, to: number) => {
    const name = setups.find((s) => s.id === id)?.body.name;
    void writeMany(
      reordered(setups, id, to).map((r) => ({ kind: 'setup' as const, id: r.id, change: (now: SetupBody) => ({ ...now, order: r.order }) })),
      `${name} moved to place ${to + 1}`,
    );
  };
  return (
    <Sheet title={`Order of ${day?.body.name ?? 'the day'}`} open onClose={onClose}>
      <Words look="small" dim>
        Drag a setup by its handle, or take it up with the space key and move it with the arrows.
      </Words>
      <Sortable
        label="Setups in the order in which they are shot"
        items={setups.map((s) => ({ id: s.id, title: s.body.name, detail: `scene ${s.body.scene}${s.body.slate ? ` · slate ${s.body.slate}` : ''}` }))}
        onMove={move}
      />
    </Sheet>
  );
}
