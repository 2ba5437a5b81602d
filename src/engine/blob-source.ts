/** A picked file as a source of bytes, read by reference. */
import type { ByteSource } from '@/core/image';

export class BlobSource implements ByteSource {
  constructor(private readonly file: File) {}

  get name(): string {
    return this.file.name;
  }

  get size(): number {
    return this.file.size;
  }

  async read(offset: number, into: Uint8Array): Promise<void> {
    into.set(new Uint8Array(await this.file.slice(offset, offset + into.length).arrayBuffer()));
  }
}

/** The same of a file in which nothing but some stretches was written. */
export class SparseBlobSource extends BlobSource {
  constructor(
    file: File,
    private readonly written: readonly { readonly start: number; readonly end: number }[],
  ) {
    super(file);
  }

  occupied(): Iterable<{ start: number; end: number }> {
    return this.written;
  }
}
