/** The fonts of papers, from the package they come in. */
import type { PaperFonts } from '@/core/report';
import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const font = (name: string): Promise<Uint8Array> => readFile(require.resolve(`dejavu-fonts-ttf/ttf/${name}.ttf`));

export async function paperFonts(): Promise<PaperFonts> {
  const [regular, bold] = await Promise.all([font('DejaVuSansCondensed'), font('DejaVuSansCondensed-Bold')]);
  return { regular, bold };
}
