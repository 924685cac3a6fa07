import type { HandoverPlan } from '@mesure/contract';
import { View } from 'react-native';
import { Row, Section } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

const TITLES: Record<string, string> = { takes: 'Takes', lenses: 'Lenses', setups: 'Setups', sets: 'Sets', stills: 'Stills', light: 'Light', marks: 'Photos with marks' };

/** File by file what will leave and what reads it, folded by folder. */
export function LeavingList({ files, leftOut }: { files: HandoverPlan['files']; leftOut: number }) {
  if (files.length === 0)
    return (
      <Section title="What leaves">
        <Empty title="Nothing leaves yet" text="A take with a test solve, a grid plate or a reading is needed first." />
      </Section>
    );
  const folderOf = (path: string): string => (path.includes('/') ? path.split('/', 1)[0] : '');
  const folders = [...new Set(files.map((f) => folderOf(f.path)))].sort((a, b) => (a === '' ? -1 : b === '' ? 1 : 0));
  return (
    <>
      {leftOut > 0 ? <Words look="small" dim>{`${leftOut} file${leftOut === 1 ? ' does' : 's do'} not leave, as wanted.`}</Words> : null}
      {folders.map((folder) => {
        const these = files.filter((f) => folderOf(f.path) === folder);
        return (
          <Section key={folder} title={folder === '' ? 'What leaves' : `Leaves: ${TITLES[folder] ?? folder}`} fold={`leaves-${folder}`} short={`${these.length} file${these.length === 1 ? '' : 's'}`}>
            <View style={{ marginHorizontal: -SPACE.m }}>
              {these.map((f) => (
                <Row key={f.path} title={f.path} detail={`${f.what} · ${f.readWith}`} />
              ))}
            </View>
          </Section>
        );
      })}
    </>
  );
}
