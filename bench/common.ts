/** What every measurement uses: a folder, lines that are printed, a plain copy to compare with. */
import { type Survey } from '@/core/inspect';
import { asVolumeId, type Layout, type LaidVolume } from '@/core/layout';
import { execFileSync } from 'node:child_process';
import { closeSync, fsyncSync, mkdtempSync, openSync, readSync, writeFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export const GPT = {
  kind: 'gpt',
  diskGuid: '00000000-0000-0000-0000-000000000001',
  entryCount: 128,
  entrySize: 128,
} as const;

export const MIB = 1024 * 1024;

export const GIB = 1024 * MIB;

export const box = mkdtempSync(join(tmpdir(), 'ullager-bench-'));

export const say = (line: string): void => void process.stdout.write(`${line}\n`);

export const now = (): string => new Date().toISOString();

export const rate = (bytes: number, seconds: number): string => `${(bytes / 1e6 / seconds).toFixed(0)} MB/s`;

/** Copies `bytes` of a file to another, in the pieces that are fastest here, with the same final barrier as a run. */
export function plainCopy(from: string, to: string, bytes: number, offset = 0): void {
  const [source, target] = [openSync(from, 'r'), openSync(to, 'w')];
  const buffer = Buffer.alloc(MIB);
  for (let done = 0; done < bytes;) {
    const n = readSync(source, buffer, 0, Math.min(buffer.length, bytes - done), offset + done);
    if (n === 0) break;
    writeSync(target, buffer, 0, n);
    done += n;
  }
  fsyncSync(target);
  closeSync(source);
  closeSync(target);
}

/** What was written before is on the disk, and does not slow down what is measured next. */
export const settle = (): unknown => execFileSync('sync');

/** @param length of the volume, where it is not the whole disk */
export function recipe(size: string, farMib: number, nearMib: number, fileSystem = 'fat32', length?: string): string {
  const path = join(box, `${size.replace(' ', '')}.json`);
  const fill = [
    { folder: 'near', count: Math.max(1, nearMib / 8), name: '{nnnnn}.bin', smallest: '8 MiB', largest: '8 MiB' },
    {
      folder: 'far',
      count: farMib / 8,
      name: '{nnnnn}.bin',
      smallest: '8 MiB',
      largest: '8 MiB',
      near: 0.6,
      fragments: 4,
    },
  ];
  writeFileSync(
    path,
    JSON.stringify({
      version: 1,
      id: 'bench',
      name: 'bench',
      medium: 'ssd',
      size,
      table: 'mbr',
      volumes: [{ fileSystem, label: 'BENCH', fill, ...(length ? { size: length } : {}) }],
    }),
  );
  return path;
}

export async function quietly<T>(act: () => Promise<T>): Promise<T> {
  const { write } = process.stdout;
  process.stdout.write = () => true;
  try {
    return await act();
  } finally {
    process.stdout.write = write;
  }
}

export function halved(survey: Survey, length: number): Layout {
  const [volume] = survey.volumes;
  const laid: LaidVolume = {
    id: asVolumeId('kept-1'),
    origin: { kind: 'kept', number: 1 },
    start: volume!.start,
    length,
    fileSystem: volume!.info!.kind,
    label: volume!.info!.label,
    role: 'data',
    active: false,
    logical: false,
    flags: [],
    type: volume!.type,
    guarded: false,
  };
  return { diskSize: survey.size, sectorSize: survey.sectorSize, table: 'mbr', volumes: [laid] };
}
