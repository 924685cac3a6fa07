import { useRef, useState } from 'react';

export interface Place {
  row: number;
  col: number;
}
export interface Grid {
  at: Place;
  /** the other corner of the selection */
  to: Place;
  /** text of the cell that is being typed in; null while none is */
  typing: string | null;
}
interface KeyLike {
  key: string;
  shiftKey: boolean;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  preventDefault(): void;
}
export interface GridParts {
  rows: number;
  cols: number;
  /** may this be changed? */
  editable: boolean;
  textAt(place: Place): string;
  /** keeps the text; false when it cannot be read, and typing goes on */
  commit(place: Place, text: string): boolean;
  clear(from: Place, to: Place): void;
  onMoved?(row: number): void;
}

export const corners = (g: Pick<Grid, 'at' | 'to'>): { from: Place; to: Place } => ({
  from: { row: Math.min(g.at.row, g.to.row), col: Math.min(g.at.col, g.to.col) },
  to: { row: Math.max(g.at.row, g.to.row), col: Math.max(g.at.col, g.to.col) },
});

const MOVES: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], PageUp: [-20, 0], PageDown: [20, 0] };

/** One cell at a time, as tables are worked with keys: arrows move, typing begins a new value, Enter keeps it and goes down, Tab goes on, Escape gives it up. */
export function useGrid(parts: GridParts) {
  const [grid, show] = useState<Grid>({ at: { row: 0, col: 0 }, to: { row: 0, col: 0 }, typing: null });
  // a key and the blur that it causes come before the next drawing: both must see what the first of them did
  const now = useRef(grid);
  const setGrid = (change: (g: Grid) => Grid) => {
    now.current = change(now.current);
    show(now.current);
  };
  const inside = (p: Place): Place => ({ row: Math.max(0, Math.min(parts.rows - 1, p.row)), col: Math.max(0, Math.min(parts.cols - 1, p.col)) });
  const goTo = (p: Place, extend = false) => {
    const place = inside(p);
    setGrid((g) => ({ at: extend ? g.at : place, to: place, typing: null }));
    parts.onMoved?.(place.row);
  };
  const type = (typing: string | null) => setGrid((g) => ({ ...g, to: g.at, typing }));
  /** leaves a cell that is typed in; true when it is free to go on */
  const leave = (): boolean => {
    const { typing, at } = now.current;
    if (typing === null) return true;
    if (typing !== parts.textAt(at) && !parts.commit(at, typing)) return false;
    type(null);
    return true;
  };
  const move = (rows: number, cols: number) => goTo({ row: grid.at.row + rows, col: grid.at.col + cols });

  function onKeyDown(e: KeyLike): void {
    const command = e.ctrlKey || e.metaKey || e.altKey;
    if (e.key === 'Escape') {
      type(null);
      return;
    }
    if (e.key === 'Enter' || e.key === 'Tab') {
      // out of the table at its ends, so that the keyboard is never caught in it
      const leaves = e.key === 'Tab' && (e.shiftKey ? grid.at.row === 0 && grid.at.col === 0 : grid.at.row === parts.rows - 1 && grid.at.col === parts.cols - 1);
      if (!leaves) e.preventDefault();
      if (!leave() || leaves) return;
      if (e.key === 'Enter') move(e.shiftKey ? -1 : 1, 0);
      else if (e.shiftKey) goTo(grid.at.col === 0 ? { row: grid.at.row - 1, col: parts.cols - 1 } : { row: grid.at.row, col: grid.at.col - 1 });
      else goTo(grid.at.col === parts.cols - 1 ? { row: grid.at.row + 1, col: 0 } : { row: grid.at.row, col: grid.at.col + 1 });
      return;
    }
    if (grid.typing !== null || command) return;
    const step = MOVES[e.key];
    if (step) {
      e.preventDefault();
      const from = e.shiftKey ? grid.to : grid.at;
      goTo({ row: from.row + step[0], col: from.col + step[1] }, e.shiftKey);
    } else if (e.key === 'Home' || e.key === 'End') {
      e.preventDefault();
      goTo({ row: grid.at.row, col: e.key === 'Home' ? 0 : parts.cols - 1 });
    } else if (!parts.editable) return;
    else if (e.key === 'Delete' || e.key === 'Backspace') {
      e.preventDefault();
      const { from, to } = corners(grid);
      parts.clear(from, to);
    } else if (e.key === 'F2') {
      e.preventDefault();
      type(parts.textAt(grid.at));
    } else if (e.key.length === 1) {
      e.preventDefault();
      type(e.key);
    }
  }
  return { grid, goTo, type, leave, onKeyDown };
}
