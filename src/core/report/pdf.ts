/**
 * A paper as PDF: A4, fonts embedded, text that can be selected, tagged by what each part is. What it is set with is loaded
 * only when a paper is asked for.
 */
import { plain } from '@/core/bytes';
import type { Drawing, TextMark } from './drawing';
import type { Block, Paper } from './paper';
import { BOTTOM, INK, LINE, MUTED, PAGE, PdfPage, TONES, WIDTH } from './pdf-page';

const NOTES_HEIGHT = 44;

/** The bytes of TrueType fonts. */
export interface PaperFonts {
  readonly regular: Uint8Array;
  readonly bold: Uint8Array;
}

/** A paper as the bytes of a PDF file. */
export async function pdfOf(paper: Paper, fonts: PaperFonts): Promise<Uint8Array> {
  const [{ default: PDFDocument }, { toBytes }, { create }] = await Promise.all([
    import('pdfkit'),
    import('pdfkit/output'),
    import('fontkit'),
  ]);
  const document = new PDFDocument({
    size: 'A4',
    margin: PAGE.margin,
    pdfVersion: '1.7',
    tagged: true,
    lang: 'en',
    displayTitle: true,
    // None but those that are embedded.
    font: '',
    info: { Title: `${plain(paper.title)} – ${plain(paper.subtitle)}`, Producer: 'Ullager', Creator: 'Ullager' },
  });
  const bytes = toBytes(document);
  const known = create(fonts.regular as Buffer) as { hasGlyphForCodePoint(point: number): boolean };
  document.registerFont('regular', fonts.regular as Buffer).registerFont('bold', fonts.bold as Buffer);
  new Setter(new PdfPage(document, (point) => known.hasGlyphForCodePoint(point))).set(paper);
  document.end();
  return bytes;
}

/** Sets one block below the other, and begins a page where one is full. */
class Setter {
  constructor(private readonly page: PdfPage) {}

  set({ title, subtitle, tone, blocks, footer }: Paper): void {
    this.page.paragraph('H1', title, { size: 16, bold: true, colour: tone ? TONES[tone] : INK });
    this.page.paragraph('P', subtitle, { size: 11, colour: MUTED });
    this.page.y += 4;
    for (const block of blocks) this.#block(block);
    this.page.paragraphAt('P', footer, PAGE.margin, PAGE.height - PAGE.margin - 9, WIDTH, { size: 7, colour: MUTED });
    this.page.root.end();
  }

  #block(block: Block): void {
    switch (block.kind) {
      case 'facts':
        return this.#facts(block.items);
      case 'picture':
        return this.#picture(block.drawing);
      case 'text':
        if (block.title) this.page.heading(block.title);
        return this.page.paragraph('P', block.text, {});
      case 'list':
        return this.#list(block);
      case 'table':
        return this.#table(block);
      case 'signature':
        return this.#signature(block);
    }
  }

  /** Two to a line, each with its name before it. */
  #facts(items: Extract<Block, { kind: 'facts' }>['items']): void {
    const pitch = WIDTH / 2;
    const name = 52;
    for (let i = 0; i < items.length; i += 2) {
      const pair = items.slice(i, i + 2);
      const height = Math.max(...pair.map(([, value]) => this.page.heightOf(value, pitch - name - 8, {})));
      this.page.room(height);
      for (const [column, [title, value]] of pair.entries()) {
        const x = PAGE.margin + column * pitch;
        this.page.paragraphAt('P', title, x, this.page.y, name, { colour: MUTED });
        this.page.paragraphAt('P', value, x + name, this.page.y, pitch - name - 8, {});
      }
      this.page.y += height + 1.5;
    }
    this.page.y += 2;
  }

  #picture(drawing: Drawing): void {
    const scale = WIDTH / drawing.width;
    const height = drawing.height * scale;
    this.page.room(height);
    this.page.root.add(this.page.element('Figure', () => this.#draw(drawing, scale), drawing.title));
    this.page.y += height + 2;
  }

  #draw({ marks }: Drawing, scale: number): void {
    const { doc } = this.page;
    doc.save().translate(PAGE.margin, this.page.y).scale(scale);
    for (const mark of marks) {
      if (mark.kind === 'text') this.#label(mark);
      else if (mark.kind === 'path') {
        const { path, fill, stroke, opacity = 1 } = mark;
        if (!path) continue;
        if (fill) doc.path(path).fillOpacity(opacity).fill(fill).fillOpacity(1);
        if (stroke) doc.path(path).lineWidth(1).stroke(stroke);
      } else {
        const { x, y, width, height, radius = 0, fill, stroke, dashed } = mark;
        const box = (): PDFKit.PDFDocument => doc.roundedRect(x, y, width, height, Math.min(radius, height / 2));
        if (fill) box().fill(fill);
        if (!stroke) continue;
        if (dashed) doc.dash(5, { space: 3 });
        box().lineWidth(1).stroke(stroke).undash();
      }
    }
    doc.restore();
  }

  /** A line of a drawing, smaller where it would be longer than its room. */
  #label({ text, x, y, size, bold = false, end = false, fill, room }: TextMark): void {
    const shown = this.page.shown(text);
    if (!shown) return;
    const style = { size, bold, colour: fill };
    const wide = this.page.styled(style).widthOfString(shown);
    const fitted = wide > room ? (size * room) / wide : size;
    const width = Math.min(wide, room);
    const doc = this.page.styled({ ...style, size: fitted });
    this.page.spoken(text, () => {
      doc.text(shown, end ? x - width : x, y, { lineBreak: false, baseline: 'alphabetic' });
    });
  }

  #list({ title, items, numbered }: Extract<Block, { kind: 'list' }>): void {
    if (items.length === 0) return;
    this.page.heading(title);
    const list = this.page.doc.struct('L');
    this.page.root.add(list);
    const [x, whole] = [PAGE.margin + 16, WIDTH - 16];
    const quiet = { size: 7.5, colour: MUTED };
    for (const [i, { text, detail }] of items.entries()) {
      const width = detail ? whole * 0.52 : whole;
      const [beside, rest] = [x + width + 8, whole - width - 8];
      const height = Math.max(
        this.page.heightOf(text, width, {}),
        detail ? this.page.heightOf(detail, rest, quiet) : 0,
      );
      this.page.room(height);
      const y = this.page.y;
      const item = this.page.doc.struct('LI', {}, [
        this.page.element('Lbl', () =>
          this.page.write(numbered ? `${i + 1}` : '–', PAGE.margin, y, 14, { colour: MUTED }),
        ),
        this.page.element('LBody', () => {
          this.page.write(text, x, y, width, {});
          if (detail) this.page.write(detail, beside, y, rest, quiet);
        }),
      ]);
      list.add(item);
      this.page.y += height + 1;
    }
    list.end();
  }

  #table({ title, columns, rows }: Extract<Block, { kind: 'table' }>): void {
    this.page.heading(title);
    const table = this.page.doc.struct('Table');
    this.page.root.add(table);
    const all: { cells: readonly string[]; head: boolean }[] = [
      { cells: columns.map((c) => c.title), head: true },
      ...rows.map((cells) => ({ cells, head: false })),
    ];
    for (const { cells, head } of all) {
      const style = { size: 7.5, bold: head };
      const widths = columns.map((c) => c.share * WIDTH);
      const height = Math.max(...cells.map((cell, i) => this.page.heightOf(cell, widths[i]! - 6, style)));
      this.page.room(height + 3);
      let x = PAGE.margin;
      const places = widths.map((width) => ({ x: (x += width) - width, width: width - 6 }));
      const y = this.page.y;
      const row = this.page.doc.struct(
        'TR',
        {},
        cells.map((cell, i) =>
          this.page.element(head ? 'TH' : 'TD', () =>
            this.page.write(cell, places[i]!.x, y, places[i]!.width, style, columns[i]!.end),
          ),
        ),
      );
      table.add(row);
      this.page.rule(y + height + 1.5);
      this.page.y += height + 3;
    }
    table.end();
  }

  /** Room for notes, as much as is left of the page, and a line for every name. */
  #signature({ notes, fields }: Extract<Block, { kind: 'signature' }>): void {
    const lines = notes.split('\n');
    const inner = WIDTH - 12;
    const written = notes ? lines.reduce((sum, line) => sum + this.page.heightOf(line, inner, {}), 0) + 8 : 0;
    const names = 34;
    this.page.room(Math.max(written, NOTES_HEIGHT) + names + 24);
    this.page.heading('Notes');
    const top = this.page.y;
    const height = Math.max(written, Math.min(90, BOTTOM - top - names));
    this.page.artifact((doc) => doc.roundedRect(PAGE.margin, top, WIDTH, height, 3).lineWidth(0.5).stroke(LINE));
    let y = top + 4;
    for (const line of notes ? lines : []) {
      this.page.paragraphAt('P', line, PAGE.margin + 6, y, inner, {});
      y += this.page.heightOf(line, inner, {});
    }
    const pitch = WIDTH / fields.length;
    const base = top + height + names - 12;
    for (const [i, field] of fields.entries()) {
      this.page.rule(base, PAGE.margin + i * pitch, pitch - 14, INK);
      this.page.paragraphAt('P', field, PAGE.margin + i * pitch, base + 2, pitch - 14, { size: 7, colour: MUTED });
    }
    this.page.y = base + 12;
  }
}
