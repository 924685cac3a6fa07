import type { PropsWithChildren } from 'react';
import { Text, type TextProps } from 'react-native';
import { FONT, textSize, usePalette } from './theme';

type Look = 'title' | 'heading' | 'body' | 'small' | 'label' | 'figure' | 'big';
const LOOKS: Record<Look, { fontSize: number; lineHeight: number; fontFamily: string }> = {
  title: { fontSize: textSize(22), lineHeight: textSize(28), fontFamily: FONT.strong },
  heading: { fontSize: textSize(16), lineHeight: textSize(22), fontFamily: FONT.strong },
  body: { fontSize: textSize(16), lineHeight: textSize(22), fontFamily: FONT.text },
  small: { fontSize: textSize(14), lineHeight: textSize(19), fontFamily: FONT.text },
  label: { fontSize: textSize(13), lineHeight: textSize(17), fontFamily: FONT.text },
  figure: { fontSize: textSize(18), lineHeight: textSize(22), fontFamily: FONT.figures },
  big: { fontSize: textSize(46), lineHeight: textSize(50), fontFamily: FONT.figures },
};

export interface WordsProps extends TextProps {
  look?: Look;
  dim?: boolean;
  color?: string;
  level?: 1 | 2 | 3;
}

/** All text of the application. `level` makes it a heading for those who listen. */
export function Words({ look = 'body', dim, color, level, style, children, ...rest }: PropsWithChildren<WordsProps>) {
  const p = usePalette();
  const heading = level ? ({ role: 'heading', 'aria-level': level } as object) : {};
  return (
    <Text {...rest} {...heading} style={[LOOKS[look], { color: color ?? (dim ? p.dim : p.ink), fontVariant: ['tabular-nums'] }, style]}>
      {children}
    </Text>
  );
}

/** Where a number comes from: computed ones are set in figures with a small equals sign, carried ones with an arrow, typed ones plain. */
export type Origin = 'typed' | 'computed' | 'carried';
const SIGN: Record<Origin, string> = { typed: '', computed: '= ', carried: '↷ ' };
export const ORIGIN_WORDS: Record<Origin, string> = { typed: 'entered', computed: 'computed', carried: 'carried over' };

export function Figure({ value, unit, sigma, origin = 'typed', look = 'figure' }: { value: string; unit?: string; sigma?: string; origin?: Origin; look?: 'figure' | 'big' }) {
  const p = usePalette();
  return (
    <Words look={look} color={origin === 'computed' ? p.blue : p.ink} accessibilityLabel={`${value}${unit ? ` ${unit}` : ''}${sigma ? ` plus or minus ${sigma}` : ''}, ${ORIGIN_WORDS[origin]}`}>
      <Words look="small" dim>
        {SIGN[origin]}
      </Words>
      {value}
      {sigma ? <Words look="small" dim>{` ± ${sigma}`}</Words> : null}
      {unit ? <Words look="small" dim>{` ${unit}`}</Words> : null}
    </Words>
  );
}
