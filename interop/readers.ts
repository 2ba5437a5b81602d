/** Independent readers, as functions. */
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { bundledRunner } from '../scripts/bundle-runner.mjs';

const MAX = 512 * 1024 * 1024;

/** Runs a reader and returns what it prints. */
export function read(command: string, args: readonly string[]): string {
  return execFileSync(command, args, { encoding: 'utf8', maxBuffer: MAX, stdio: ['ignore', 'pipe', 'pipe'] });
}

/** What starts the runner. */
export const RUNNER = await bundledRunner();

/** Runs the headless runner; the exit code is part of the answer. */
export function ullager(...args: string[]): { code: number; out: string; err: string } {
  const { status, stdout, stderr } = spawnSync('node', [RUNNER, ...args], {
    encoding: 'utf8',
    maxBuffer: MAX,
  });
  return { code: status ?? -1, out: stdout, err: stderr };
}

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
