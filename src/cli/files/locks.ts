/**
 * One image, one run: who holds which file, so that two processes can't meet on it.
 *
 * A holder is a file of its own in one folder, named after what is held, the process, and when that started. Whoever wants
 * it puts theirs there first and looks at the others then, so that of two who come at the same moment at least one sees
 * the other. A holder whose process is no more is stale and is taken away; there is nothing to take over. What is held is
 * known by what it is, so that other names of the same file lead to the same holders; what is not there yet, by its name.
 */
import { CoreError, isCoreError } from '@/core/errors';
import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import type { Files, OpenFile } from './files';

/** Read by many at a time, or held by one alone. */
type LockMode = 'read' | 'write';

export interface Wanted {
  readonly path: string;
  readonly mode: LockMode;
}

/** The same folder for every process of the machine, whatever its environment says. */
export const LOCKS =
  process.platform === 'win32' ? join(process.env.ProgramData ?? 'C:\\', 'ullager-locks') : '/tmp/ullager-locks';

/** Holds what is wanted while `act` goes on. @throws CoreError `file.busy` when another process holds it */
export async function holding<T>(
  files: Files,
  wanted: readonly Wanted[],
  act: () => Promise<T>,
  stale: (path: string, pid: number) => void = () => undefined,
): Promise<T> {
  const held: string[] = [];
  const claimed: OpenFile[] = [];
  try {
    for (const want of wanted) {
      held.push(await hold(files, want, stale));
      const device = (await files.facts(want.path))?.device;
      // A loop device and the file behind it are the same disk.
      if (device?.backing) held.push(await hold(files, { ...want, path: device.backing }, stale));
      if (device) claimed.push(await claimOf(files, want.path));
    }
    return await act();
  } finally {
    for (const claim of claimed) await claim.close().catch(() => undefined);
    for (const path of held) await files.remove(path).catch(() => undefined);
  }
}

/** A device is had for this process alone: the system refuses it while it, or a part of it, is mounted or in use. */
async function claimOf(files: Files, path: string): Promise<OpenFile> {
  try {
    return await files.open(path, 'claim');
  } catch (error) {
    if (!isCoreError(error, 'file.failed') || (error.cause as NodeJS.ErrnoException)?.code !== 'EBUSY') throw error;
    const reason = 'it, or a part of it, is mounted or in use by the system';
    throw new CoreError('file.busy', { name: path, reason }, error);
  }
}

async function hold(files: Files, { path, mode }: Wanted, stale: (path: string, pid: number) => void): Promise<string> {
  const key = await keyOf(files, path);
  await files.makeFolder(LOCKS);
  const own = `${key}-${process.pid}-${await startOf(process.pid)}-${serial++}-${mode}`;
  await (await files.open(join(LOCKS, own), 'create')).close();
  try {
    for (const name of await files.list(LOCKS)) {
      const other = name === own ? undefined : holderOf(key, name);
      if (!other || (mode === 'read' && other.mode === 'read')) continue;
      if ((await startOf(other.pid)) !== other.started) {
        await files.remove(join(LOCKS, name)).catch(() => undefined);
        if (other.mode === 'write') stale(path, other.pid);
        continue;
      }
      const reason = other.mode === 'write' ? 'a run is writing it' : 'it is being read';
      throw new CoreError('file.busy', { name: path, reason: `${reason} (process ${other.pid})` });
    }
  } catch (error) {
    await files.remove(join(LOCKS, own)).catch(() => undefined);
    throw error;
  }
  return join(LOCKS, own);
}

/** One process may hold the same file more than once for reading. */
let serial = 0;

async function keyOf(files: Files, path: string): Promise<string> {
  const found = await files.facts(path);
  const name = found
    ? found.identity
    : join(await files.resolve(dirname(resolve(path))).catch(() => dirname(resolve(path))), basename(path));
  return createHash('sha256').update(name).digest('hex').slice(0, 32);
}

interface Holder {
  readonly pid: number;
  readonly started: string;
  readonly mode: LockMode;
}

function holderOf(key: string, name: string): Holder | undefined {
  if (!name.startsWith(`${key}-`)) return undefined;
  const [, pid, started, mode] = /^(\d+)-(\w+)-\d+-(read|write)$/.exec(name.slice(key.length + 1)) ?? [];
  return pid && started && mode ? { pid: Number(pid), started, mode: mode as LockMode } : undefined;
}

/** When a living process started, in whatever the system counts; `gone` when there is none of that number. */
async function startOf(pid: number): Promise<string> {
  try {
    // proc(5): the 22nd field, counted behind the command, which is in brackets and may hold anything.
    const stat = await readFile(`/proc/${pid}/stat`, 'latin1');
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    return fields[0] === 'Z' ? 'gone' : fields[19]!;
  } catch {
    return process.platform === 'linux' ? 'gone' : alive(pid);
  }
}

function alive(pid: number): string {
  try {
    process.kill(pid, 0);
    return 'alive';
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM' ? 'alive' : 'gone';
  }
}
