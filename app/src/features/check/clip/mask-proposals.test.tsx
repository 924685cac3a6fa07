import type { FootageBody } from '@mesure/contract';
import { fireEvent, render, screen } from '@testing-library/react-native';
import { Theme } from '../../../ui/theme';
import { MaskProposals } from './mask-proposals';
import { FOOTAGE_BLANK } from './test-footage';

const frames = Array.from({ length: 20 }, (_, i) => 1001 + i);
const mover = (id: string, x: number, y: number) => ({ id, frames, xPx: frames.map((_, i) => x + 10 * i), yPx: frames.map(() => y), weight: frames.map(() => 0), note: 'moving' });
let body: FootageBody;
let said: string[];
function show(now: FootageBody, tracks = [mover('p1', 300, 400), mover('p2', 340, 420), mover('p3', 320, 460)]) {
  body = now;
  said = [];
  render(
    <Theme>
      <MaskProposals
        body={body}
        tracks={tracks}
        onChange={(change, label) => {
          body = change(body);
          said.push(label);
        }}
      />
    </Theme>,
  );
}

test('tracks that share a motion of their own are masked with one tap, as one change, and not proposed again', () => {
  show(FOOTAGE_BLANK);
  fireEvent.press(screen.getByTestId('mask-movers'));
  expect(said).toEqual(['3 tracks that move together masked']);
  expect(body.masks).toHaveLength(1);
  expect(body.masks[0]).toMatchObject({ name: 'mover at p1', from: 0, to: 19 });
  expect(body.masks[0].keys[0].outline.every(([x, y]) => x >= 0 && y >= 0)).toBe(true);
  screen.unmount();
  show(body);
  expect(screen.queryByTestId('mask-movers')).toBeNull();
});

test('the edges are masked with one tap; where nothing moves by itself nothing else is offered', () => {
  show(FOOTAGE_BLANK, []);
  expect(screen.queryByTestId('mask-movers')).toBeNull();
  fireEvent.press(screen.getByTestId('mask-edges'));
  expect(body.masks.map((m) => m.name)).toEqual(['edge 1', 'edge 2', 'edge 3', 'edge 4']);
});
