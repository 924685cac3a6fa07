import type { FootageBody, SolveOutcome } from '@mesure/contract';
import { levelGrid, pictureOf, slipOf, standingBox, type Slip, type SolvedPoint } from '@mesure/core';
import type { DrawnTrack } from '@mesure/formats/clip-look';
import { useMemo, useState } from 'react';
import { G, Path } from 'react-native-svg';
import { View } from 'react-native';
import { Choice } from '../../../ui/controls';
import { fixed } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { PICTURE_INK, SPACE } from '../../../ui/theme';

const THINGS = ['nothing', 'box', 'grid'] as const;
type Thing = (typeof THINGS)[number];
/** Of the distance from the camera to the point that it stands on. */
const BOX_SHARE = 0.1;
const GRID_CELLS = 8;
/** More names are no choice. */
const MOST_NAMES = 12;

export interface Standing {
  /** the choice of what stands where, and how far it slips */
  controls: React.ReactNode;
  /** its lines in a frame of the clip, px of the clip; null: nothing stands in it */
  linesAt(index: number): [number, number][][] | null;
}

interface Asked {
  footage: FootageBody;
  outcome: SolveOutcome;
  tracks: DrawnTrack[] | null;
  /** added to the clip's frame numbers where its tracks were read */
  addFrames: number;
  /** of the set: the points that a person knows by name come first */
  marks: readonly string[];
}

/** A box or a level grid that stands on a solved point, drawn through the lens into the frames of the clip: whether it sticks is what the eye judges best. */
export function useStanding({ footage, outcome, tracks, addFrames, marks }: Asked, index: number): Standing {
  const { solve, setup } = outcome;
  const points = useMemo(() => {
    const named = solve.points.filter((q) => marks.includes(q.track));
    return (named.length > 0 ? named : [...solve.points].sort((a, b) => b.observations - a.observations)).slice(0, MOST_NAMES);
  }, [solve, marks]);
  const [thing, setThing] = useState<Thing>('nothing');
  const [on, setOn] = useState<string | null>(null);
  const point = points.find((q) => q.track === on) ?? points[0];
  const project = useMemo(() => pictureOf(setup, solve), [setup, solve]);
  const share = footage.widthPx / setup.image.width;
  const lines = useMemo(() => (point && thing !== 'nothing' ? linesOf(thing, point, solve) : null), [thing, point, solve]);
  const slip = useMemo(() => {
    const track = point && tracks?.find((t) => t.id === point.track);
    return track
      ? slipOf(
          project,
          point.position,
          track.frames.map((frame, i) => ({ frame: frame + addFrames, x: track.xPx[i] / share, y: track.yPx[i] / share })),
        )
      : null;
  }, [project, point, tracks, addFrames, share]);
  const frameOf = (i: number) => i + footage.firstFrame + addFrames;
  const linesAt = (i: number) => {
    const at = lines && project(frameOf(i));
    if (!at) return null;
    return lines.flatMap((line) => runsOf(line.map(at)).map((run) => run.map(([x, y]): [number, number] => [share * x, share * y])));
  };
  return {
    linesAt,
    controls: point ? (
      <View style={{ marginTop: SPACE.s }}>
        <Choice<Thing>
          label="Stands in it"
          value={thing}
          options={THINGS.map((value) => ({
            value,
            title: value === 'box' ? 'a box' : value === 'grid' ? 'a level grid' : 'nothing',
            ...(value === 'nothing' ? {} : { detail: sizeWords(value, point, solve) }),
          }))}
          onChange={setThing}
        />
        {thing === 'nothing' ? null : (
          <>
            <Choice<string> label="On" value={point.track} options={points.map((q) => ({ value: q.track, title: q.track }))} onChange={setOn} />
            <Words look="small" testID="slip">
              {slipWords(slip, frameOf(index))}
            </Words>
          </>
        )}
      </View>
    ) : null,
  };
}

/** A round size near a tenth of the distance, in metres, or in the solve's own unit. */
function sizeOf(point: SolvedPoint, solve: SolveOutcome['solve']): number {
  const middle = solve.frames[Math.floor(solve.frames.length / 2)];
  const wanted = BOX_SHARE * Math.hypot(...point.position.map((v, k) => v - middle.position[k]));
  const power = 10 ** Math.floor(Math.log10(Math.max(1e-6, wanted)));
  return [1, 2, 5, 10].map((s) => s * power).reduce((a, b) => (Math.abs(b - wanted) < Math.abs(a - wanted) ? b : a));
}
const sizeWords = (thing: Thing, point: SolvedPoint, solve: SolveOutcome['solve']): string => {
  const size = `${Number(sizeOf(point, solve).toPrecision(3))} ${solve.anchoring.scale === null ? 'units' : 'm'}`;
  return thing === 'box' ? `${size} each way` : `cells of ${size}`;
};
const linesOf = (thing: Thing, point: SolvedPoint, solve: SolveOutcome['solve']) =>
  thing === 'box' ? standingBox(point.position, sizeOf(point, solve)) : levelGrid(point.position, sizeOf(point, solve), GRID_CELLS);

/** Broken where a part of a line is behind the camera, or beyond what the lens maps. */
function runsOf(line: readonly ([number, number] | null)[]): [number, number][][] {
  const runs: [number, number][][] = [[]];
  for (const p of line)
    if (p) runs[runs.length - 1].push(p);
    else runs.push([]);
  return runs.filter((r) => r.length > 1);
}

function slipWords(slip: Slip | null, frame: number): string {
  if (!slip) return 'No track of this clip has its name, so how far it slips cannot be said.';
  const here = slip.byFrame.find((f) => f.frame === frame);
  return `${here ? `${fixed(here.px, 1)} px from its feature in this frame; ` : 'Its feature is not followed in this frame; '}${fixed(slip.rmsPx, 1)} px over ${slip.byFrame.length} frames, worst ${fixed(slip.worstPx, 1)} px at frame ${slip.worstFrame}.`;
}

/** Light on a dark line: seen before any picture. */
export function StandingLines({ lines, px }: { lines: readonly (readonly [number, number][])[]; px: (n: number) => number }) {
  const d = lines.map((line) => line.map(([x, y], i) => `${i === 0 ? 'M' : 'L'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')).join('');
  return (
    <G>
      <Path d={d} fill="none" stroke="#000000" strokeOpacity={0.6} strokeWidth={px(4)} />
      <Path d={d} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(1.8)} />
    </G>
  );
}
