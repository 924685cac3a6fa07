import { useState } from 'react';
import { View } from 'react-native';
import { Action, Choice, Section } from './controls';
import { Words } from './text';
import { usePalette } from './theme';

interface Props<C extends string> {
  /** the table's own names */
  header: readonly string[];
  /** what each holds; null: nothing that is wanted */
  columns: readonly (C | null)[];
  all: readonly C[];
  words: Record<C, string>;
  onChange: (columns: (C | null)[]) => void;
}

/** Which column of a table is what, each to be changed; two never hold the same. */
export function ColumnsSection<C extends string>({ header, columns, all, words, onChange }: Props<C>) {
  const p = usePalette();
  const [open, setOpen] = useState<number | null>(null);
  return (
    <Section title="Columns">
      {header.map((name, i) => {
        const holds = columns[i] ?? null;
        return (
          <View key={`${i}-${name}`} style={{ borderBottomWidth: 1, borderColor: p.line }}>
            <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }}>
              <Words look="small" style={{ flex: 1 }}>{`${name || `column ${i + 1}`} → ${holds ? words[holds] : 'not taken'}`}</Words>
              <Action kind="quiet" title="Change" label={`Change what column ${name || i + 1} holds`} onPress={() => setOpen(open === i ? null : i)} testID={`list-column-${i}`} />
            </View>
            {open === i ? (
              <Choice<C | null>
                label={`Column "${name}" holds`}
                value={holds}
                options={[{ value: null, title: 'nothing' }, ...all.map((c) => ({ value: c, title: words[c] }))]}
                onChange={(c) => {
                  onChange(columns.map((old, j) => (j === i ? c : old === c ? null : old)));
                  setOpen(null);
                }}
              />
            ) : null}
          </View>
        );
      })}
    </Section>
  );
}
