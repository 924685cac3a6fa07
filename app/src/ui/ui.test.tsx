import type { ParsedLength, ReconcileItem } from '@mesure/core';
import { fireEvent, render, screen } from '@testing-library/react-native';
import { useState } from 'react';
import { DifferenceStrip } from '../features/check/difference-strip';
import { Choice } from './controls';
import { readNumber, withSigma } from './format';
import { labelsThatFit } from './label-room';
import { LengthEntry } from './length-entry';
import { Theme } from './theme';
import { placeOn } from './wheel';

function Entry({ onCommit }: { onCommit: (l: ParsedLength) => void }) {
  const [value, setValue] = useState<ParsedLength | null>(null);
  return (
    <Theme>
      <LengthEntry
        quantity="camera height"
        unit="m"
        label="Height"
        value={value}
        startM={1.4}
        onCommit={(l) => {
          setValue(l);
          onCommit(l);
        }}
      />
    </Theme>
  );
}

describe('LengthEntry', () => {
  const type = (text: string) => {
    const field = screen.getByTestId('length-field');
    fireEvent.changeText(field, text);
    fireEvent(field, 'blur');
  };
  test('keeps the form in which it was measured', () => {
    const commits: ParsedLength[] = [];
    render(<Entry onCommit={(l) => commits.push(l)} />);
    type('4\' 7 1/4"');
    expect(commits).toEqual([expect.objectContaining({ typed: '4\' 7 1/4"', unit: 'ft-in' })]);
    expect(commits[0].valueM).toBeCloseTo(1.40335, 10);
  });
  test('says at the field what is wrong and commits nothing', () => {
    const commit = jest.fn();
    render(<Entry onCommit={commit} />);
    type('1.4 furlong');
    expect(screen.getByText(/not one of m, cm, mm, in, ft/)).toBeTruthy();
    expect(commit).not.toHaveBeenCalled();
    type('1.403');
    expect(screen.queryByText(/not one of/)).toBeNull();
    expect(commit).toHaveBeenCalledWith(expect.objectContaining({ typed: '1.403 m', valueM: 1.403, unit: 'm' }));
  });
  test('says while typing what it will be read as; what makes sense in two ways is asked, and nothing is kept until then', () => {
    const commit = jest.fn();
    render(<Entry onCommit={commit} />);
    const field = screen.getByTestId('length-field');
    fireEvent.changeText(field, '5ft4');
    expect(screen.getByText('reads as 5\' 4" (1.626 m)')).toBeTruthy();
    fireEvent.changeText(field, '141');
    expect(screen.getByText(/141 cm or 141 mm or 141 in/)).toBeTruthy();
    fireEvent(field, 'blur');
    expect(commit).not.toHaveBeenCalled();
    expect(screen.getByText(/Which is it\?/)).toBeTruthy();
    fireEvent.press(screen.getByTestId('reading-141 cm'));
    expect(commit).toHaveBeenCalledWith(expect.objectContaining({ typed: '141 cm', valueM: 1.41 }));
  });
  test('a length that is unusual is kept when it is said again', () => {
    const commit = jest.fn();
    render(<Entry onCommit={commit} />);
    type('135 ft');
    expect(commit).not.toHaveBeenCalled();
    fireEvent.press(screen.getByTestId('reading-135 ft'));
    expect(commit.mock.calls[0][0].valueM).toBeCloseTo(41.148, 9);
  });
});

describe('DifferenceStrip', () => {
  const item: ReconcileItem = {
    quantity: 'focalLength',
    about: 'focal length',
    unit: 'mm',
    recorded: 32,
    recordedSigma: 0.32,
    solved: 22.75,
    sigma: 0.02,
    difference: -9.25,
    verdict: 'contradicts',
    sentence: 'said',
    causes: [],
  };
  test('shows both values with their tolerances, the difference and the verdict in words', () => {
    render(
      <Theme>
        <DifferenceStrip item={item} />
      </Theme>,
    );
    expect(screen.getByText('contradicts')).toBeTruthy();
    expect(screen.getByText(/recorded 32\.00 ± 0\.32 mm · solved 22\.75 ± 0\.02 mm · difference -9\.25 mm/)).toBeTruthy();
  });
  test('says when the solve cannot see it', () => {
    render(
      <Theme>
        <DifferenceStrip item={{ ...item, solved: null, sigma: null, difference: null, verdict: 'not observable', sentence: 'Nothing else gives the scale.' }} />
      </Theme>,
    );
    expect(screen.getByText('Nothing else gives the scale.')).toBeTruthy();
    expect(screen.getByText('not observable')).toBeTruthy();
  });
});

test('numbers: two figures of sigma, point or comma', () => {
  expect(withSigma(22.74928, 0.02144)).toEqual({ value: '22.749', sigma: '0.021' });
  expect(withSigma(-0.0893, 0.0000123)).toEqual({ value: '-0.089300', sigma: '0.000012' });
  expect([readNumber('32'), readNumber('27,5'), readNumber('3x'), readNumber('')]).toEqual([32, 27.5, null, null]);
});

test('labels in one line do not cover each other, and show when there is room', () => {
  const labels = ['K1', 'K2', 'K3'].map((text, i) => ({ text, x: 0.1 * i, y: 0 }));
  expect([...labelsThatFit(labels, 0.01)]).toEqual(['K1', 'K3']);
  expect([...labelsThatFit(labels, 0.005)]).toEqual(['K1', 'K2', 'K3']);
  expect([...labelsThatFit([labels[0], { ...labels[1], x: 0, y: 0.2 }], 0.01)]).toEqual(['K1', 'K2']);
});

test('a wheel stands at a value of its series, between two of them, or at its end', () => {
  const stops = [2, 2.8, 4];
  expect(placeOn(stops, 2.8)).toBe(1);
  expect(placeOn(stops, 3.4)).toBeCloseTo(1.5, 9);
  expect([placeOn(stops, 1.4), placeOn(stops, 22)]).toEqual([0, 2]);
});

describe('Choice', () => {
  const draw = (value: string | null, disabled = false) => {
    const onChange = jest.fn();
    render(
      <Theme>
        <Choice
          label="Kind"
          value={value}
          disabled={disabled}
          options={[
            { value: 'a', title: 'first' },
            { value: 'b', title: 'second' },
            { value: 'c', title: 'third' },
          ]}
          onChange={onChange}
        />
      </Theme>,
    );
    return onChange;
  };
  const press = (key: string) => fireEvent(screen.getByLabelText('Kind'), 'keyDown', { key, preventDefault: () => undefined, currentTarget: {} });
  test('the arrow keys go round, and one stop of the Tab key is enough for the group', () => {
    const onChange = draw('c');
    press('ArrowRight');
    press('ArrowUp');
    press('x');
    expect(onChange.mock.calls).toEqual([['a'], ['b']]);
    expect(screen.getAllByRole('radio').map((r) => r.props.tabIndex)).toEqual([-1, -1, 0]);
  });
  test('with nothing chosen the first can be reached; one that is closed takes neither keys nor touches', () => {
    draw(null);
    expect(screen.getAllByRole('radio').map((r) => r.props.tabIndex)).toEqual([0, -1, -1]);
    const onChange = draw('a', true);
    press('ArrowRight');
    fireEvent.press(screen.getAllByRole('radio').at(-1)!);
    expect(onChange).not.toHaveBeenCalled();
  });
});
