import { useVirtualizer } from '@tanstack/react-virtual';
import type { RefObject } from 'react';
import { textScale } from '../../../ui/theme';

/** As tall as the reader's text asks for. */
export const ROW_PX = Math.round(40 * textScale());

/** The rows that are in sight, and how tall all of them are: a day of hundreds of takes scrolls as one of ten. */
export function useVisibleRows(count: number, scroller: RefObject<unknown>): { rows: { index: number; top: number }[]; height: number; show(index: number): void } {
  // eslint-disable-next-line react-hooks/incompatible-library -- measured on every scroll by intent
  const virtual = useVirtualizer({ count, getScrollElement: () => scroller.current as Element | null, estimateSize: () => ROW_PX, overscan: 12 });
  return { rows: virtual.getVirtualItems().map((v) => ({ index: v.index, top: v.start })), height: virtual.getTotalSize(), show: (index) => virtual.scrollToIndex(index) };
}
