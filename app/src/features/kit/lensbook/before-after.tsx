import type { FrameLens, Overscan } from '@mesure/core';
import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { Circle, G, Image as SvgImage, Line, Rect } from 'react-native-svg';
import { Section } from '../../../ui/controls';
import { Drawing } from '../../../ui/drawing';
import { capital, fixed, percent } from '../../../ui/format';
import { Loading } from '../../../ui/states';
import { Words } from '../../../ui/text';
import { PICTURE_INK, SPACE, usePalette } from '../../../ui/theme';
import { straightenedUrl } from './straightened';

type Ends = [{ x: number; y: number }, { x: number; y: number }];

/** The recorded picture and what it becomes, side by side, each with a straight-edge to lay along something that is straight in reality. */
export function BeforeAfter({ pictureUrl, lens, overscan, roundTripPx }: { pictureUrl: string; lens: FrameLens; overscan: Overscan; roundTripPx?: number }) {
  const [after, setAfter] = useState<{ url: string; width: number; height: number } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const key = JSON.stringify([lens, overscan]);
  useEffect(() => {
    let gone = false;
    let made: string | null = null;
    straightenedUrl(pictureUrl, lens, overscan).then(
      (result) => {
        made = result.url;
        if (gone) URL.revokeObjectURL(result.url);
        else {
          setAfter(result);
          setProblem(null);
        }
      },
      (e: Error) => !gone && setProblem(e.message),
    );
    return () => {
      gone = true;
      if (made) URL.revokeObjectURL(made);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key holds all that matters of lens and overscan
  }, [pictureUrl, key]);
  const { left, right, top, bottom } = overscan;
  const [w, h] = [lens.widthPx, lens.heightPx];
  const undistorted = { x: -left, y: -top, width: after?.width ?? left + w + right, height: after?.height ?? top + h + bottom };
  return (
    <Section title="What the picture becomes">
      <Words>
        {`Undistorted it is ${fixed(w + left + right, 0)} × ${fixed(h + top + bottom, 0)} px: overscan ${fixed(left, 0)} left, ${fixed(right, 0)} right, ${fixed(top, 0)} top, ${fixed(bottom, 0)} bottom (${percent((left + right) / w, 1)} wider, ${percent((top + bottom) / h, 1)} higher).`}
        {roundTripPx === undefined ? '' : ` There and back again through both ST maps: ${roundTripPx < 0.001 ? 'below 0.001' : fixed(roundTripPx, 3)} px.`}
      </Words>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', columnGap: SPACE.l }}>
        <View style={{ flexGrow: 1, flexBasis: 320 }}>
          <Straightedge title="as recorded" url={pictureUrl} box={{ x: 0, y: 0, width: w, height: h }} picture={{ x: 0, y: 0, width: w, height: h }} frame={null} />
        </View>
        <View style={{ flexGrow: 1, flexBasis: 320 }}>
          {problem ? (
            <Words look="small" role="alert">{`▲ ${problem}`}</Words>
          ) : (
            // in its place from the beginning: what stands below must not move under a finger when it comes
            <Straightedge title="undistorted" url={after?.url ?? null} box={undistorted} picture={undistorted} frame={{ width: w, height: h }} />
          )}
        </View>
      </View>
    </Section>
  );
}

/** Press near an end and drag it. */
function Straightedge({
  title,
  url,
  box,
  picture,
  frame,
}: {
  title: string;
  /** null: it is on its way */
  url: string | null;
  box: { x: number; y: number; width: number; height: number };
  picture: { x: number; y: number; width: number; height: number };
  frame: { width: number; height: number } | null;
}) {
  const p = usePalette();
  const y = picture.y + 0.12 * picture.height;
  const [ends, setEnds] = useState<Ends>([
    { x: picture.x + 0.06 * picture.width, y },
    { x: picture.x + 0.94 * picture.width, y },
  ]);
  const [a, b] = ends;
  const onPlace = (x: number, ty: number): void => {
    const at = { x: x + box.x, y: ty + box.y };
    setEnds(Math.hypot(at.x - a.x, at.y - a.y) < Math.hypot(at.x - b.x, at.y - b.y) ? [at, b] : [a, at]);
  };
  const of = capital(title);
  const drawn = (
    <Drawing
      // the picture begins at 0, 0 for the aim; the frame lies within it
      box={{ x: 0, y: 0, width: box.width, height: box.height }}
      maxHeight={520}
      describe={url ? `${of}, with a straight-edge; touch where one of its ends should be.` : `${of}: a straight-edge lies over it as soon as it is here.`}
      {...(url ? { aim: { pictureUrl: url, pictureWidth: box.width, pictureHeight: box.height, onPlace } } : {})}
    >
      {(px) => (
        <G x={-box.x} y={-box.y}>
          {url ? <SvgImage href={url as never} x={picture.x} y={picture.y} width={picture.width} height={picture.height} preserveAspectRatio="none" /> : null}
          {frame ? <Rect x={0} y={0} width={frame.width} height={frame.height} fill="none" stroke={p.blue} strokeWidth={px(1.5)} strokeDasharray={`${px(7)} ${px(5)}`} /> : null}
          <Line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke={PICTURE_INK.mark} strokeWidth={px(1.5)} />
          {ends.map((e, i) => (
            <Circle key={i} cx={e.x} cy={e.y} r={px(8)} fill="none" stroke={PICTURE_INK.mark} strokeWidth={px(2.5)} />
          ))}
        </G>
      )}
    </Drawing>
  );
  if (url) return drawn;
  return (
    <View>
      {drawn}
      <View style={{ position: 'absolute', top: 0, left: 0, right: 0 }}>
        <Loading what={`the ${title} picture`} />
      </View>
    </View>
  );
}
