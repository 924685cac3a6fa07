import type { StoredRecord } from '@mesure/contract';
import { guidelines, type Guideline } from '@mesure/core';
import { useRouter, type Href } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { useAll, useRecord } from '../../data';
import { Action, Section } from '../../ui/controls';
import { pdfFonts } from '../../ui/pdf-fonts';
import { saveFile } from '../../ui/save-file';
import { Empty } from '../../ui/states';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { sheetWriters } from '../../printing';
import { Page } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { openCautions, usePlanNumbers, usePlanOf } from './use-plan';

const WHOM: Record<Guideline['to'], string> = { camera: 'Camera', production: 'Production', wrangler: 'Data wrangler' };

/** One page of what to tell whom before a setup is shot: on the phone, by its address, and as PDF. */
export function GuidelineScreen({ setupId }: { setupId: string }) {
  const router = useRouter();
  const setup = useRecord('setup', setupId);
  const plan = usePlanOf(setupId);
  const set = useAll('set').find((s) => s.id === setup?.body.setId);
  return (
    <RecordsGate what="the guideline sheet">
      {setup && plan && set ? (
        <Guidelines setup={setup} plan={plan} set={set} />
      ) : (
        <Page>
          <Empty title="Not planned yet" text="A guideline sheet comes from the plan of a setup." action={{ title: 'Go to Plan', onPress: () => router.replace('/plan' as Href) }} />
        </Page>
      )}
    </RecordsGate>
  );
}

/** A line of the table holds about so many letters before it would be set too small to read. */
const LINE_LETTERS = 110;

function wrapped(text: string): string[] {
  const lines: string[] = [''];
  for (const word of text.split(' ')) {
    const last = lines[lines.length - 1];
    if (last !== '' && last.length + word.length >= LINE_LETTERS) lines.push(word);
    else lines[lines.length - 1] = last === '' ? word : `${last} ${word}`;
  }
  return lines;
}

function Guidelines({ setup, plan, set }: { setup: StoredRecord<'setup'>; plan: StoredRecord<'plan'>; set: StoredRecord<'set'> }) {
  const p = usePalette();
  const router = useRouter();
  const numbers = usePlanNumbers(plan.body, set.body, false);
  const [problem, setProblem] = useState<string | null>(null);
  if ('problem' in numbers)
    return (
      <Page>
        <Empty title="No guideline sheet" text={numbers.problem} action={{ title: 'Open the plan', onPress: () => router.push(`/plan/${setup.id}` as Href) }} />
      </Page>
    );
  const list = guidelines(numbers.planned, numbers.facts, openCautions(numbers.cautions, plan.body));
  const print = async () => {
    setProblem(null);
    try {
      const { writeTablePdf } = await sheetWriters();
      const bytes = await writeTablePdf(
        {
          title: `${setup.body.name}: what to tell whom`,
          subtitle: `Scene ${setup.body.scene}, set ${set.body.name}`,
          columns: [
            { title: 'for', align: 'left', share: 1 },
            { title: 'what', align: 'left', share: 7 },
          ],
          rows: list.flatMap((g) => wrapped(g.text).map((line, i) => [i === 0 ? WHOM[g.to] : '', line])),
        },
        await pdfFonts(),
      );
      saveFile(`guidelines_${setup.body.scene}.pdf`, bytes, 'application/pdf');
    } catch (e) {
      setProblem(`The sheet was not written: ${e instanceof Error ? e.message : String(e)}`);
    }
  };
  return (
    <Page action={<Action kind="main" icon="print" title="Save the sheet as PDF" onPress={() => void print()} testID="print-guidelines" />}>
      <Words look="title" level={1}>
        {setup.body.name}
      </Words>
      <Words dim>{`Scene ${setup.body.scene} · what to tell whom · its address can be sent to anyone who may see this production`}</Words>
      {problem ? <Words role="alert">{problem}</Words> : null}
      {(Object.keys(WHOM) as Guideline['to'][]).map((to) => (
        <Section key={to} title={WHOM[to]}>
          {list
            .filter((g) => g.to === to)
            .map((g) => (
              <View key={g.text} style={{ paddingVertical: SPACE.s, borderBottomWidth: 1, borderColor: p.line }}>
                <Words>{g.text}</Words>
              </View>
            ))}
          {list.every((g) => g.to !== to) ? <Words dim>Nothing to tell.</Words> : null}
        </Section>
      ))}
      <View style={{ marginTop: SPACE.l }}>
        <Action kind="quiet" title="Back to the plan" onPress={() => router.push(`/plan/${setup.id}` as Href)} />
      </View>
    </Page>
  );
}
