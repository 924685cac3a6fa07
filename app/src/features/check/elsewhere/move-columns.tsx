import { TURN_ORDERS, type TurnOrder } from '@mesure/core';
import { isAsRead, lookAtTable } from '@mesure/formats/mapped-table';
import { lookAtMoves, moveCsvOf, type MovePreview, type TurnsIn } from '@mesure/formats/move-table';
import { MOVE_TABLE, type MoveColumn } from '@mesure/formats/table-kinds';
import { useMemo, useState } from 'react';
import { readTableText } from '../../../data/read-table';
import { ColumnsSheet, lackingColumns, type ChosenTable } from '../../../ui/columns-sheet';
import { Choice } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { usePalette } from '../../../ui/theme';

const TABLES = /\.(csv|tsv|txt|xlsx)$/i;

/** A table whose columns, or whose angles, somebody has to say; null: a file that says itself what it holds. */
export async function lookAtMoveTable(file: File): Promise<ChosenTable<MoveColumn> | null> {
  if (!TABLES.test(file.name)) return null;
  const text = await readTableText(file);
  const table = lookAtTable(text, file.name, MOVE_TABLE);
  const names = table.header.map((h) => h.toLowerCase());
  return isAsRead(table, MOVE_TABLE) && names.includes('qw') ? null : { name: file.name, text, table, columns: table.columns };
}

interface Props {
  chosen: ChosenTable<MoveColumn>;
  busy: boolean;
  failure: string | null;
  onColumns: (columns: (MoveColumn | null)[]) => void;
  onTake: (csv: string, order: TurnOrder | null) => void;
  onClose: () => void;
}

/** Which column of a camera's table is what, and of its angles what no header says: their unit and their order. */
export function MoveColumns({ chosen, busy, failure, onColumns, onTake, onClose }: Props) {
  const [said, setSaid] = useState<{ turnsIn: TurnsIn | null; order: TurnOrder | null }>({ turnsIn: null, order: null });
  const { name, text, table, columns } = chosen;
  const lacking = lackingColumns(chosen, MOVE_TABLE).length > 0;
  const looked = useMemo((): { preview: MovePreview } | { fault: string } | null => {
    if (lacking) return null;
    try {
      return { preview: lookAtMoves(text, name, table, columns) };
    } catch (e) {
      return { fault: e instanceof Error ? e.message : String(e) };
    }
  }, [lacking, text, name, table, columns]);
  const preview = looked && 'preview' in looked ? looked.preview : null;
  const angles = preview !== null && preview.largestTurn !== null;
  const turnsIn = preview?.turnsIn ?? said.turnsIn;
  return (
    <ColumnsSheet
      chosen={chosen}
      kind={MOVE_TABLE}
      intro="is a table of another program. Say what its columns hold; its unit, which way is up and its first frame are asked next, beside what speaks against them."
      failure={failure}
      onColumns={onColumns}
      onClose={onClose}
      take={{
        title: 'Take this camera',
        testID: 'take-move',
        ready: preview !== null && (!angles || (turnsIn !== null && said.order !== null)),
        busy,
        onPress: () => onTake(moveCsvOf(text, name, table, columns, turnsIn ?? 'degrees'), angles ? said.order : null),
      }}
    >
      {looked && 'fault' in looked ? <Fault words={looked.fault} /> : null}
      {preview ? (
        <Words testID="move-preview">
          {`${preview.rows} rows, frames ${preview.firstFrame} to ${preview.lastFrame}; it goes ${preview.spans.map((s) => fixed(s, s < 10 ? 3 : 1)).join(', ')} of its own lengths along x, y, z${angles ? `; its largest turn is ${fixed(preview.largestTurn!, 3)}` : ''}.`}
        </Words>
      ) : null}
      {angles ? (
        <>
          {preview.turnsIn === null ? (
            <Choice<TurnsIn | null>
              label="Its angles are in"
              value={said.turnsIn}
              options={(['degrees', 'radians'] as const).map((value) => ({ value, title: value }))}
              onChange={(v) => setSaid({ ...said, turnsIn: v })}
            />
          ) : null}
          <Choice<TurnOrder | null>
            label="Its angles are applied in the order, the first nearest to the camera"
            value={said.order}
            options={TURN_ORDERS.map((value) => ({ value, title: [...value.toLowerCase()].join(' ') }))}
            onChange={(order) => setSaid({ ...said, order })}
          />
        </>
      ) : null}
    </ColumnsSheet>
  );
}

function Fault({ words }: { words: string }) {
  const p = usePalette();
  return <Words role="alert" color={p.against}>{`▲ ${words}.`}</Words>;
}
