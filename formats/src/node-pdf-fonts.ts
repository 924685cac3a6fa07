import { readFileSync } from 'node:fs';
import type { PdfFonts } from './pdf';

let fonts: PdfFonts | null = null;

/** The fonts of printed pages, from the packages beside this program. */
export const nodePdfFonts = (): PdfFonts =>
  (fonts ??= {
    plain: readFileSync(require.resolve('@expo-google-fonts/noto-sans/400Regular/NotoSans_400Regular.ttf')),
    strong: readFileSync(require.resolve('@expo-google-fonts/noto-sans/700Bold/NotoSans_700Bold.ttf')),
  });
