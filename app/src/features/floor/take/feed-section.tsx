import { takeField, type TakeBody, type TakeWords } from '@mesure/contract';
import { compareWithSlate, shutterDeg, summariseFeed, type CameraFrame, type FeedSummary, formatFocus } from '@mesure/core';
import { useEffect, useRef, useState } from 'react';
import { View } from 'react-native';
import { api, useData } from '../../../data';
import { Action, Section } from '../../../ui/controls';
import { fixed, focal } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';
import { listenToCamera } from '../../devices/camera-feed';

interface Props {
  take: TakeBody;
  words: TakeWords;
  lens: { kind: string; minFocalMm: number; maxFocalMm: number } | null;
  keep: (change: Partial<TakeBody>, what: string) => void;
}

/** What the camera tells of each frame: it fills the take, and what the slate says is compared with it. */
export function FeedSection({ take, words, lens, keep }: Props) {
  const p = usePalette();
  const { session } = useData();
  const [state, setState] = useState<'off' | 'rolling' | 'cut' | 'lost'>('off');
  const [count, setCount] = useState(0);
  const [last, setLast] = useState<CameraFrame | null>(null);
  const frames = useRef<CameraFrame[]>([]);
  const stop = useRef<(() => void) | null>(null);
  useEffect(() => () => stop.current?.(), []);
  const fps = take.fps ?? words.packages.find((q) => q.id === take.packageId)?.fps ?? 24;
  function roll() {
    frames.current = [];
    setCount(0);
    setState('rolling');
    stop.current = listenToCamera({
      url: api.cameraFeedUrl(session.production.id, sceneOf(take, lens, fps)),
      onFrames: (more) => {
        frames.current.push(...more);
        setCount(frames.current.length);
        setLast(more[more.length - 1]);
      },
      onLost: () => setState(frames.current.length > 0 ? 'cut' : 'lost'),
    });
  }
  function cut() {
    stop.current?.();
    setState(frames.current.length > 0 ? 'cut' : 'off');
  }
  const summary = state === 'cut' ? summariseFeed(frames.current) : null;
  return (
    <Section title="From the camera (simulated)">
      {state === 'rolling' ? (
        <View testID="feed-live">
          <Words look="figure">
            {last
              ? `${last.timecode} · ${last.focalMm === null ? '– ' : focal(Number(last.focalMm.toFixed(1)))} mm · ${last.focusM === null ? '–' : formatFocus(last.focusM, words.unit)}`
              : 'listening …'}
          </Words>
          <Words look="small" dim>{`${count} frames`}</Words>
          <Action icon="stop" title="Cut" onPress={cut} testID="feed-cut" />
        </View>
      ) : (
        <Action icon="sensors" title={state === 'off' ? 'Listen to the camera' : 'Listen again'} onPress={roll} testID="feed-roll" />
      )}
      {state === 'lost' ? (
        <Words role="alert" color={p.against}>
          ▲ The camera cannot be heard: it needs the network of the stage. What is typed stays.
        </Words>
      ) : null}
      {summary ? <Summary take={take} fps={fps} summary={summary} words={words} onFill={() => keep(fieldsOf(summary), 'what the camera told')} /> : null}
    </Section>
  );
}

function Summary({ take, fps, summary, words, onFill }: { take: TakeBody; fps: number; summary: FeedSummary; words: TakeWords; onFill: () => void }) {
  const fields = fieldsOf(summary);
  const filled = { ...take, ...fields };
  const differences = compareWithSlate(
    { focalMm: take.focalMm, focusM: take.focusM, stop: take.stop ?? null, iso: take.iso ?? null, shutterDeg: take.shutter ? shutterDeg(take.shutter, fps) : null },
    summary,
  );
  const done = Object.entries(fields).every(([key, value]) => JSON.stringify(take[key as keyof TakeBody]) === JSON.stringify(value));
  const told = Object.keys(fields).flatMap((key) => {
    const field = takeField(key);
    const text = field?.text(filled, words);
    return field && text ? [`${field.title.toLowerCase()} ${text}`] : [];
  });
  return (
    <View style={{ gap: SPACE.xs, marginTop: SPACE.s }} testID="feed-summary">
      <Words look="small">{`${summary.frames} frames${summary.lost > 0 ? `, ${summary.lost} without lens data` : ''}: ${told.join(', ')}.`}</Words>
      {summary.focalByFrame ? <Words look="small" dim>{`The zoom is kept frame by frame: ${summary.focalByFrame.length} points say it to a thousandth.`}</Words> : null}
      {summary.changed.length > 0 ? <Words look="small">{`◆ Changed while it rolled: ${summary.changed.join(', ')}.`}</Words> : null}
      {differences.map((d) => (
        <Words key={d.what} look="small" testID={`slate-differs-${d.what}`}>{`◆ The slate says ${d.what} ${fixed(d.slate, 2)}, the camera ${fixed(d.camera, 2)}.`}</Words>
      ))}
      {differences.length === 0 ? (
        <Words look="small" dim>
          Slate and camera agree.
        </Words>
      ) : null}
      <Action kind="plain" icon="south" title={done ? 'The take has it' : 'Fill the take'} disabled={done} onPress={onFill} testID="feed-fill" />
    </View>
  );
}

const short = (v: number | null, digits: number): number | null => (v === null ? null : Number(v.toFixed(digits)));

/** The fields that the camera told; what it did not tell is left as it was typed. */
function fieldsOf(s: FeedSummary): Partial<TakeBody> {
  const all: Partial<TakeBody> = {
    timecodeIn: s.timecodeIn,
    timecodeOut: s.timecodeOut,
    ...(s.focalMm === null
      ? {}
      : {
          focalMm: short(s.focalMm, 2)!,
          focalEndMm: short(s.focalEndMm, 2),
          zoomFrom: s.zoomFrom,
          zoomTo: s.zoomTo,
          focalByFrame: s.focalByFrame?.map((c) => ({ frame: c.frame, mm: short(c.mm, 3)! })) ?? null,
        }),
    ...(s.focusM === null ? {} : { focusM: short(s.focusM, 3), focusEndM: short(s.focusEndM, 3) }),
    ...(s.stop === null ? {} : { stop: s.stop }),
    ...(s.iso === null ? {} : { iso: s.iso }),
    ...(s.shutterDeg === null ? {} : { shutter: { by: 'angle', deg: s.shutterDeg } }),
  };
  return all;
}

/** The stand-in shows what the slate says, and zooms where the lens can; now and then its ISO is another one, as happens. */
function sceneOf(take: TakeBody, lens: Props['lens'], fps: number): Record<string, number> {
  const zoom = lens?.kind === 'zoom';
  return {
    fps,
    focalMm: take.focalMm,
    focalEndMm: take.focalEndMm ?? (zoom ? Math.min(lens.maxFocalMm, take.focalMm * 1.6) : take.focalMm),
    focusM: take.focusM ?? 3,
    focusEndM: take.focusEndM ?? take.focusM ?? 3,
    stop: take.stop ?? 4,
    iso: (take.iso ?? 800) * (take.take % 5 === 0 ? 2 : 1),
    shutterDeg: take.shutter ? shutterDeg(take.shutter, fps) : 180,
    seed: take.take,
  };
}
