/**
 * A folder of a volume on its way out, as a zip. What can't be read any more is left as zeros, and what a zip has no place
 * for is left out; a list at its end says so of each.
 */
import { SalvageDevice, type BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import type { FileEntry, Volume } from '@/core/fs';
import { packZip, type ToPack } from '@/core/image';
import { spaced } from '@/core/size';
import { fileChunks } from './file-chunks';
import { listTree } from './list-tree';

/** What the list is called; it stands before most names. */
const LIST = '! not as it was.txt';
const ZEROS = 1024 * 1024;

/**
 * In chunks; each file is read when it is its turn.
 * @param window the device that the volume lies on
 * @param folder its path, or nothing for everything on the volume
 * @throws CoreError `fs.not-found` where there is no such folder
 */
export async function* saveFolder(volume: Volume, window: BlockDevice, folder: string): AsyncGenerator<Uint8Array> {
  yield* packZip(new FolderSaving(volume, window, folder).all());
}

class FolderSaving {
  readonly #left: string[] = [];
  /** How often each name was given. */
  readonly #names = new Map<string, number>();
  #lost = 0;
  readonly #salvaged: BlockDevice;

  constructor(
    private readonly volume: Volume,
    window: BlockDevice,
    private readonly folder: string,
  ) {
    this.#salvaged = new SalvageDevice(window, (_, length) => (this.#lost += length));
  }

  async *all(): AsyncGenerator<ToPack> {
    const above = this.folder.lastIndexOf('/') + 1;
    for (const entry of (await listTree(this.volume, this.folder)).entries) {
      const { kind, size, times, stream } = entry;
      if (stream !== undefined) this.#note(entry, 'a stream beside a file is not saved');
      else if (kind === 'link') this.#note(entry, await this.#whereTo(entry));
      else if (kind === 'special') this.#note(entry, 'nothing that is read as a file');
      else {
        const name = this.#free(packedName(entry.path.slice(above)));
        const modified = times.modified ? { modified: new Date(times.modified) } : {};
        yield { name, ...modified, ...(kind === 'file' ? { size, content: this.#content(entry) } : { size: 0 }) };
      }
    }
    if (this.#left.length === 0) return;
    const list = new TextEncoder().encode(this.#left.map((line) => `${line}\r\n`).join(''));
    yield { name: this.#free(LIST), size: list.length, content: inOne(list) };
  }

  /** Where two names become one, the second is told from the first. */
  #free(name: string): string {
    const given = this.#names.get(name) ?? 0;
    this.#names.set(name, given + 1);
    return given === 0 ? name : this.#free(`${name} (${given + 1})`);
  }

  /** All that can be read of a file, in its place. */
  async *#content(entry: FileEntry): AsyncGenerator<Uint8Array> {
    this.#lost = 0;
    let done = 0;
    try {
      for await (const chunk of fileChunks(this.volume, this.#salvaged, entry)) {
        done += chunk.length;
        yield chunk;
      }
    } catch (error) {
      if (!isCoreError(error, 'fs.damaged') && !isCoreError(error, 'device.read-failed')) throw error;
      this.#lost += entry.size - done;
    }
    for (; done < entry.size; done += ZEROS) yield new Uint8Array(Math.min(ZEROS, entry.size - done));
    if (entry.attributes.includes('encrypted')) this.#note(entry, 'encrypted, and saved as it is stored');
    if (this.#lost > 0)
      this.#note(entry, `${spaced(this.#lost)} of ${spaced(entry.size)} bytes can’t be read, and are zeros`);
  }

  async #whereTo(entry: FileEntry): Promise<string> {
    const { target } = await this.volume.details(entry);
    return target === undefined ? 'a link is not saved' : `a link to ${target} is not saved`;
  }

  #note({ path }: FileEntry, what: string): void {
    this.#left.push(`${path}: ${what}`);
  }
}

/** A name that leads nowhere else, whatever it is unpacked with. */
const packedName = (path: string): string =>
  path
    .split('/')
    .map((part) => (/^\.{1,2}$/.test(part) ? part.replaceAll('.', '_') : part.replaceAll(/[\\\0]/g, '_')))
    .join('/');

async function* inOne(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield bytes;
}
