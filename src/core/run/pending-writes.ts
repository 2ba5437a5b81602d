/** Gathered writes of a transaction, widened to whole sectors so that a torn sector heals when they are applied again. */
import type { BlockDevice } from '@/core/device';

const PAGE = 64 * 1024;

interface Page {
  readonly bytes: Uint8Array;
  /** One byte a sector: whether it is written. */
  readonly written: Uint8Array;
}

export class PendingWrites {
  readonly #pages = new Map<number, Page>();

  constructor(private readonly device: BlockDevice) {}

  /** Adds a write at a byte offset of the device. */
  async add(offset: number, from: Uint8Array): Promise<void> {
    const sector = this.device.sectorSize;
    for (let done = 0; done < from.length;) {
      const at = offset + done;
      const index = Math.floor(at / PAGE);
      const inPage = at - index * PAGE;
      const length = Math.min(PAGE - inPage, from.length - done);
      const page = this.#page(index);
      await this.#complete(page, index, Math.floor(inPage / sector), inPage % sector !== 0);
      await this.#complete(page, index, Math.floor((inPage + length - 1) / sector), (inPage + length) % sector !== 0);
      page.bytes.set(from.subarray(done, done + length), inPage);
      page.written.fill(1, Math.floor(inPage / sector), Math.ceil((inPage + length) / sector));
      done += length;
    }
  }

  #page(index: number): Page {
    const known = this.#pages.get(index);
    if (known) return known;
    const page = { bytes: new Uint8Array(PAGE), written: new Uint8Array(PAGE / this.device.sectorSize) };
    this.#pages.set(index, page);
    return page;
  }

  /** Reads what a partly written sector holds around the write. */
  async #complete(page: Page, index: number, sector: number, partial: boolean): Promise<void> {
    if (!partial || page.written[sector]) return;
    const size = this.device.sectorSize;
    await this.device.read(index * PAGE + sector * size, page.bytes.subarray(sector * size, (sector + 1) * size));
    page.written[sector] = 1;
  }

  /** Lays the gathered writes over bytes that were read from the device at `offset`. */
  overlay(offset: number, into: Uint8Array): void {
    const sector = this.device.sectorSize;
    for (let at = offset; at < offset + into.length;) {
      const index = Math.floor(at / PAGE);
      const inPage = at - index * PAGE;
      const inSector = Math.floor(inPage / sector);
      const end = Math.min(index * PAGE + (inSector + 1) * sector, offset + into.length);
      const page = this.#pages.get(index);
      if (page?.written[inSector]) into.set(page.bytes.subarray(inPage, inPage + (end - at)), at - offset);
      at = page ? end : Math.min((index + 1) * PAGE, offset + into.length);
    }
  }

  /** The writes as runs of whole sectors, by offset. Their bytes are borrowed from here. */
  *runs(): Generator<{ offset: number; bytes: Uint8Array }> {
    const sector = this.device.sectorSize;
    for (const index of [...this.#pages.keys()].sort((a, b) => a - b)) {
      const page = this.#pages.get(index)!;
      for (let s = 0; s < page.written.length;) {
        const from = s;
        while (s < page.written.length && page.written[s]) s += 1;
        if (s > from)
          yield { offset: index * PAGE + from * sector, bytes: page.bytes.subarray(from * sector, s * sector) };
        else s += 1;
      }
    }
  }
}
