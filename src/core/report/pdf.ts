/**
 * A paper as PDF: A4, fonts embedded, text that can be selected, tagged by what each part is. What it is set with is loaded
 * only when a paper is asked for.
 */
import { plain } from '@/core/bytes';
import type { Drawing, TextMark } from './drawing';
import type { Block, Paper } from './paper';

/** The bytes of TrueType fonts. */
export interface PaperFonts {
  readonly regular: Uint8Array;
  readonly bold: Uint8Array;
}

const PAGE = { width: 595.28, height: 841.89, margin: 40, foot: 14 };
const WIDTH = PAGE.width - 2 * PAGE.margin;
const BOTTOM = PAGE.height - PAGE.margin - PAGE.foot;
const INK = '#1e2a2f';
const MUTED = '#56606a';
const LINE = '#ddd7cb';
const TONES = { good: '#14606a', bad: '#ad3f27' } as const;
const BODY = 8;
const NOTES_HEIGHT = 44;

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
  new Setter(document, (point) => known.hasGlyphForCodePoint(point)).set(paper);
  document.end();
  return bytes;
}

const utf16Hex = (text: string): string =>
  [...Array(text.length).keys()].map((i) => text.charCodeAt(i).toString(16).padStart(4, '0')).join('');

interface Style {
  readonly size?: number;
  readonly bold?: boolean;
  readonly colour?: string;
}

/** Sets one block below the other, and begins a page where one is full. */
class Setter {
  #y: number = PAGE.margin;
  readonly #root: PDFKit.PDFStructureElement;

  constructor(
    private readonly doc: PDFKit.PDFDocument,
    private readonly hasGlyph: (point: number) => boolean,
  ) {
    this.#root = doc.struct('Document');
    doc.addStructure(this.#root);
  }

  set({ title, subtitle, tone, blocks, footer }: Paper): void {
    this.#paragraph('H1', title, { size: 16, bold: true, colour: tone ? TONES[tone] : INK });
    this.#paragraph('P', subtitle, { size: 11, colour: MUTED });
    this.#y += 4;
    for (const block of blocks) this.#block(block);
    this.#paragraphAt('P', footer, PAGE.margin, PAGE.height - PAGE.margin - 9, WIDTH, { size: 7, colour: MUTED });
    this.#root.end();
  }

  #block(block: Block): void {
    switch (block.kind) {
      case 'facts':
        return this.#facts(block.items);
      case 'picture':
        return this.#picture(block.drawing);
      case 'text':
        if (block.title) this.#heading(block.title);
        return this.#paragraph('P', block.text, {});
      case 'list':
        return this.#list(block);
      case 'table':
        return this.#table(block);
      case 'signature':
        return this.#signature(block);
    }
  }

  /** Text as it can be set: what is not seen, and what the font has no letter for, is written out. */
  #shown(text: string): string {
    return [...plain(text)]
      .map((c) => (this.hasGlyph(c.codePointAt(0)!) ? c : `\\u{${c.codePointAt(0)!.toString(16)}}`))
      .join('');
  }

  /** What is drawn in other letters than it has is what it is for whoever reads the text or copies it. */
  #spoken(text: string, draw: () => void): void {
    const own = plain(text);
    const written = this.#shown(text) !== own;
    // ISO 32000-1 §14.9.4: a string in UTF-16, here in hexadecimal, since contents are not written as single bytes.
    if (written) this.doc.addContent(`/Span <</ActualText <FEFF${utf16Hex(own)}>>> BDC`);
    draw();
    if (written) this.doc.addContent('EMC');
  }

  #styled({ size = BODY, bold = false, colour = INK }: Style): PDFKit.PDFDocument {
    return this.doc
      .font(bold ? 'bold' : 'regular')
      .fontSize(size)
      .fillColor(colour);
  }

  #heightOf(text: string, width: number, style: Style): number {
    return this.#styled(style).heightOfString(this.#shown(text) || ' ', { width });
  }

  /** Begins a page where what comes has no room on this one. */
  #room(height: number): void {
    if (this.#y + height <= BOTTOM || this.#y === PAGE.margin) return;
    this.doc.addPage();
    this.#y = PAGE.margin;
  }

  #write(text: string, x: number, y: number, width: number, style: Style, end = false): void {
    this.#spoken(text, () => {
      this.#styled(style).text(this.#shown(text), x, y, { width, align: end ? 'right' : 'left' });
    });
  }

  #element(tag: string, draw: () => void, alt?: string): PDFKit.PDFStructureElement {
    return this.doc.struct(tag, alt === undefined ? {} : { alt }, [draw]);
  }

  #paragraphAt(tag: string, text: string, x: number, y: number, width: number, style: Style): void {
    this.#root.add(this.#element(tag, () => this.#write(text, x, y, width, style)));
  }

  #paragraph(tag: string, text: string, style: Style): void {
    const height = this.#heightOf(text, WIDTH, style);
    this.#room(height);
    this.#paragraphAt(tag, text, PAGE.margin, this.#y, WIDTH, style);
    this.#y += height + 1;
  }

  #heading(text: string): void {
    this.#room(40);
    this.#y += 6;
    this.#paragraph('H2', text, { size: 9.5, bold: true });
    this.#y += 1;
  }

  /** Two to a line, each with its name before it. */
  #facts(items: Extract<Block, { kind: 'facts' }>['items']): void {
    const pitch = WIDTH / 2;
    const name = 52;
    for (let i = 0; i < items.length; i += 2) {
      const pair = items.slice(i, i + 2);
      const height = Math.max(...pair.map(([, value]) => this.#heightOf(value, pitch - name - 8, {})));
      this.#room(height);
      for (const [column, [title, value]] of pair.entries()) {
        const x = PAGE.margin + column * pitch;
        this.#paragraphAt('P', title, x, this.#y, name, { colour: MUTED });
        this.#paragraphAt('P', value, x + name, this.#y, pitch - name - 8, {});
      }
      this.#y += height + 1.5;
    }
    this.#y += 2;
  }

  #picture(drawing: Drawing): void {
    const scale = WIDTH / drawing.width;
    const height = drawing.height * scale;
    this.#room(height);
    this.#root.add(this.#element('Figure', () => this.#draw(drawing, scale), drawing.title));
    this.#y += height + 2;
  }

  #draw({ marks }: Drawing, scale: number): void {
    const { doc } = this;
    doc.save().translate(PAGE.margin, this.#y).scale(scale);
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
    const shown = this.#shown(text);
    if (!shown) return;
    const style = { size, bold, colour: fill };
    const wide = this.#styled(style).widthOfString(shown);
    const fitted = wide > room ? (size * room) / wide : size;
    const width = Math.min(wide, room);
    const doc = this.#styled({ ...style, size: fitted });
    this.#spoken(text, () => {
      doc.text(shown, end ? x - width : x, y, { lineBreak: false, baseline: 'alphabetic' });
    });
  }

  #list({ title, items, numbered }: Extract<Block, { kind: 'list' }>): void {
    if (items.length === 0) return;
    this.#heading(title);
    const list = this.doc.struct('L');
    this.#root.add(list);
    const [x, whole] = [PAGE.margin + 16, WIDTH - 16];
    const quiet = { size: 7.5, colour: MUTED };
    for (const [i, { text, detail }] of items.entries()) {
      const width = detail ? whole * 0.52 : whole;
      const [beside, rest] = [x + width + 8, whole - width - 8];
      const height = Math.max(this.#heightOf(text, width, {}), detail ? this.#heightOf(detail, rest, quiet) : 0);
      this.#room(height);
      const y = this.#y;
      const item = this.doc.struct('LI', {}, [
        this.#element('Lbl', () => this.#write(numbered ? `${i + 1}` : '–', PAGE.margin, y, 14, { colour: MUTED })),
        this.#element('LBody', () => {
          this.#write(text, x, y, width, {});
          if (detail) this.#write(detail, beside, y, rest, quiet);
        }),
      ]);
      list.add(item);
      this.#y += height + 1;
    }
    list.end();
  }

  #table({ title, columns, rows }: Extract<Block, { kind: 'table' }>): void {
    this.#heading(title);
    const table = this.doc.struct('Table');
    this.#root.add(table);
    const all: { cells: readonly string[]; head: boolean }[] = [
      { cells: columns.map((c) => c.title), head: true },
      ...rows.map((cells) => ({ cells, head: false })),
    ];
    for (const { cells, head } of all) {
      const style = { size: 7.5, bold: head };
      const widths = columns.map((c) => c.share * WIDTH);
      const height = Math.max(...cells.map((cell, i) => this.#heightOf(cell, widths[i]! - 6, style)));
      this.#room(height + 3);
      let x = PAGE.margin;
      const places = widths.map((width) => ({ x: (x += width) - width, width: width - 6 }));
      const y = this.#y;
      const row = this.doc.struct(
        'TR',
        {},
        cells.map((cell, i) =>
          this.#element(head ? 'TH' : 'TD', () =>
            this.#write(cell, places[i]!.x, y, places[i]!.width, style, columns[i]!.end),
          ),
        ),
      );
      table.add(row);
      this.#rule(y + height + 1.5);
      this.#y += height + 3;
    }
    table.end();
  }

  #rule(y: number, x = PAGE.margin, width = WIDTH, colour = LINE): void {
    this.#artifact((doc) =>
      doc
        .moveTo(x, y)
        .lineTo(x + width, y)
        .lineWidth(0.5)
        .stroke(colour),
    );
  }

  /** Lines that say nothing. */
  #artifact(draw: (doc: PDFKit.PDFDocument) => void): void {
    this.doc.markContent('Artifact', { type: 'Layout' });
    draw(this.doc);
    this.doc.endMarkedContent();
  }

  /** Room for notes, as much as is left of the page, and a line for every name. */
  #signature({ notes, fields }: Extract<Block, { kind: 'signature' }>): void {
    const lines = notes.split('\n');
    const inner = WIDTH - 12;
    const written = notes ? lines.reduce((sum, line) => sum + this.#heightOf(line, inner, {}), 0) + 8 : 0;
    const names = 34;
    this.#room(Math.max(written, NOTES_HEIGHT) + names + 24);
    this.#heading('Notes');
    const top = this.#y;
    const height = Math.max(written, Math.min(90, BOTTOM - top - names));
    this.#artifact((doc) => doc.roundedRect(PAGE.margin, top, WIDTH, height, 3).lineWidth(0.5).stroke(LINE));
    let y = top + 4;
    for (const line of notes ? lines : []) {
      this.#paragraphAt('P', line, PAGE.margin + 6, y, inner, {});
      y += this.#heightOf(line, inner, {});
    }
    const pitch = WIDTH / fields.length;
    const base = top + height + names - 12;
    for (const [i, field] of fields.entries()) {
      this.#rule(base, PAGE.margin + i * pitch, pitch - 14, INK);
      this.#paragraphAt('P', field, PAGE.margin + i * pitch, base + 2, pitch - 14, { size: 7, colour: MUTED });
    }
    this.#y = base + 12;
  }
}
