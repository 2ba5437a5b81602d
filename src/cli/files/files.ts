/**
 * The files of the machine the runner is on: the one way to any of them, so that tests can make every single operation
 * fail. Nothing here decides anything; a path is opened because a person named it, or stands beside one that they did.
 */
import { constants, type Stats } from 'node:fs';
import {
  chmod,
  link,
  lstat,
  mkdir,
  open,
  readdir,
  realpath,
  rename,
  stat,
  unlink,
  type FileHandle,
} from 'node:fs/promises';
import { deviceFacts, type DeviceFacts } from './block-device';
import { fileError } from './file-error';

/** What a path leads to. */
export interface FileFacts {
  readonly kind: 'file' | 'folder' | 'device' | 'other';
  readonly size: number;
  /** The same for every name of the same file, and for no other on this machine. */
  readonly identity: string;
  /** Its number on its storage, which survives another name. */
  readonly inode: string;
  readonly modified: number;
  /** Of a block device: what the system says of it. */
  readonly device?: DeviceFacts;
  /** The name of the disk that the storage lies on, where that is one. */
  readonly onDisk?: string;
}

/** An open file. What a write takes may be less than it was given; `whole.ts` writes all of it. */
export interface OpenFile {
  readonly path: string;
  facts(): Promise<FileFacts>;
  read(offset: number, into: Uint8Array): Promise<number>;
  write(offset: number, from: Uint8Array): Promise<number>;
  truncate(size: number): Promise<void>;
  /** Returns when all that was written is durable. */
  sync(): Promise<void>;
  close(): Promise<void>;
}

/** To read it, to change it, to make it where nothing is, or to have a device for oneself while it is open. */
export type OpenHow = 'read' | 'change' | 'create' | 'claim';

export interface Files {
  open(path: string, how: OpenHow): Promise<OpenFile>;
  /** What a path leads to, links followed; undefined when nothing is there. */
  facts(path: string): Promise<FileFacts | undefined>;
  /** Where a path leads, with all links followed. */
  resolve(path: string): Promise<string>;
  /** A further name for a file, where nothing has that name. */
  link(from: string, to: string): Promise<void>;
  /** Another name for a file, instead of whatever has it. */
  rename(from: string, to: string): Promise<void>;
  remove(path: string): Promise<void>;
  /** Returns when the names in a folder are durable. */
  syncFolder(path: string): Promise<void>;
  makeFolder(path: string): Promise<void>;
  list(folder: string): Promise<string[]>;
}

const FLAGS: Readonly<Record<OpenHow, number>> = {
  read: constants.O_RDONLY,
  change: constants.O_RDWR,
  create: constants.O_RDWR | constants.O_CREAT | constants.O_EXCL,
  // open(2): of a block device, this fails while it or a part of it is in use by the system.
  claim: constants.O_RDONLY | constants.O_EXCL,
};
const ACTS = { read: 'read', change: 'opened for writing', create: 'made', claim: 'had for this alone' } as const;

async function factsOf(found: Stats): Promise<FileFacts> {
  const device = found.isBlockDevice() ? await deviceFacts(found.rdev) : undefined;
  const kind = found.isFile() ? 'file' : found.isDirectory() ? 'folder' : device ? 'device' : 'other';
  const below = found.isDirectory() ? await deviceFacts(found.dev) : undefined;
  return {
    kind,
    size: device?.size ?? found.size,
    identity: device ? `device ${found.rdev}` : `${found.dev}:${found.ino}`,
    inode: String(found.ino),
    modified: found.mtimeMs,
    ...(device ? { device } : {}),
    ...(below ? { onDisk: below.partOf ?? below.name } : {}),
  };
}

class SystemFile implements OpenFile {
  constructor(
    readonly path: string,
    private readonly handle: FileHandle,
  ) {}

  async facts(): Promise<FileFacts> {
    return factsOf(await this.#try('looked at', () => this.handle.stat()));
  }

  async read(offset: number, into: Uint8Array): Promise<number> {
    return (await this.#try('read', () => this.handle.read(into, 0, into.length, offset))).bytesRead;
  }

  async write(offset: number, from: Uint8Array): Promise<number> {
    const written = await this.#try('written', () => this.handle.write(from, 0, from.length, offset), from.length);
    return written.bytesWritten;
  }

  async truncate(size: number): Promise<void> {
    await this.#try('made as long as it has to be', () => this.handle.truncate(size), size);
  }

  async sync(): Promise<void> {
    await this.#try('written for good', () => this.handle.datasync());
  }

  close(): Promise<void> {
    return this.handle.close();
  }

  #try<T>(act: string, operation: () => Promise<T>, wanted = 0): Promise<T> {
    return attempt(this.path, act, operation, wanted);
  }
}

async function attempt<T>(path: string, act: string, operation: () => Promise<T>, wanted = 0): Promise<T> {
  try {
    return await operation();
  } catch (cause) {
    throw fileError(cause, path, act, wanted);
  }
}

/** The machine's own. */
export const systemFiles: Files = {
  open: async (path, how) => new SystemFile(path, await attempt(path, ACTS[how], () => open(path, FLAGS[how], 0o666))),
  facts: async (path) => {
    try {
      return await factsOf(await stat(path));
    } catch (cause) {
      const { code } = cause as NodeJS.ErrnoException;
      if (code !== 'ENOENT') throw fileError(cause, path, 'looked at');
      // A link that leads nowhere is something that is there.
      const dangling = await lstat(path).catch(() => undefined);
      return dangling && { ...(await factsOf(dangling)), kind: 'other' };
    }
  },
  resolve: (path) => attempt(path, 'found', () => realpath(path)),
  link: (from, to) => attempt(to, 'made', () => link(from, to)),
  rename: (from, to) => attempt(to, 'made', () => rename(from, to)),
  remove: (path) => attempt(path, 'removed', () => unlink(path)),
  makeFolder: async (path) => {
    const made = await attempt(path, 'made', () => mkdir(path, { recursive: true }));
    // For everybody on the machine, whatever the mask of whoever comes first.
    if (made !== undefined) await attempt(path, 'made', () => chmod(path, 0o1777));
  },
  list: (folder) => attempt(folder, 'read', () => readdir(folder)),
  syncFolder: async (path) => {
    const folder = await attempt(path, 'opened', () => open(path, constants.O_RDONLY));
    try {
      await folder.sync();
    } catch (cause) {
      // Some storages keep names durable by themselves and say that there is nothing to do.
      if (!['EINVAL', 'ENOTSUP', 'EISDIR', 'EPERM'].includes((cause as NodeJS.ErrnoException).code ?? ''))
        throw fileError(cause, path, 'written for good');
    } finally {
      await folder.close();
    }
  },
};
