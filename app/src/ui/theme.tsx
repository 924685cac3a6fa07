import { createTheme, ThemeProvider as ControlsTheme } from '@rneui/themed';
import { createContext, useContext, useState, type PropsWithChildren } from 'react';
import { Platform } from 'react-native';

/** Two lights: Stage for a dark set, Daylight for full sun. Contrasts of text are at least 4.5 : 1, of signs 3 : 1 (WCAG 2.2 AA). */
export type Light = 'stage' | 'daylight';
export interface Palette {
  paper: string;
  raised: string;
  sunk: string;
  line: string;
  ink: string;
  dim: string;
  /** tape yellow as a surface, and the ink on it */
  tape: string;
  onTape: string;
  /** blueprint blue: geometry, links */
  blue: string;
  /** what speaks against the record */
  against: string;
  light: Light;
}
export const PALETTES: Record<Light, Palette> = {
  stage: {
    paper: '#14161a',
    raised: '#1d2126',
    sunk: '#0e1013',
    line: '#3d434b',
    ink: '#ece8df',
    dim: '#aeaba2',
    tape: '#d9ab33',
    onTape: '#191404',
    blue: '#8cb5ee',
    against: '#ec9ac4',
    light: 'stage',
  },
  daylight: {
    paper: '#f8f5ee',
    raised: '#ffffff',
    sunk: '#ece7db',
    line: '#b5ae9f',
    ink: '#15171a',
    dim: '#55544d',
    tape: '#f2c53d',
    onTape: '#191404',
    blue: '#1c4c9c',
    against: '#8c1c5e',
    light: 'daylight',
  },
};

/** Inks over a photograph, the same in both lights: the picture does not change with them. */
export const PICTURE_INK = { lattice: '#2f7de0', mark: '#f2c53d', light: '#ffffff' } as const;

export const SPACE = { xs: 4, s: 8, m: 12, l: 16, xl: 24 } as const;
export const TOUCH_PX = 48;
/** How much larger than usual the reader wants text: for what is laid out in pixels around it, such as the cells of a table. */
export const textScale = (): number => {
  const px = Platform.OS === 'web' && typeof globalThis.getComputedStyle === 'function' ? parseFloat(globalThis.getComputedStyle(document.documentElement).fontSize) : Number.NaN;
  return px > 0 ? px / 16 : 1;
};
/** The size of text that is so many pixels tall where the reader has not asked for another: on the web it follows what the reader chose. */
export const textSize = (px: number): number => (Platform.OS === 'web' ? (`${px / 16}rem` as unknown as number) : px);
export const WIDE_PX = 900;
export const FONT = { text: 'Barlow_500Medium', strong: 'Barlow_700Bold', figures: 'BarlowCondensed_600SemiBold' } as const;

// made once: a new object at every render would loop the provider
const CONTROLS = createTheme({ lightColors: { primary: PALETTES.daylight.tape }, darkColors: { primary: PALETTES.stage.tape }, mode: 'dark' });

const ThemeContext = createContext<{ palette: Palette; switchLight: () => void }>({ palette: PALETTES.stage, switchLight: () => undefined });
const LIGHT_KEY = 'mesure-light';

function rememberedLight(): Light {
  try {
    return globalThis.localStorage?.getItem(LIGHT_KEY) === 'daylight' ? 'daylight' : 'stage';
  } catch {
    return 'stage';
  }
}

export function Theme({ children }: PropsWithChildren) {
  const [light, setLight] = useState<Light>(rememberedLight);
  const switchLight = () => {
    const next = light === 'stage' ? 'daylight' : 'stage';
    try {
      globalThis.localStorage?.setItem(LIGHT_KEY, next);
    } catch {
      // a browser that keeps nothing still switches
    }
    setLight(next);
  };
  return (
    <ControlsTheme theme={CONTROLS}>
      <ThemeContext.Provider value={{ palette: PALETTES[light], switchLight }}>{children}</ThemeContext.Provider>
    </ControlsTheme>
  );
}

export const usePalette = (): Palette => useContext(ThemeContext).palette;
export const useLightSwitch = (): (() => void) => useContext(ThemeContext).switchLight;
