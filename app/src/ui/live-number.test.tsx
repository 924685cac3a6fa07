import { fireEvent, render, screen } from '@testing-library/react-native';
import { useState } from 'react';
import { LiveNumber } from './live-number';
import { Theme } from './theme';

function Box({ start, optional, told }: { start: number | null; optional?: boolean; told: (v: number | null) => void }) {
  const [value, setValue] = useState(start);
  const tell = (v: number | null) => {
    setValue(v);
    told(v);
  };
  return (
    <Theme>
      <LiveNumber label="Width" value={value} onChange={tell} optional={optional} testID="box" />
      <LiveNumber label="Double" value={value === null ? null : value * 2} onChange={(v) => tell(v === null ? null : v / 2)} optional testID="double" />
    </Theme>
  );
}
const type = (text: string, id = 'box') => fireEvent.changeText(screen.getByTestId(id), text);
const shown = (id: string): string => screen.getByTestId(id).props.value as string;

test('tells each keystroke, keeps what was typed as it was typed, and follows what comes from elsewhere', () => {
  const told = jest.fn();
  render(<Box start={12.3456} told={told} />);
  expect(shown('box')).toBe('12.346');
  type('7,50');
  expect(told).toHaveBeenLastCalledWith(7.5);
  expect([shown('box'), shown('double')]).toEqual(['7,50', '15']);
  type('9', 'double');
  expect(shown('box')).toBe('4.5');
});

test('what is no number is said and told as such; an empty field only where it may be', () => {
  const told = jest.fn();
  render(<Box start={1} told={told} />);
  type('wide');
  expect(told).toHaveBeenLastCalledWith(Number.NaN);
  expect(screen.getByText('▲ Enter a number')).toBeTruthy();
  type('');
  expect(told).toHaveBeenLastCalledWith(Number.NaN);
  screen.unmount();
  render(<Box start={1} optional told={told} />);
  type('');
  expect(told).toHaveBeenLastCalledWith(null);
  expect(screen.queryByText('▲ Enter a number')).toBeNull();
});
