/** The page that a paper is set on: text with its tags, one paragraph below the other. */
import { plain } from '@/core/bytes';

export const PAGE = { width: 595.28, height: 841.89, margin: 40, foot: 14 };
export const WIDTH = PAGE.width - 2 * PAGE.margin;
export const BOTTOM = PAGE.height - PAGE.margin - PAGE.foot;
export const INK = '#1e2a2f';
export const MUTED = '#56606a';
export const LINE = '#ddd7cb';
export const TONES = { good: '#14606a', bad: '#ad3f27' } as const;
const BODY = 8;

const utf16Hex = (text: string): string =>
  [...Array(text.length).keys()].map((i) => text.charCodeAt(i).toString(16).padStart(4, '0')).join('');

export interface Style {
  readonly size?: number;
  readonly bold?: boolean;
  readonly colour?: string;
}

export class PdfPage {
  /** Where what comes next begins. */
  y: number = PAGE.margin;
  readonly root: PDFKit.PDFStructureElement;

  /** @param hasGlyph whether the fonts have a letter */
  constructor(
    readonly doc: PDFKit.PDFDocument,
    private readonly hasGlyph: (point: number) => boolean,
  ) {
    this.root = doc.struct('Document');
    doc.addStructure(this.root);
  }

  /** Text as it can be set: what is not seen, and what the font has no letter for, is written out. */
  shown(text: string): string {
    return [...plain(text)]
      .map((c) => (this.hasGlyph(c.codePointAt(0)!) ? c : `\\u{${c.codePointAt(0)!.toString(16)}}`))
      .join('');
  }

  /** What is drawn in other letters than it has is what it is for whoever reads the text or copies it. */
  spoken(text: string, draw: () => void): void {
    const own = plain(text);
    const written = this.shown(text) !== own;
    // ISO 32000-1 §14.9.4: a string in UTF-16, here in hexadecimal, since contents are not written as single bytes.
    if (written) this.doc.addContent(`/Span <</ActualText <FEFF${utf16Hex(own)}>>> BDC`);
    draw();
    if (written) this.doc.addContent('EMC');
  }

  styled({ size = BODY, bold = false, colour = INK }: Style): PDFKit.PDFDocument {
    return this.doc
      .font(bold ? 'bold' : 'regular')
      .fontSize(size)
      .fillColor(colour);
  }

  heightOf(text: string, width: number, style: Style): number {
    return this.styled(style).heightOfString(this.shown(text) || ' ', { width });
  }

  /** Begins a page where what comes has no room on this one. */
  room(height: number): void {
    if (this.y + height <= BOTTOM || this.y === PAGE.margin) return;
    this.doc.addPage();
    this.y = PAGE.margin;
  }

  write(text: string, x: number, y: number, width: number, style: Style, end = false): void {
    this.spoken(text, () => {
      this.styled(style).text(this.shown(text), x, y, { width, align: end ? 'right' : 'left' });
    });
  }

  element(tag: string, draw: () => void, alt?: string): PDFKit.PDFStructureElement {
    return this.doc.struct(tag, alt === undefined ? {} : { alt }, [draw]);
  }

  paragraphAt(tag: string, text: string, x: number, y: number, width: number, style: Style): void {
    this.root.add(this.element(tag, () => this.write(text, x, y, width, style)));
  }

  paragraph(tag: string, text: string, style: Style): void {
    const height = this.heightOf(text, WIDTH, style);
    this.room(height);
    this.paragraphAt(tag, text, PAGE.margin, this.y, WIDTH, style);
    this.y += height + 1;
  }

  heading(text: string): void {
    this.room(40);
    this.y += 6;
    this.paragraph('H2', text, { size: 9.5, bold: true });
    this.y += 1;
  }

  rule(y: number, x = PAGE.margin, width = WIDTH, colour = LINE): void {
    this.artifact((doc) =>
      doc
        .moveTo(x, y)
        .lineTo(x + width, y)
        .lineWidth(0.5)
        .stroke(colour),
    );
  }

  /** Lines that say nothing. */
  artifact(draw: (doc: PDFKit.PDFDocument) => void): void {
    this.doc.markContent('Artifact', { type: 'Layout' });
    draw(this.doc);
    this.doc.endMarkedContent();
  }
}
