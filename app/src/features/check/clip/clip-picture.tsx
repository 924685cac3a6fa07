import type { FootageBody } from '@mesure/contract';
import { outlineAt } from '@mesure/core';
import type { DrawnTrack } from '@mesure/formats/clip-look';
import { Circle, G, Image as SvgImage, Line, Path, Text as SvgText } from 'react-native-svg';
import type { Aim } from '../../../ui/aim';
import type { Brush } from '../../../ui/brush';
import { Drawing } from '../../../ui/drawing';
import type { Grab } from '../../../ui/handles';
import { FONT, PICTURE_INK } from '../../../ui/theme';
import type { MarkHint } from './mark-hints';
import { StandingLines } from './standing';

/** So many frames of a track's way are drawn behind it. */
const TAIL = 12;

/** A frame with what was followed in it, what is masked and what was marked. */
export function ClipPicture({
  footage,
  index,
  url,
  tracks,
  outline,
  aim,
  grab,
  brush,
  describe,
  standing,
  hints = [],
}: {
  footage: FootageBody;
  index: number;
  url: string;
  tracks: DrawnTrack[] | null;
  /** a mask that is being drawn */
  outline: readonly (readonly [number, number])[];
  aim?: Aim;
  grab?: Grab;
  brush?: Brush;
  describe: string;
  /** lines of what stands in the solved world, px of the clip */
  standing?: [number, number][][] | null;
  /** where marks are expected */
  hints?: readonly MarkHint[];
}) {
  const { widthPx, heightPx, firstFrame } = footage;
  return (
    <Drawing box={{ x: 0, y: 0, width: widthPx, height: heightPx }} maxHeight={620} describe={describe} aim={aim} grab={grab} brush={brush}>
      {(px) => (
        <G>
          <SvgImage href={url as never} x={0} y={0} width={widthPx} height={heightPx} preserveAspectRatio="none" />
          {footage.masks.map((m) => {
            const at = outlineAt(m, index);
            return at ? <Path key={m.id} d={`${pathOf(at)}Z`} fill="#000000" fillOpacity={0.45} stroke={PICTURE_INK.light} strokeWidth={px(1.5)} strokeDasharray={`${px(6)} ${px(4)}`} /> : null;
          })}
          {tracks?.map((t) => (
            <Followed
              key={t.id}
              track={t}
              frame={index + firstFrame}
              px={px}
              named={footage.marks.some((m) => m.name === t.id)}
              labelled={!footage.marks.some((m) => m.name === t.id && m.index === index)}
            />
          ))}
          {hints.map((h) => (
            <G key={h.name}>
              <Circle cx={h.x} cy={h.y} r={px(11)} fill="none" stroke={PICTURE_INK.light} strokeWidth={px(1.5)} strokeDasharray={`${px(4)} ${px(4)}`} />
              <SvgText x={h.x + px(13)} y={h.y + px(5)} fontSize={px(13)} fontFamily={FONT.text} fill={PICTURE_INK.light}>
                {h.name}
              </SvgText>
            </G>
          ))}
          {standing ? <StandingLines lines={standing} px={px} /> : null}
          {outline.length > 0 ? <Path d={pathOf(outline)} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(2)} /> : null}
          {outline.map(([x, y], i) => (
            <Circle key={i} cx={x} cy={y} r={px(4)} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(2)} />
          ))}
          {footage.marks
            .filter((m) => m.index === index)
            .map((m) => (
              <G key={m.id}>
                <Line x1={m.x - px(9)} x2={m.x + px(9)} y1={m.y} y2={m.y} stroke={PICTURE_INK.mark} strokeWidth={px(1.5)} />
                <Line x1={m.x} x2={m.x} y1={m.y - px(9)} y2={m.y + px(9)} stroke={PICTURE_INK.mark} strokeWidth={px(1.5)} />
                <SvgText x={m.x + px(11)} y={m.y - px(5)} fontSize={px(14)} fontFamily={FONT.strong} fill={PICTURE_INK.mark}>
                  {m.name}
                </SvgText>
              </G>
            ))}
        </G>
      )}
    </Drawing>
  );
}

const pathOf = (outline: readonly (readonly [number, number])[]): string => outline.map(([x, y], i) => `${i === 0 ? 'M' : 'L'}${x.toFixed(1)} ${y.toFixed(1)}`).join('');

/** Its last frames as a line and its place as a dot; what a solve will not use is a cross, and has its way too. */
function Followed({ track, frame, px, named, labelled }: { track: DrawnTrack; frame: number; px: (n: number) => number; named: boolean; labelled: boolean }) {
  const i = track.frames.indexOf(frame);
  if (i < 0) return null;
  const used = track.weight[i] > 0;
  const from = Math.max(0, i - TAIL);
  const [x, y] = [track.xPx[i], track.yPx[i]];
  const color = used ? (named ? PICTURE_INK.mark : PICTURE_INK.lattice) : PICTURE_INK.light;
  const arm = px(3.5);
  return (
    <G>
      <Path d={pathOf(track.xPx.slice(from, i + 1).map((tx, k) => [tx, track.yPx[from + k]] as const))} fill="none" stroke={color} strokeWidth={px(1.2)} strokeOpacity={0.75} />
      {used ? (
        <Circle cx={x} cy={y} r={px(named ? 4 : 2.6)} fill={color} />
      ) : (
        <Path d={`M${x - arm} ${y - arm}L${x + arm} ${y + arm}M${x - arm} ${y + arm}L${x + arm} ${y - arm}`} stroke={color} strokeWidth={px(1.6)} />
      )}
      {named && labelled ? (
        <SvgText x={x + px(7)} y={y - px(5)} fontSize={px(14)} fontFamily={FONT.strong} fill={PICTURE_INK.mark}>
          {track.id}
        </SvgText>
      ) : null}
    </G>
  );
}
