import type { FootageBody, SolveOutcome } from '@mesure/contract';
import { fireEvent, render, screen } from '@testing-library/react-native';
import { Theme } from '../../../ui/theme';
import { useEffect } from 'react';
import { View } from 'react-native';
import { StandingLines, useStanding } from './standing';

const footage = { widthPx: 960, heightPx: 540, frames: 3, firstFrame: 1001, fps: 24 } as FootageBody;
/** A camera at 1.5 m that looks along −Z; the recorded picture is twice as wide as the clip. */
const outcome = {
  kind: 'solve',
  setup: { image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mm: 24 }, distortion: { mode: 'none' } },
  solve: {
    status: 'solved',
    focalMm: 24,
    distortion: { model: 'radial', k: [0, 0, 0], p: [0, 0], mode: 'none', normalisedWithMm: 24, follows: false },
    frames: [1, 2, 3].map((frame) => ({ frame, position: [0, 1.5, 0], rotation: [0, 0, 0, 1], focalMm: 24 })),
    points: [
      { track: 'K1', position: [0, 0.5, -4], sigmaM: 0.01, rmsPx: 0.3, observations: 3 },
      { track: 'f07', position: [1, 0.5, -5], sigmaM: 0.01, rmsPx: 0.3, observations: 9 },
    ],
    anchoring: { scale: 1 },
  },
} as unknown as SolveOutcome;
// (0, 0.5) at four metres is 480 px below the middle of 1920: 240 px of the clip
const tracks = [{ id: 'K1', frames: [1001, 1002], xPx: [480, 483], yPx: [270 + 240, 270 + 244], weight: [1, 1], note: '' }];
let seen: ReturnType<typeof useStanding>;
function Shown({ index = 0, marks = ['K1'] }: { index?: number; marks?: string[] }) {
  const standing = useStanding({ footage, outcome, tracks, addFrames: -1000, marks }, index);
  useEffect(() => {
    seen = standing;
  });
  const lines = standing.linesAt(index);
  return (
    <View>
      {standing.controls}
      {lines ? <StandingLines lines={lines} px={(n) => n} /> : null}
    </View>
  );
}
const show = (props: Parameters<typeof Shown>[0] = {}) =>
  render(
    <Theme>
      <Shown {...props} />
    </Theme>,
  );

test('a box stands on a mark of the set, in places of the clip, and its slip is that of the feature in recorded pixels', () => {
  show();
  expect(seen.linesAt(0)).toBeNull();
  fireEvent.press(screen.getByRole('radio', { name: /a box/ }));
  const lines = seen.linesAt(0)!;
  expect(lines).toHaveLength(12);
  // the middle of its base is where the mark is
  const base = lines.slice(0, 4).flat();
  const middle = base.reduce(([sx, sy], [x, y]) => [sx + x / base.length, sy + y / base.length], [0, 0]);
  expect(middle[0]).toBeCloseTo(480, 0);
  expect(Math.abs(middle[1] - 510)).toBeLessThan(12);
  expect(screen.getByTestId('slip')).toHaveTextContent('0.0 px from its feature in this frame; 7.1 px over 2 frames, worst 10.0 px at frame 2.');
  // a tenth of four metres, rounded
  expect(screen.getByRole('radio', { name: /a box/ })).toHaveTextContent(/0\.5 m each way/);
});

test('a frame that its track does not reach says so; a grid is drawn too; without a name the longest tracks are offered', () => {
  show({ index: 2 });
  fireEvent.press(screen.getByRole('radio', { name: /a level grid/ }));
  expect(seen.linesAt(2)).toHaveLength(18);
  expect(screen.getByTestId('slip')).toHaveTextContent(/not followed in this frame/);
  show({ marks: [] });
  fireEvent.press(screen.getAllByRole('radio', { name: /a box/ }).at(-1)!);
  expect(screen.getAllByRole('radio', { name: 'f07' }).length).toBeGreaterThan(0);
  expect(screen.getAllByTestId('slip').at(-1)).toHaveTextContent(/No track of this clip has its name/);
});
