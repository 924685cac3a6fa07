import { wordsOf, type KeptWarning } from '@mesure/core';
import { SPACE } from './theme';
import { Words } from './text';

/** What an answer must be taken with, each once. `mark` says how much it weighs: a dash for what is worth knowing, a shape for what needs doing. */
export const Warnings = ({ of, mark = '–' }: { of: readonly KeptWarning[]; mark?: '–' | '◈' | '◆' }) => (
  <>
    {wordsOf(of).map((w) => (
      <Words key={w} look="small" dim={mark === '–'} style={{ marginTop: SPACE.xs }}>{`${mark} ${w}`}</Words>
    ))}
  </>
);
