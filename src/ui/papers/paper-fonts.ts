/** The fonts that papers are set in, fetched when one is wanted: the worker that sets them may reach nothing by itself. */
import type { PaperFonts } from '@/core/report';

async function fontAt(url: URL): Promise<Uint8Array> {
  const response = await fetch(url);
  if (!response.ok) throw new Error('The fonts of papers are not to be had from the server.');
  return new Uint8Array(await response.arrayBuffer());
}

let fonts: Promise<PaperFonts> | undefined;

async function fetched(): Promise<PaperFonts> {
  const [regular, bold] = await Promise.all([
    fontAt(new URL('dejavu-fonts-ttf/ttf/DejaVuSansCondensed.ttf', import.meta.url)),
    fontAt(new URL('dejavu-fonts-ttf/ttf/DejaVuSansCondensed-Bold.ttf', import.meta.url)),
  ]);
  return { regular, bold };
}

export function paperFonts(): Promise<PaperFonts> {
  fonts ??= fetched().catch((error: unknown) => {
    fonts = undefined;
    throw error;
  });
  return fonts;
}
