import type { PlannedMark } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Action } from '../../ui/controls';
import { pdfFonts } from '../../ui/pdf-fonts';
import { saveFile } from '../../ui/save-file';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { sheetWriters } from '../../printing';

/** The mark sheet as a table, and the marks themselves to scale, each a PDF. */
export function PrintMarks({ setName, marks }: { setName: string; marks: readonly PlannedMark[] }) {
  const [said, setSaid] = useState<string | null>(null);
  const trying = (what: string, work: () => Promise<string | null>) => () => {
    setSaid(null);
    work().then(setSaid, (e: unknown) => setSaid(`${what} was not written: ${e instanceof Error ? e.message : String(e)}`));
  };
  const slug = setName.replace(/\W+/g, '_');
  const toScale = trying('The print', async () => {
    const { writeMarksPdf } = await sheetWriters();
    const printed = await writeMarksPdf(`Marks of ${setName}`, marks, await pdfFonts());
    saveFile(`marks_${slug}.pdf`, printed.pdf, 'application/pdf');
    return printed.leftOut.length > 0
      ? `Not printed: ${printed.leftOut.map((l) => `${l.id} (${l.why})`).join(', ')}.`
      : `${printed.pages} sheet${printed.pages === 1 ? '' : 's'}; check the ruler on the print.`;
  });
  const sheet = trying('The sheet', async () => {
    const { writeTablePdf } = await sheetWriters();
    const columns = ['mark', 'kind', 'mm', 'right m', 'up m', 'back m', 'sits on', 'state'];
    const bytes = await writeTablePdf(
      {
        title: `Mark sheet of ${setName}`,
        subtitle: `${marks.length} marks, metres from the set's origin`,
        columns: columns.map((title, i) => ({ title, align: i >= 2 && i <= 5 ? 'right' : 'left', share: 1 })),
        rows: marks.map((m) => [m.id, m.kind, (1000 * m.diameterM).toFixed(0), ...m.at.map((v) => v.toFixed(3)), m.ground, m.placed ? 'placed' : 'planned']),
      },
      await pdfFonts(),
    );
    saveFile(`mark_sheet_${slug}.pdf`, bytes, 'application/pdf');
    return null;
  });
  return (
    <View style={{ gap: SPACE.s, marginVertical: SPACE.s }}>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        <Action title="Print the marks to scale" icon="print" onPress={toScale} testID="print-marks" />
        <Action title="Save the sheet as PDF" icon="description" onPress={sheet} testID="print-sheet" />
      </View>
      {said ? (
        <Words look="small" role="status">
          {said}
        </Words>
      ) : null}
    </View>
  );
}
