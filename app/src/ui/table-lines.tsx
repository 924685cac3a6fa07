import { View } from 'react-native';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

const LINES_AT_ONCE = 80;
const SIGNS = { new: '+', change: '~', same: '=', problem: '▲' } as const;

export interface TableLine {
  row: number;
  label: string;
  what: keyof typeof SIGNS;
  /** why it cannot be read, of a problem */
  why?: string;
}

/** What each row of a table would do: what cannot be read first, then in the table's order, as many as anybody reads. */
export function TableLines<L extends TableLine>({ lines, note }: { lines: readonly L[]; note: (line: L) => string }) {
  const p = usePalette();
  return (
    <>
      {[...lines]
        .sort((a, b) => Number(b.what === 'problem') - Number(a.what === 'problem') || a.row - b.row)
        .slice(0, LINES_AT_ONCE)
        .map((l) => (
          <View key={l.row} style={{ paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }} testID={`line-${l.row}`}>
            <Words look="small">{`${SIGNS[l.what]} ${l.label}`}</Words>
            <Words look="label" dim>
              {l.what === 'problem' ? `row ${l.row}: ${l.why ?? ''}` : note(l)}
            </Words>
          </View>
        ))}
      {lines.length > LINES_AT_ONCE ? <Words look="small" dim>{`and ${lines.length - LINES_AT_ONCE} more rows`}</Words> : null}
    </>
  );
}
