import type { GivenLens } from '@mesure/contract';
import { cornerMovesPct, DIRECTIONS, GIVEN_FORMULAS, NORMALISERS, type GivenCoefficients, type GivenFormula, type GivenFrame, type Normaliser, type Way } from '@mesure/core';
import { View } from 'react-native';
import { Choice, Field } from '../../../ui/controls';
import { readNumber } from '../../../ui/format';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

/** As it is typed. */
export interface GivenText {
  what: GivenLens['what'];
  way: Way;
  stretch: string;
  formula: GivenFormula;
  over: Normaliser;
  direction: GivenCoefficients['direction'];
  k1: string;
  k2: string;
  k3: string;
  k4: string;
  p1: string;
  p2: string;
  x: string;
  y: string;
  overMm: string;
}
const K = ['k1', 'k2', 'k3', 'k4'] as const;
type NumberField = (typeof K)[number] | 'p1' | 'p2' | 'x' | 'y';

export const USUAL_GIVEN: GivenText = {
  what: 'map',
  way: 'undistorts',
  stretch: '1',
  formula: 'polynomial',
  over: 'focal length',
  direction: DIRECTIONS[0],
  ...{ k1: '', k2: '', k3: '', k4: '', p1: '', p2: '', x: '', y: '', overMm: '' },
};

export function textOfGiven(g: GivenLens): GivenText {
  if (g.what === 'map') return { ...USUAL_GIVEN, what: 'map', way: g.way, stretch: String(g.stretch) };
  const text = (v: number | undefined) => (v ? String(Number(v.toPrecision(10))) : '');
  const [k1, k2, k3, k4] = [0, 1, 2, 3].map((i) => text(g.k[i]));
  const { formula, over, direction } = g;
  return {
    ...USUAL_GIVEN,
    what: 'coefficients',
    formula,
    over,
    direction,
    k1,
    k2,
    k3,
    k4,
    p1: text(g.p[0]),
    p2: text(g.p[1]),
    x: text(g.center[0]),
    y: text(g.center[1]),
    overMm: text(g.focalMm ?? 0),
  };
}

/** What was typed, or what is wrong with it by field. */
export function givenOf(t: GivenText): { given: GivenLens | null; errors: Partial<Record<keyof GivenText, string>> } {
  const errors: Partial<Record<keyof GivenText, string>> = {};
  if (t.what === 'map') {
    const stretch = readNumber(t.stretch);
    if (stretch === null || stretch < 0.1 || stretch > 10) errors.stretch = 'Enter a number, 1 where they are the same';
    return { given: Object.keys(errors).length > 0 ? null : { what: 'map', way: t.way, stretch: stretch! }, errors };
  }
  const value = (field: NumberField): number => {
    if (t[field].trim() === '') return 0;
    const v = coefficient(t[field]);
    if (v === null) errors[field] = 'Enter a number, such as -0.012 or 1.2e-8';
    return v ?? 0;
  };
  const k = K.map(value);
  const [p1, p2, x, y] = (['p1', 'p2', 'x', 'y'] as const).map(value);
  while (k.length > 1 && k[k.length - 1] === 0) k.pop();
  if (k.every((v) => v === 0) && p1 === 0 && p2 === 0 && t.formula !== 'angle' && !errors.k1) errors.k1 = 'Without any it bends nothing';
  const focalMm = t.overMm.trim() === '' || t.over !== 'focal length' ? null : readNumber(t.overMm);
  if (t.overMm.trim() !== '' && t.over === 'focal length' && (focalMm === null || focalMm < 1)) errors.overMm = 'Enter mm, such as 32.1';
  const angle = t.formula === 'angle';
  const given: GivenLens = {
    what: 'coefficients',
    formula: t.formula,
    over: angle ? 'focal length' : t.over,
    direction: angle ? DIRECTIONS[0] : t.direction,
    k,
    p: t.formula === 'polynomial' ? [p1, p2] : [0, 0],
    center: [x, y],
    focalMm,
  };
  return { given: Object.keys(errors).length > 0 ? null : given, errors };
}

/** Coefficients are small: they are written with powers of ten too. */
const coefficient = (text: string): number | null => (/^\s*[-+−]?\d*[.,]?\d+(e[-+]?\d+)?\s*$/i.test(text) ? Number(text.trim().replace('−', '-').replace(',', '.')) : null);

const FORMULAS: Record<GivenFormula, { title: string; detail: string }> = {
  polynomial: { title: 'polynomial', detail: 'r (1 + k1 r² + k2 r⁴ …)' },
  quotient: { title: 'by division', detail: 'r / (1 + k1 r² + k2 r⁴ …)' },
  angle: { title: 'of the angle', detail: 'fisheye: θ (1 + k1 θ² + k2 θ⁴ …)' },
};

interface Props {
  entry: GivenText;
  errors: Partial<Record<string, string>>;
  frame: GivenFrame | null;
  onChange: (change: Partial<GivenText>) => void;
}

/** How a map, or coefficients, are read. */
export function GivenFields(props: Props) {
  const { entry, errors, onChange } = props;
  if (entry.what === 'coefficients') return <CoefficientFields {...props} />;
  return (
    <>
      <Choice
        label="The map"
        value={entry.way}
        options={[
          { value: 'undistorts', title: 'undistorts', detail: 'makes the straight picture of the recorded one' },
          { value: 'distorts', title: 'distorts', detail: 'bends a straight picture as the lens does' },
        ]}
        onChange={(way) => onChange({ way })}
      />
      <Field
        label="A straight picture's pixel is so many times as wide"
        value={entry.stretch}
        onChangeText={(stretch) => onChange({ stretch })}
        error={errors.stretch}
        hint="1: of the recorded pixels' shape. Another number where the straight picture is also unsqueezed."
        keyboard="decimal-pad"
        testID="given-stretch"
      />
    </>
  );
}

type Convention = Pick<GivenCoefficients, 'formula' | 'over' | 'direction'>;

/** What coefficients do not say of themselves. */
export function ConventionFields({ said, onChange }: { said: Convention; onChange: (change: Partial<Convention>) => void }) {
  return (
    <>
      <Choice label="Formula" value={said.formula} options={GIVEN_FORMULAS.map((value) => ({ value, ...FORMULAS[value] }))} onChange={(formula) => onChange({ formula })} />
      {said.formula === 'angle' ? null : (
        <>
          <Choice label="A radius of 1 is" value={said.over} options={NORMALISERS.map((value) => ({ value, title: value }))} onChange={(over) => onChange({ over })} />
          <Choice label="It goes" value={said.direction} options={DIRECTIONS.map((value) => ({ value, title: value }))} onChange={(direction) => onChange({ direction })} />
        </>
      )}
    </>
  );
}

function CoefficientFields({ entry, errors, frame, onChange }: Props) {
  const angle = entry.formula === 'angle';
  const field = (name: NumberField | 'overMm', label: string, suffix?: string) => (
    <View style={{ flex: 1 }}>
      <Field label={label} suffix={suffix} value={entry[name]} onChangeText={(text) => onChange({ [name]: text })} error={errors[name]} testID={`given-${name}`} />
    </View>
  );
  const row = { flexDirection: 'row', gap: SPACE.m } as const;
  return (
    <>
      <ConventionFields said={entry} onChange={onChange} />
      {angle || entry.over === 'focal length' ? <View style={row}>{field('overMm', 'Focal length they are over; empty: that of the setting', 'mm')}</View> : null}
      <View style={row}>
        {field('k1', 'k1')}
        {field('k2', 'k2')}
      </View>
      <View style={row}>
        {field('k3', 'k3')}
        {field('k4', 'k4')}
      </View>
      {entry.formula === 'polynomial' ? (
        <View style={row}>
          {field('p1', 'p1, with xy across')}
          {field('p2', 'p2, with xy down')}
        </View>
      ) : null}
      <View style={row}>
        {field('x', 'Centre right of the middle', 'px')}
        {field('y', 'and below it', 'px')}
      </View>
      <CornerLine entry={entry} frame={frame} />
    </>
  );
}

/** A wrong normaliser or direction shows at once at the corner. */
function CornerLine({ entry, frame }: { entry: GivenText; frame: GivenFrame | null }) {
  const p = usePalette();
  const { given } = givenOf(entry);
  if (!given || given.what !== 'coefficients' || !frame) return null;
  const say = (c: GivenCoefficients): string => {
    const pct = cornerMovesPct(c, frame);
    return pct === null ? 'does not reach it' : Math.abs(pct) < 0.005 ? 'stays' : `${pct < 0 ? 'barrel' : 'pincushion'} ${Math.abs(pct).toFixed(2)} %`;
  };
  const mine = say(given);
  const others = given.formula === 'angle' ? [] : NORMALISERS.filter((over) => over !== given.over);
  const large = Math.abs(cornerMovesPct(given, frame) ?? 100) > 25 && given.formula !== 'angle';
  return (
    <View style={{ marginBottom: SPACE.m }}>
      <Words color={large ? p.against : undefined} testID="given-corner">{`${large ? '▲ ' : ''}At the corner: ${mine}.`}</Words>
      {others.length > 0 ? <Words look="small" dim>{`Were a radius of 1 ${others.map((over) => `the ${over}: ${say({ ...given, over })}`).join('; ')}.`}</Words> : null}
    </View>
  );
}
