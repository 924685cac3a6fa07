/** A corner of plate `plate` (index): place in the chart in cells, place in the picture in px. */
export interface GridObservation {
  plate: number;
  row: number;
  col: number;
  x: number;
  y: number;
}

export const toObservations = (nodes: readonly Omit<GridObservation, 'plate'>[], plate = 0): GridObservation[] => nodes.map((n) => ({ plate, row: n.row, col: n.col, x: n.x, y: n.y }));

export interface GridFrame {
  widthPx: number;
  heightPx: number;
  fxPx: number;
  fyPx: number;
}
