/** Volumes mounted by this machine's own kernel, as one more independent reader and writer. */
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { lstatSync, mkdtempSync, readdirSync, readFileSync, readlinkSync, rmdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { read } from './readers';

/** Whether loop devices can be had here, and why not. */
export const MOUNTS = ((): boolean => {
  try {
    execFileSync('losetup', ['-f'], { stdio: 'ignore' });
    return process.getuid?.() === 0;
  } catch {
    return false;
  }
})();

const told = (): string[] =>
  read('dmesg', [])
    .split('\n')
    .filter((line) => /EXT4-fs error|EXT4-fs.*(corrupt|invalid|checksum|bad )|JBD2.*(error|corrupt)/i.test(line));

/** Runs what is given on the mounted volume; what the kernel found wrong meanwhile is thrown. */
export function mounted<T>(image: string, start: number, writable: boolean, act: (folder: string) => T): T {
  const folder = mkdtempSync(join(tmpdir(), 'ullager-mounted-'));
  const before = told().length;
  read('mount', ['-o', `loop,offset=${start * 512}${writable ? '' : ',ro'}`, image, folder]);
  try {
    return act(folder);
  } finally {
    read('umount', [folder]);
    rmdirSync(folder);
    const faults = told().slice(before);
    if (faults.length > 0) throw new Error(faults.join('\n'));
  }
}

/** Every path of a mounted volume: SHA-256 of files, where links lead, and what else there is. */
export function treeOf(folder: string, below = ''): Map<string, string> {
  const out = new Map<string, string>();
  for (const name of readdirSync(join(folder, below))) {
    const path = below ? `${below}/${name}` : name;
    if (path === 'lost+found') continue;
    const facts = lstatSync(join(folder, path));
    if (facts.isDirectory()) {
      out.set(path, 'folder');
      for (const [inner, what] of treeOf(folder, path)) out.set(inner, what);
    } else if (facts.isSymbolicLink()) out.set(path, digest(Buffer.from(readlinkSync(join(folder, path)))));
    else out.set(path, facts.isFile() ? digest(readFileSync(join(folder, path))) : 'special');
  }
  return out;
}

const digest = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
