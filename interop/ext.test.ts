/** ext2, ext3 and ext4 by independent readers, and by this kernel, which also writes them. */
import { copyFileSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEEP } from '@/core/fixtures/rounds';
import { afterAll, describe, expect, it } from 'vitest';
import { MOUNTS, mounted, treeOf } from './kernel';
import { few, filesOf, fls, icat, read, scratch, starts, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

interface Listed {
  readonly path: string;
  readonly kind: string;
  readonly sha256?: string;
}

/** Every path of a volume as the runner lists it. */
function listed(image: string, volume = 1): Map<string, string> {
  const { code, out, err } = ullager('files', image, '--volume', `${volume}`, '--json');
  expect(code, err).toBe(0);
  const { files } = JSON.parse(out) as { files: Listed[] };
  return new Map(
    files.map((f) => [f.path, f.kind === 'folder' ? 'folder' : f.kind === 'special' ? 'special' : f.sha256!]),
  );
}

const startOf = (image: string): number => starts(image)[0]!;

function make(name: string, volume: object, size = '170 MiB'): string {
  return makeAll(name, [volume], size);
}

function makeAll(name: string, volumes: readonly object[], size: string): string {
  const recipe = box.path(`${name}.json`);
  const fill = [
    { folder: 'f/g', count: 40, name: '{word} {nn}.bin', smallest: '100', largest: '700 KiB', near: 0.7, fragments: 4 },
    { folder: 'f/植物', count: 9, name: 'ä {n}.txt', smallest: '10', largest: '9 KiB' },
  ];
  const recipes = { version: 1, id: name, name, medium: 'hdd', size, table: 'gpt' };
  writeFileSync(recipe, JSON.stringify({ ...recipes, volumes: volumes.map((v) => ({ size: '120 MiB', fill, ...v })) }));
  const image = box.path(`${name}.img`);
  const { code, err } = ullager('make', recipe, '--out', image);
  expect(code, err).toBe(0);
  return image;
}

function run(image: string, size: string): void {
  const target = box.path('target.json');
  writeFileSync(target, JSON.stringify({ volumes: [{ keep: 1, size }] }));
  const { code, err, out } = ullager('run', image, '--target', target, '--in-place');
  expect(code, err + out).toBe(0);
}

const ALL = [
  ['ext4', 4096],
  ['ext2', 1024],
  ['ext4', 1024],
  ['ext3', 2048],
] as const;
/** What every kind is tried with in the deep tier is tried with some here. */
const some = <T>(all: readonly T[], from: number, to: number): readonly T[] => (DEEP ? all : all.slice(from, to));

describe.each(some(ALL, 0, 2))('%s with blocks of %d', (fileSystem, clusterSize) => {
  it('is read by all, as it was made, at its floor, and grown again', () => {
    const image = make(`${fileSystem}-${clusterSize}`, { fileSystem, clusterSize, label: 'SEEDS' });
    const start = startOf(image);
    const files = filesOf(image);
    for (const size of ['120 MiB', 'floor', '150 MiB']) {
      run(image, size);
      const found = fls(image, start);
      expect(new Set(found.keys())).toEqual(new Set(files.map((f) => f.path)));
      for (const [path, inode] of few([...found]))
        expect(icat(image, start, inode), `${path} at ${size}`).toBe(files.find((f) => f.path === path)!.sha256);
      expect(read('fsstat', ['-o', `${start}`, image])).toMatch(/Volume Name: SEEDS/);
      expect(ullager('check', image).code).toBe(0);
    }
    expect(read('grub-fstest', [image, 'ls', '(loop0,gpt1)/f'])).toMatch(/g\//);
  });
});

describe.runIf(MOUNTS).each(some(ALL, 2, 4))('%s with blocks of %d', (fileSystem, clusterSize) => {
  it('is mounted, read, written and filled by the kernel, which finds nothing wrong', () => {
    const image = make(`${fileSystem}-${clusterSize}-kernel`, { fileSystem, clusterSize, label: 'SEEDS' });
    const start = startOf(image);
    for (const size of ['120 MiB', '64 MiB', 'floor', '100 MiB', '160 MiB']) {
      run(image, size);
      expect(mounted(image, start, false, treeOf)).toEqual(listed(image));
      if (size === 'floor') continue;
      const after = mounted(image, start, true, (folder) => {
        const shell = `mkdir -p k && cd k && for i in $(seq 300); do echo $i > "name of a file $i"; done
          ln -s ../f/g link; ln "name of a file 7" hard; mknod pipe p; rm -f *3
          dd if=/dev/zero of=big bs=64k status=none; rm big`;
        read('sh', ['-c', `cd ${folder} && { ${shell}; } 2>/dev/null || true`]);
        return treeOf(folder);
      });
      expect(listed(image)).toEqual(after);
      expect(ullager('check', image).code).toBe(0);
      mounted(image, start, true, (folder) => read('rm', ['-r', join(folder, 'k')]));
    }
  });
});

/** Files of all sorts, written by the kernel: fragmented, sparse, many in one folder, with attributes. */
const WRITE = (count: number): string => `
import os
for i in range(${count}):
    d = 'many'
    os.makedirs(d, exist_ok=True)
    open(f'{d}/a name of some length {i}', 'w').write(str(i))
a, b = open('one', 'wb'), open('two', 'wb')
for i in range(400):
    for f in (a, b):
        f.write(bytes([i % 256]) * 4096); f.flush(); os.fsync(f.fileno())
with open('sparse', 'wb') as f:
    f.seek(3 << 20); f.write(b'end'); f.truncate(9 << 20)
os.makedirs('far/away')
for i in range(30):
    os.link('one', f'far/away/link {i}')
os.setxattr('two', 'user.note', b'green')
os.setxattr('one', 'user.long', b'x' * 700)
os.symlink('s' * 200, 'far/long link')
os.chown('two', 1234, 70000)
os.chmod('two', 0o640)
`;

describe.runIf(MOUNTS)('volumes that the kernel wrote', () => {
  const kernelWrote = (name: string, fileSystem: string): { image: string; start: number } => {
    const image = make(name, { fileSystem, label: 'WROTE', fill: [], size: '160 MiB' });
    const start = startOf(image);
    mounted(image, start, true, (folder) => {
      writeFileSync(box.path('write.py'), WRITE(DEEP ? 50_000 : 3000));
      read('sh', ['-c', `cd ${folder} && python3 ${box.path('write.py')}`]);
    });
    return { image, start };
  };

  it.each(some(['ext4', 'ext3', 'ext2'], 0, 1))(
    '%s: fragments, sparse files, links and attributes survive',
    (fileSystem) => {
      const { image, start } = kernelWrote(`wrote-${fileSystem}`, fileSystem);
      const about = (): string =>
        mounted(image, start, false, (folder) =>
          read('sh', [
            '-c',
            `cd ${folder} && stat -c '%n %a %u %g %h %s %b' two one sparse far/away/* && python3 -c "
import os
print(os.getxattr('two', 'user.note'), len(os.getxattr('one', 'user.long')), os.readlink('far/long link'))"`,
          ]),
        );
      const [tree, before] = [mounted(image, start, false, treeOf), about()];
      expect(listed(image)).toEqual(tree);
      expect(ullager('check', image).out).toMatch(/Nothing found/);
      for (const size of ['100 MiB', 'floor', '165 MiB']) {
        run(image, size);
        expect(mounted(image, start, false, treeOf)).toEqual(tree);
        const now = about();
        // What trees and maps take of their own may differ by a block.
        const without = (text: string): string => text.replace(/ \d+$/gm, '');
        expect(without(now)).toBe(without(before));
      }
    },
  );

  it.each(some(['ext4', 'ext2'], 0, 1))('%s: two are merged where everything lies, and written on', (fileSystem) => {
    const volumes = ['A', 'B'].map((label) => ({ fileSystem, label, fill: [], size: '60 MiB' }));
    const image = makeAll(`merged-${fileSystem}`, volumes, '130 MiB');
    writeFileSync(box.path('write.py'), WRITE(DEEP ? 3000 : 1500));
    for (const start of starts(image))
      mounted(image, start, true, (folder) =>
        read('sh', ['-c', `cd ${folder} && python3 ${box.path('write.py')} && head -c 30M /dev/urandom > noise`]),
      );
    const [start, second] = starts(image) as [number, number];
    const trees = [start, second].map((at) => mounted(image, at, false, treeOf));
    const target = { volumes: [{ keep: 1, size: 'rest', as: 'all' }], remove: [2] };
    const transfers = [{ from: { volume: 2 }, folder: '', to: 'all', under: 'b', then: 'remove' }];
    writeFileSync(box.path('target.json'), JSON.stringify({ ...target, transfers }));
    const { code, err, out } = ullager('run', image, '--target', box.path('target.json'), '--in-place');
    expect(code, err + out).toBe(0);
    expect(out + err).toMatch(/Merge B into A/);
    const all = new Map(trees[0]).set('b', 'folder');
    for (const [path, what] of trees[1]!) all.set(`b/${path}`, what);
    expect(mounted(image, start, false, treeOf)).toEqual(all);
    const after = mounted(image, start, true, (folder) => {
      read('sh', [
        '-c',
        `cd ${folder} && dd if=/dev/zero of=big bs=64k status=none; cp -a b/far b/again; rm b/one big`,
      ]);
      return treeOf(folder);
    });
    expect(listed(image)).toEqual(after);
    expect(ullager('check', image).code).toBe(0);
  });

  it('a journal that has something to write yet is seen as the kernel brings it in, and brought in first', () => {
    const image = make('dirty', { fileSystem: 'ext4', label: 'DIRTY' });
    const start = startOf(image);
    const cut = box.path('cut.img');
    mounted(image, start, true, (folder) => {
      writeFileSync(
        box.path('dirty.py'),
        `
import os
os.makedirs('new/deep')
for i in range(200):
    with open(f'new/deep/{i}', 'w') as f:
        f.write('x' * i); f.flush(); os.fsync(f.fileno())
os.rename('f/g', 'f/h')
os.unlink('new/deep/7')
fd = os.open('new', os.O_RDONLY); os.fsync(fd)
`,
      );
      read('sh', ['-c', `cd ${folder} && python3 ${box.path('dirty.py')}`]);
      copyFileSync(image, cut);
    });
    const ours = listed(cut);
    const kernels = box.path('kernels.img');
    copyFileSync(cut, kernels);
    expect(mounted(kernels, start, true, treeOf)).toEqual(ours);
    expect([...ours.keys()].filter((p) => p.startsWith('new/deep/'))).toHaveLength(199);
    writeFileSync(box.path('shrink.json'), JSON.stringify({ volumes: [{ keep: 1, size: '70 MiB' }] }));
    const { out } = ullager('plan', cut, '--target', box.path('shrink.json'), '--json');
    const titles = (JSON.parse(out) as { steps: { kind: string; title: string }[] }).steps;
    expect(titles.find((s) => s.kind === 'settle')?.title).toMatch(/journal/);
    run(cut, '70 MiB');
    expect(mounted(cut, start, false, treeOf)).toEqual(ours);
    expect(ullager('check', cut).out).toMatch(/Nothing found/);
  });
});

it('a swap area is made, made smaller and larger, and known to all', () => {
  const image = make('swap', { fileSystem: 'swap', label: 'REST', fill: [], size: '64 MiB' });
  const start = startOf(image);
  for (const size of ['64 MiB', '16 MiB', '128 MiB']) {
    run(image, size);
    const bare = box.path('bare');
    read('dd', [`if=${image}`, `of=${bare}`, 'bs=512', `skip=${start}`, 'count=200', 'status=none']);
    truncateSync(bare, 128 * 2 ** 20);
    expect(read('file', [bare])).toMatch(
      new RegExp(`swap file, 4k page size.*size ${(Number.parseInt(size) * 2 ** 20) / 4096 - 1} pages.*LABEL=REST`),
    );
  }
  expect(statSync(image).size).toBe(170 * 2 ** 20);
});
