import { useState, type ReactNode } from 'react';
import { Pressable, View } from 'react-native';
import { Sheet } from './controls';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

/** What stands behind a computed number. */
export interface Explanation {
  title: string;
  /** from which entries it comes */
  from: string;
  /** by which model, in a sentence */
  model: string;
  /** where docs/models.md says more */
  page: string;
  /** what would make it better */
  better: string;
}

/** A computed number that explains itself on a tap: from what, by which model, and what would make it better. */
export function Explained({ about, of = about.title, children }: { about: Explanation; of?: string; children: ReactNode }) {
  const p = usePalette();
  const [open, setOpen] = useState(false);
  return (
    <>
      <Pressable
        accessibilityRole="button"
        accessibilityLabel={`${of}: explain`}
        onPress={() => setOpen(true)}
        style={{ borderBottomWidth: 1, borderStyle: 'dotted', borderColor: p.dim, minHeight: 24, justifyContent: 'center' }}
      >
        {children}
      </Pressable>
      {open ? (
        <Sheet title={about.title} open onClose={() => setOpen(false)}>
          {(
            [
              ['From', about.from],
              ['How', about.model],
              ['Better with', about.better],
              ['More', `docs/models.md, ${about.page}`],
            ] as const
          ).map(([label, text]) => (
            <View key={label} style={{ marginBottom: SPACE.m }}>
              <Words look="label" dim>
                {label}
              </Words>
              <Words>{text}</Words>
            </View>
          ))}
        </Sheet>
      ) : null}
    </>
  );
}
