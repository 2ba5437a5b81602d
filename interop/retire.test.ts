/** What was damaged and mended, lost and put back, or wiped round, by independent readers and by this kernel. */
import { isAll } from '@/core/bytes/fixtures/filled';
import { closeSync, copyFileSync, openSync, readFileSync, readSync, writeFileSync, writeSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { DEEP } from '@/core/fixtures/rounds';
import { MOUNTS, mounted, treeOf } from './kernel';
import { few, filesOf, fls, icat, mmls, read, scratch, starts, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

const MIB = 1024 * 1024;
const KINDS = ['fat32', 'exfat', 'ntfs', 'ext2', 'ext4'];

function make(name: string, kinds: readonly string[]): string {
  const fill = [
    { folder: 'f/g', count: 25, name: '{word} {nn}.bin', smallest: '100', largest: '300 KiB', fragments: 3 },
  ];
  const volumes = kinds.map((fileSystem, i) => ({
    ...{ size: '40 MiB', fileSystem, label: `V${i}`, fill },
    ...(fileSystem === 'fat32' ? { clusterSize: 512 } : {}),
  }));
  const size = `${4 + kinds.length * 40} MiB`;
  writeFileSync(
    box.path(`${name}.json`),
    JSON.stringify({ version: 1, id: name, name, medium: 'hdd', size, table: 'gpt', volumes }),
  );
  const { code, err } = ullager('make', box.path(`${name}.json`), '--out', box.path(`${name}.img`));
  expect(code, err).toBe(0);
  return box.path(`${name}.img`);
}

/** Zeros in a file. */
function spoil(image: string, offset: number, length: number): void {
  const file = openSync(image, 'r+');
  writeSync(file, new Uint8Array(length), 0, length, offset);
  closeSync(file);
}

function bytesOf(image: string, offset: number, length: number): Uint8Array {
  const file = openSync(image, 'r');
  const out = new Uint8Array(length);
  readSync(file, out, 0, length, offset);
  closeSync(file);
  return out;
}

const target = (name: string, value: unknown): string => {
  writeFileSync(box.path(name), JSON.stringify(value));
  return box.path(name);
};

/** Every file of a volume by the reader, by its hash. */
function readByAll(image: string, start: number, volume: number): void {
  const files = filesOf(image, volume);
  const found = fls(image, start);
  for (const { path } of files) expect(found.get(path), path).toBeDefined();
  for (const { path, sha256 } of few(files))
    if (sha256) expect(icat(image, start, found.get(path)!), path).toBe(sha256);
}

describe('a volume whose beginning is gone', () => {
  it.each(KINDS)('%s is mended, and read by all as it was', (kind) => {
    const image = make(`mend-${kind}`, [kind]);
    const [start] = starts(image);
    const before = filesOf(image);
    const damaged = box.path(`damaged-${kind}.img`);
    copyFileSync(image, damaged);
    spoil(damaged, start! * 512, kind.startsWith('ext') ? 2048 : 512);
    const mended = box.path(`mended-${kind}.img`);
    const { code, err, out } = ullager('run', damaged, '--mend', '--out', mended);
    expect(code, err + out).toBe(0);
    expect(filesOf(mended)).toEqual(before);
    readByAll(mended, start!, 1);
    expect(read('fsstat', ['-o', `${start}`, mended]).length).toBeGreaterThan(100);
  });

  it.runIf(MOUNTS)('ext4 that this kernel wrote is mended, and the kernel finds nothing to say', () => {
    const image = make('kernel', ['ext4']);
    const [start] = starts(image);
    mounted(image, start!, true, (folder) => {
      for (let n = 0; n < 200; n++) writeFileSync(`${folder}/written ${n}`, `by the kernel ${n}`.repeat(n + 1));
    });
    const tree = mounted(image, start!, false, treeOf);
    for (const [offset, length] of [
      [1024, 1024],
      [4096, 64],
    ] as const) {
      const damaged = box.path(`kernel-${offset}.img`);
      copyFileSync(image, damaged);
      spoil(damaged, start! * 512 + offset, length);
      const mended = box.path(`kernel-${offset}-mended.img`);
      const { code, err, out } = ullager('run', damaged, '--mend', '--out', mended);
      expect(code, err + out).toBe(0);
      expect(mounted(mended, start!, true, treeOf)).toEqual(tree);
    }
  });
});

describe('volumes that are lost', () => {
  it('are found though their table is gone, put back, and read by all', () => {
    const image = make('lost', KINDS);
    const places = starts(image);
    const before = KINDS.map((_, i) => filesOf(image, i + 1));
    const size = readFileSync(image).length;
    spoil(image, 0, 1 * MIB);
    spoil(image, size - MIB, MIB);
    const found = ullager('find', image, '--json');
    expect(found.code, found.err).toBe(0);
    const { volumes } = JSON.parse(found.out) as { volumes: { start: number; files: number; whole: number }[] };
    expect(volumes.map((v) => v.start / 512)).toEqual(places);
    expect(volumes.every((v) => v.files === 25 && v.whole === 25)).toBe(true);
    const all = target('all.json', { table: 'gpt', volumes: volumes.map((_, i) => ({ find: i + 1 })) });
    const back = box.path('back.img');
    const { code, err, out } = ullager('run', image, '--target', all, '--out', back);
    expect(code, err + out).toBe(0);
    expect(mmls(back).map((m) => m.start)).toEqual(expect.arrayContaining(places));
    for (const [i, start] of places.entries()) {
      expect(filesOf(back, i + 1)).toEqual(before[i]);
      readByAll(back, start, i + 1);
    }
  });
});

describe('places that fail', () => {
  it.each(KINDS)('of %s are out of use for independent readers, and files are as they were', (kind) => {
    const image = make(`failing-${kind}`, [kind]);
    const [start] = starts(image);
    const before = filesOf(image);
    // In the middle of files, and where nothing is.
    const at = (mib: number): number => start! * 512 + mib * MIB;
    const slow = [2, 3, 12, 30].map((mib) => ({ start: at(mib) + 5 * 512, end: at(mib) + 7 * 512 }));
    const scan = target('scan.json', { version: 1, faults: [], slow });
    const wish = target('retire.json', { volumes: [{ keep: 1 }], retireFailing: true });
    const out = box.path(`retired-${kind}.img`);
    const { code, err, out: said } = ullager('run', image, '--target', wish, '--scan', scan, '--out', out);
    expect(code, err + said).toBe(0);
    expect(filesOf(out)).toEqual(before);
    readByAll(out, start!, 1);
    const stands = (n: number): string => read('blkstat', ['-o', `${start}`, out, String(n)]);
    // It never comes to the end of its list of bad clusters on exFAT, so it is asked for each sector.
    const all = kind === 'exfat' ? '' : read('fsstat', ['-o', `${start}`, out]);
    const unit = kind === 'exfat' ? 512 : Number(/(?:Cluster|Block) Size: (\d+)/.exec(all)![1]);
    const taken = slow.map((p) => Math.floor((p.start - start! * 512) / unit));
    if (kind === 'fat32') expect(all).toMatch(/Bad Sectors/i);
    else for (const n of taken) expect(stands(n)).toMatch(/^Allocated/m);
    if (!kind.startsWith('ext')) return;
    const bad = read('istat', ['-o', `${start}`, out, '1']);
    for (const block of taken) expect(bad).toMatch(new RegExp(`\\b${block}\\b`));
    if (!MOUNTS) return;
    mounted(out, start!, true, (folder) => {
      for (let n = 0; n < 30; n++) writeFileSync(`${folder}/more ${n}`, new Uint8Array(MIB / 2).fill(n));
    });
    expect(ullager('check', out).code).toBe(0);
  });
});

describe('what is wiped', () => {
  it.each(DEEP ? KINDS : ['exfat', 'ext4'])('inside %s and beside it, leaves every file as all read it', (kind) => {
    const image = make(`wipe-${kind}`, [kind, 'fat16']);
    const [start] = starts(image);
    const before = filesOf(image);
    const out = box.path(`wiped-${kind}.img`);
    const wipe = [
      { what: 'unallocated', pattern: 'ones' },
      { what: 'free', volume: 1, pattern: 'random', compare: '1/10' },
    ];
    const input = target(`wipe-${kind}-target.json`, { volumes: [{ keep: 1 }], remove: [2], wipe });
    const run = ullager('run', image, '--target', input, '--out', out);
    expect(run.code, run.err + run.out).toBe(0);
    expect(filesOf(out)).toEqual(before);
    readByAll(out, start!, 1);
    expect(isAll(0xff, bytesOf(out, 42 * MIB, 38 * MIB))).toBe(true);
    if (kind.startsWith('ext') && MOUNTS) mounted(out, start!, true, (folder) => writeFileSync(`${folder}/more`, 'x'));
  });
});
