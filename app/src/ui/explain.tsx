import { useState, type ReactNode } from 'react';
import { Linking, Pressable, View } from 'react-native';
import { Action, Sheet } from './controls';
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

/** Where docs/models.md has its heading; it is kept beside the application (scripts/build-web.mjs), so that it opens without a network too. */
export const modelsPage = (heading: string): string => `/models.html#${heading.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`;

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
            ] as const
          ).map(([label, text]) => (
            <View key={label} style={{ marginBottom: SPACE.m }}>
              <Words look="label" dim>
                {label}
              </Words>
              <Words>{text}</Words>
            </View>
          ))}
          <Action kind="quiet" icon="open-in-new" title={`The model: ${about.page}`} onPress={() => void Linking.openURL(modelsPage(about.page))} testID="open-model" />
        </Sheet>
      ) : null}
    </>
  );
}
