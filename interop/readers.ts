/** Independent readers, as functions. */
import { createSyncFn } from 'synckit';
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, relative } from 'node:path';
import { bundledRunner } from '../scripts/bundle-runner.mjs';

const MAX = 512 * 1024 * 1024;

/** Runs a reader and returns what it prints. */
export function read(command: string, args: readonly string[]): string {
  return execFileSync(command, args, { encoding: 'utf8', maxBuffer: MAX, stdio: ['ignore', 'pipe', 'pipe'] });
}

/** What starts the runner as a process of its own. */
export const RUNNER = await bundledRunner();

const warm = createSyncFn<(command: string, args: readonly string[]) => Promise<Ended>>(
  new URL('runner-thread.mjs', import.meta.url),
);

/** How a command line ended: its code, and what it printed. */
interface Ended {
  readonly code: number;
  readonly out: string;
  readonly err: string;
}

/** Runs the headless runner, in one thread for all of a file: starting it takes longer than most of what it is asked. */
export const ullager = (...args: string[]): Ended => warm(join(dirname(RUNNER), 'command.mjs'), args);

/** A file as the runner lists it. */
export interface FileLine {
  readonly path: string;
  readonly kind: string;
  readonly size: number;
  readonly sha256?: string;
}

/** Every file of a volume, hashed. */
export function filesOf(image: string, volume = 1): FileLine[] {
  const { code, out, err } = ullager('files', image, '--volume', String(volume), '--json');
  if (code !== 0) throw new Error(err);
  return (JSON.parse(out) as { files: FileLine[] }).files.filter((f) => f.kind === 'file');
}

/** Partitions as `mmls` lists them: start and length in sectors, and the description. */
export function mmls(image: string): { start: number; length: number; description: string }[] {
  return read('mmls', [image])
    .split('\n')
    .map((line) => /^\d+:\s+(?:\d+:)?\d+\s+(\d+)\s+\d+\s+(\d+)\s*(.*)$/.exec(line))
    .flatMap((m) => (m ? [{ start: Number(m[1]), length: Number(m[2]), description: m[3]! }] : []));
}

/** Where volumes begin, in sectors. */
export const starts = (image: string): number[] =>
  mmls(image)
    .filter((p) => !/Unallocated|Meta|Safety|Table|Extended|Header/i.test(p.description))
    .map((p) => p.start);

/**
 * Files as `fls` walks them, virtual ones left out: inode by path. Where clusters are larger than index blocks it finds
 * every name but marks those behind the first block of a cluster as unallocated; `anyMark` takes them too.
 */
export function fls(image: string, offset: number, anyMark = false): Map<string, string> {
  const out = new Map<string, string>();
  const pattern = anyMark ? /^[-r]\/r (?:\* )?(\d+(?:-\d+-\d+)?):\t(.*)$/ : /^r\/r (\d+(?:-\d+-\d+)?):\t(.*)$/;
  for (const line of read('fls', ['-r', '-p', '-o', String(offset), image]).split('\n')) {
    const match = pattern.exec(line);
    if (match && !/^\$| \(Volume Label Entry\)$/.test(match[2]!)) out.set(match[2]!, match[1]!);
  }
  return out;
}

/** SHA-256 of a file read by `icat`. */
export function icat(image: string, offset: number, inode: string): string {
  const bytes = execFileSync('icat', ['-o', String(offset), image, inode], { maxBuffer: MAX });
  return createHash('sha256').update(bytes).digest('hex');
}

/** Some of many, from the first to the last. A process for each file takes longer than all that it reads. */
export function few<T>(all: readonly T[], count = 14): T[] {
  const every = Math.max(1, Math.ceil(all.length / count));
  return all.filter((_, i) => i % every === 0 || i === all.length - 1);
}

/** Path and SHA-256 of every file as `7zz` takes them out of a bare volume. */
export function unpacked(volume: string): Map<string, string> {
  const folder = mkdtempSync(join(tmpdir(), 'ullager-unpacked-'));
  try {
    read('7zz', ['x', '-y', '-snl-', `-o${folder}`, volume]);
    const files = readdirSync(folder, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());
    return new Map(
      files.map((entry) => {
        const path = join(entry.parentPath, entry.name);
        return [relative(folder, path), createHash('sha256').update(readFileSync(path)).digest('hex')];
      }),
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Paths and sizes as `7zz` lists a bare volume. */
export function sevenZip(volume: string): Map<string, number> {
  const out = new Map<string, number>();
  for (const block of read('7zz', ['l', '-slt', volume]).split('\n\n')) {
    const path = /^Path = (.*)$/m.exec(block)?.[1];
    const size = /^Size = (\d+)$/m.exec(block)?.[1];
    if (path && size && /^Folder = -$/m.test(block)) out.set(path, Number(size));
  }
  return out;
}

/** A folder that is gone after the tests. */
export function scratch(): { path: (name: string) => string; remove: () => void } {
  const folder = mkdtempSync(join(tmpdir(), 'ullager-interop-'));
  return { path: (name) => join(folder, name), remove: () => rmSync(folder, { recursive: true, force: true }) };
}
