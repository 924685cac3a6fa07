/** Where a track was seen in a frame, px of the recorded picture from its upper left corner, y down. */
export interface TrackPoint {
  track: string;
  frame: number;
  x: number;
  y: number;
  weight?: number;
}
