import { isShown, pasteCells, shownFields, TAKE_FIELDS, touched, type PasteResult, type StoredRecord } from '@mesure/contract';
import { CoreError } from '@mesure/core';
import { readCells, writeTabs } from '@mesure/formats/table';
import { useRouter, type Href } from 'expo-router';
import { useEffect, useRef, useState } from 'react';
import { Pressable, TextInput, View } from 'react-native';
import { useMayWrite, useRecordsState } from '../../../data';
import { Action, Choice } from '../../../ui/controls';
import { Empty } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { FONT, SPACE, textScale, textSize, usePalette } from '../../../ui/theme';
import { useDaySetups, useDayTakes } from '../../days/use-day';
import { RecordsGate } from '../../shell/records-gate';
import { useFloor, useTakeWords } from '../use-floor';
import { ImportSheet } from './import-sheet';
import { corners, useGrid, type Place } from './use-grid';
import { ROW_PX, useVisibleRows } from './virtual-rows';

/** Width of a column by what stands in it, px. */
const WIDE_FIELDS = new Set(['notes', 'moveNote', 'movers', 'clip', 'distance', 'filter']);
const widthOf = (key: string): number => Math.round(textScale() * (WIDE_FIELDS.has(key) ? 200 : key === 'take' || key === 'camera' ? 70 : 124));
const LABEL_PX = Math.round(150 * textScale());

/** The day as a table: one row a take, one column a field, worked with the keyboard. */
export function TableScreen({ setupId }: { setupId: string | null }) {
  return (
    <RecordsGate what="the day">
      <Table setupId={setupId} />
    </RecordsGate>
  );
}

function Table({ setupId }: { setupId: string | null }) {
  const p = usePalette();
  const router = useRouter();
  const words = useTakeWords();
  const floor = useFloor();
  const mayWrite = useMayWrite();
  const write = useRecordsState((s) => s.write);
  const writeMany = useRecordsState((s) => s.writeMany);
  const setups = useDaySetups();
  const [only, setOnly] = useState<string | null>(setupId);
  const [told, setTold] = useState<string | null>(null);
  const [importing, setImporting] = useState(false);
  const orderOf = (id: string) => setups.find((s) => s.id === id)?.body.order ?? 0;
  const takes = useDayTakes()
    .filter((t) => only === null || t.body.setupId === only)
    .sort((a, b) => orderOf(a.body.setupId) - orderOf(b.body.setupId) || (a.body.loggedAt < b.body.loggedAt ? -1 : 1));
  const shown = shownFields(floor);
  const fields = TAKE_FIELDS.filter((f) => isShown(f, shown));
  const scroller = useRef(null);
  const board = useRef<{ focus?: () => void } | null>(null);
  const visible = useVisibleRows(takes.length, scroller);

  function commit(place: Place, text: string): boolean {
    const take = takes[place.row];
    const field = fields[place.col];
    try {
      const change = field.read(text, take.body, words);
      setTold(null);
      void write('take', take.id, (now) => touched(now, change), `${take.body.slate} take ${take.body.take}: ${field.title.toLowerCase()} kept`);
      return true;
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      setTold(`${field.title}: ${e.message}`);
      return false;
    }
  }
  function keepAll(result: PasteResult, label: string): void {
    setTold(result.problems.length > 0 ? `${result.problems.length} cells were left as they are: ${result.problems[0].field}: ${result.problems[0].why}` : null);
    void writeMany(
      result.lines.map((l) => ({ kind: 'take' as const, id: l.take.id, change: l.body })),
      label,
    );
  }
  const area = (from: Place, to: Place) => ({ rows: takes.slice(from.row, to.row + 1), cols: fields.slice(from.col, to.col + 1) });
  const { grid, goTo, type, leave, onKeyDown } = useGrid({
    rows: takes.length,
    cols: fields.length,
    editable: mayWrite,
    textAt: ({ row, col }) => (takes[row] && fields[col] ? fields[col].text(takes[row].body, words) : ''),
    commit,
    clear(from, to) {
      const { rows, cols } = area(from, to);
      keepAll(
        pasteCells(
          rows.map(() => cols.map(() => '')),
          rows,
          cols,
          words,
        ),
        'Cells cleared',
      );
    },
    onMoved: (row) => visible.show(row),
  });
  const { from, to } = corners(grid);
  const copy = (): string => {
    const { rows, cols } = area(from, to);
    return writeTabs(rows.map((t) => cols.map((f) => f.text(t.body, words))));
  };
  const paste = (text: string): void => {
    const cells = readCells(text);
    // one value over the whole selection, or a block from its corner on
    const one = cells.length === 1 && cells[0].length === 1;
    const { rows, cols } = one ? area(from, to) : { rows: takes.slice(from.row), cols: fields.slice(from.col) };
    keepAll(pasteCells(one ? rows.map(() => cols.map(() => cells[0][0])) : cells, rows, cols, words), 'Pasted');
  };
  const clipboard = useRef({ copy, paste, typing: false });
  clipboard.current = { copy, paste, typing: grid.typing !== null };
  useClipboard(board, clipboard, mayWrite);
  // the cell that was typed in is gone with the keyboard's focus: the table takes it back, unless somebody went elsewhere
  const typing = grid.typing !== null;
  useEffect(() => {
    if (!typing && typeof document !== 'undefined' && document.activeElement === document.body) board.current?.focus?.();
  }, [typing]);
  const totalPx = LABEL_PX + fields.reduce((s, f) => s + widthOf(f.key), 0);
  const changed = (t: StoredRecord<'take'>, key: string) => t.body.carried.includes(key);

  return (
    <View style={{ flex: 1, minHeight: 0, padding: SPACE.l }}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'flex-start', gap: SPACE.m }}>
        <View style={{ flex: 1 }}>
          <Words look="title" level={1}>
            The day as a table
          </Words>
          <Choice<string | null>
            label="Setup"
            value={only}
            options={[{ value: null, title: 'whole day' }, ...setups.map((s) => ({ value: s.id, title: `${s.body.scene} ${s.body.name}` }))]}
            onChange={setOnly}
          />
        </View>
        {mayWrite ? <Action icon="upload-file" title="Bring in a CSV" onPress={() => setImporting(true)} testID="open-import" /> : null}
      </View>
      {takes.length === 0 ? <Empty title="No takes yet" text="Takes logged on the floor stand here." action={{ title: 'Go to Floor', onPress: () => router.push('/floor') }} /> : null}
      <View ref={scroller} style={{ flex: 1, minHeight: 0, borderWidth: 1, borderColor: p.line, ...({ overflow: 'auto' } as object) }} testID="table-scroller">
        <View
          ref={board as never}
          {...({
            tabIndex: 0,
            role: 'grid',
            'aria-label': 'Takes',
            'aria-rowcount': takes.length + 1,
            'aria-colcount': fields.length,
            'aria-activedescendant': `cell-${grid.at.row}-${grid.at.col}`,
            onKeyDown,
          } as object)}
          testID="table"
          style={{ width: totalPx, height: visible.height + ROW_PX }}
        >
          <View {...({ role: 'row' } as object)} style={{ flexDirection: 'row', height: ROW_PX, backgroundColor: p.sunk, zIndex: 2, ...({ position: 'sticky', top: 0 } as object) }}>
            <Cell width={LABEL_PX} head>
              Setup
            </Cell>
            {fields.map((f) => (
              <Cell key={f.key} width={widthOf(f.key)} head>
                {`${f.title}${f.unit ? ` (${f.unit})` : ''}`}
              </Cell>
            ))}
          </View>
          {visible.rows.map(({ index, top }) => {
            const t = takes[index];
            if (!t) return null;
            return (
              <View
                key={t.id}
                testID={`row-${t.body.slate}-${t.body.take}`}
                {...({ role: 'row', 'aria-rowindex': index + 2 } as object)}
                style={{ position: 'absolute', top: top + ROW_PX, left: 0, width: totalPx, height: ROW_PX, flexDirection: 'row', borderBottomWidth: 1, borderColor: p.line }}
              >
                <Pressable
                  {...({ role: 'rowheader', tabIndex: -1 } as object)}
                  onPress={() => router.push(`/floor/take/${t.id}` as Href)}
                  style={{ width: LABEL_PX, justifyContent: 'center', paddingHorizontal: SPACE.s }}
                >
                  <Words look="small" color={p.blue} numberOfLines={1}>
                    {setups.find((s) => s.id === t.body.setupId)?.body.name ?? ''}
                  </Words>
                </Pressable>
                {fields.map((f, col) => {
                  const active = grid.at.row === index && grid.at.col === col;
                  const selected = index >= from.row && index <= to.row && col >= from.col && col <= to.col;
                  const text = f.text(t.body, words);
                  return (
                    <Pressable
                      key={f.key}
                      nativeID={`cell-${index}-${col}`}
                      testID={`cell-${t.body.slate}-${t.body.take}-${f.key}`}
                      {...({ role: 'gridcell', 'aria-selected': selected, tabIndex: -1, onDoubleClick: () => mayWrite && type(text) } as object)}
                      onPress={(e) => {
                        if (active && grid.typing !== null) return;
                        if (leave()) goTo({ row: index, col }, (e.nativeEvent as unknown as { shiftKey?: boolean }).shiftKey === true);
                        board.current?.focus?.();
                      }}
                      style={{
                        width: widthOf(f.key),
                        justifyContent: 'center',
                        paddingHorizontal: SPACE.s,
                        backgroundColor: selected && !active ? p.raised : 'transparent',
                        borderWidth: active ? 2 : 0,
                        borderRightWidth: active ? 2 : 1,
                        borderColor: active ? p.tape : p.line,
                      }}
                    >
                      {active && grid.typing !== null ? (
                        <TextInput
                          autoFocus
                          value={grid.typing}
                          onChangeText={type}
                          onBlur={leave}
                          // keys do not leave a text field by themselves on the web target
                          onKeyPress={(e) => onKeyDown(keyOf(e))}
                          accessibilityLabel={`${f.title} of ${t.body.slate} take ${t.body.take}`}
                          testID="cell-input"
                          style={{ color: p.ink, fontFamily: FONT.figures, fontSize: textSize(16), height: ROW_PX - 6, ...({ outlineStyle: 'none' } as object) }}
                        />
                      ) : (
                        <Words look="small" dim={changed(t, f.key)} numberOfLines={1} style={{ fontFamily: FONT.figures }}>
                          {`${changed(t, f.key) ? '↷ ' : ''}${text}`}
                        </Words>
                      )}
                    </Pressable>
                  );
                })}
              </View>
            );
          })}
        </View>
      </View>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', minHeight: 28, paddingTop: SPACE.xs }}>
        {told ? (
          <Words role="alert" color={p.against} look="small">{`▲ ${told}`}</Words>
        ) : (
          <Words look="label" dim>
            Type to replace · F2 to change · Enter down, Tab on · Shift and arrows select · copy and paste with a spreadsheet
          </Words>
        )}
        <Words look="label" dim>{`${takes.length} takes`}</Words>
      </View>
      {importing ? <ImportSheet setupId={only} onClose={() => setImporting(false)} /> : null}
    </View>
  );
}

/** The browser's own key event, which the field's press carries. */
const keyOf = (e: { nativeEvent: object; preventDefault(): void }): Parameters<ReturnType<typeof useGrid>['onKeyDown']>[0] => {
  const { key, shiftKey = false, ctrlKey = false, metaKey = false, altKey = false } = e.nativeEvent as { key: string; shiftKey?: boolean; ctrlKey?: boolean; metaKey?: boolean; altKey?: boolean };
  return { key, shiftKey, ctrlKey, metaKey, altKey, preventDefault: () => e.preventDefault() };
};

function Cell({ width, head, children }: { width: number; head?: boolean; children: string }) {
  return (
    <View {...({ role: head ? 'columnheader' : 'gridcell' } as object)} style={{ width, justifyContent: 'center', paddingHorizontal: SPACE.s }}>
      <Words look="label" dim numberOfLines={2}>
        {children}
      </Words>
    </View>
  );
}

/** The browser's own copy, cut-free: what the table's selection holds goes out as tabs, what a spreadsheet copied comes in. */
function useClipboard(board: React.RefObject<unknown>, handlers: React.RefObject<{ copy: () => string; paste: (text: string) => void; typing: boolean }>, mayWrite: boolean): void {
  useEffect(() => {
    const mine = () => !handlers.current.typing && typeof document.activeElement !== 'undefined' && document.activeElement === board.current;
    const onCopy = (e: ClipboardEvent) => {
      if (!mine()) return;
      e.preventDefault();
      e.clipboardData?.setData('text/plain', handlers.current.copy());
    };
    const onPaste = (e: ClipboardEvent) => {
      if (!mine() || !mayWrite) return;
      e.preventDefault();
      handlers.current.paste(e.clipboardData?.getData('text/plain') ?? '');
    };
    document.addEventListener('copy', onCopy);
    document.addEventListener('paste', onPaste);
    return () => {
      document.removeEventListener('copy', onCopy);
      document.removeEventListener('paste', onPaste);
    };
  }, [board, handlers, mayWrite]);
}
