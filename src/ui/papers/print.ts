/** Papers on their way out of the page: printed, or saved. */
import { htmlOf, type Paper } from '@/core/report';
import { engine } from '@/engine';
import { downloadBytes, downloadText } from '../kit';
import { paperFonts } from './paper-fonts';

/** Long enough for a printer's dialog to have taken what it needs. */
const KEPT_MS = 60_000;

/** Prints a paper by itself, not the page around it. */
export function printPaper(paper: Paper): void {
  const frame = document.createElement('iframe');
  frame.title = paper.title;
  frame.className = 'print-frame';
  frame.srcdoc = htmlOf(paper);
  frame.onload = () => frame.contentWindow?.print();
  document.body.append(frame);
  setTimeout(() => frame.remove(), KEPT_MS);
}

export function saveHtml(name: string, paper: Paper): void {
  downloadText(`${name}.html`, 'text/html', htmlOf(paper));
}

export async function savePdf(name: string, paper: Paper): Promise<void> {
  downloadBytes(`${name}.pdf`, 'application/pdf', await engine('setAsPdf', paper, await paperFonts()));
}
