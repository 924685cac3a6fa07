import { Asset } from 'expo-asset';
import type { PdfFonts } from '@mesure/formats/pdf';
import { NotoSans_400Regular } from '@expo-google-fonts/noto-sans/400Regular';
import { NotoSans_700Bold } from '@expo-google-fonts/noto-sans/700Bold';

/** The fonts of printed pages, fetched when one is saved; they lie with the application. */
export async function pdfFonts(): Promise<PdfFonts> {
  const bytes = async (module: number | string): Promise<Uint8Array> => {
    const response = await fetch(Asset.fromModule(module).uri);
    if (!response.ok) throw new Error('the fonts of the page are not here; connect once and try again');
    return new Uint8Array(await response.arrayBuffer());
  };
  const [plain, strong] = await Promise.all([bytes(NotoSans_400Regular as unknown as number), bytes(NotoSans_700Bold as unknown as number)]);
  return { plain, strong };
}
