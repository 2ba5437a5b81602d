declare module 'pdfkit/output' {
  /** All bytes of a document that is ended after this was called. */
  export function toBytes(document: PDFKit.PDFDocument): Promise<Uint8Array>;
}
