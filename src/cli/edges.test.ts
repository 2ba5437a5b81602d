/** Where the runner meets files of people, other processes and other disks: nothing is taken that is not its own. */
import {
  existsSync,
  copyFileSync,
  linkSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { beforeAll, describe, expect, it, vi } from 'vitest';
import { systemFiles } from './files/files';
import { FaultyFiles } from './files/fixtures/faulty-files';
import { holding } from './files/locks';
import { boxOf, printed } from './fixtures/verbs';
import { plain } from '@/core/bytes';
import { fail } from './output';
import { inspect } from './verbs/look';
import { convert, make } from './verbs/make';
import { run } from './verbs/run';

const { box, path } = boxOf('ullager-edges-', true);
const io = printed();

const volume = (label: string, count = 6, size = '1 MiB'): object => ({
  size,
  fileSystem: 'fat12',
  label,
  fill: [{ folder: 'f', count, name: `${label} {n}.bin`, smallest: '2 KiB', largest: '9 KiB', fragments: 2 }],
});
const recipe = (id: string, volumes: readonly object[], size = '4 MiB'): string => {
  writeFileSync(
    path(`${id}.json`),
    JSON.stringify({ version: 1, id, name: id, medium: 'usb', table: 'gpt', size, volumes }),
  );
  return path(`${id}.json`);
};
const target = (name: string, volumes: readonly object[]): string => {
  writeFileSync(path(`${name}.json`), JSON.stringify({ volumes }));
  return path(`${name}.json`);
};
let divide = '';
let swap = '';
beforeAll(async () => {
  vi.spyOn(process.stdout, 'write').mockImplementation(() => true);
  for (const [id, volumes] of [
    ['disk', [volume('ONE')]],
    ['twin', [volume('ONE', 7)]],
    ['full', [volume('ONE'), volume('TWO')]],
  ] as const)
    expect(await make(recipe(id, volumes), { out: path(`${id}.img`) })).toBe(0);
  divide = target('divide', [
    { keep: 1, label: 'L' },
    { create: 'fat12', size: '1 MiB', label: 'N' },
  ]);
  swap = target('swap', [{ keep: 2 }, { keep: 1 }]);
});

function copyOf(name: string, as: string): string {
  for (const file of readdirSync(box)) if (file.startsWith(as)) rmSync(path(file));
  copyFileSync(path(name), path(as));
  return path(as);
}

/** A run that meets a fault at an operation, as many as it takes to have begun and not be over. */
async function interrupted(image: string, options: object, share = 0.5): Promise<void> {
  const counting = new FaultyFiles(systemFiles, undefined, 0);
  const trial = copyOf(image.slice(box.length + 1), 'trial.img');
  const scratch = 'scratch' in options ? { scratch: path('trial.bin') } : {};
  await run(trial, { ...options, ...scratch, inPlace: true }, counting);
  const files = new FaultyFiles(systemFiles, 'io', Math.floor(counting.operations.length * share));
  await expect(run(image, { ...options, inPlace: true }, files)).rejects.toThrow();
  expect(existsSync(`${image}.ullager-journal`)).toBe(true);
}

describe('what no run made', () => {
  it('is not taken away by rewinding, whatever it is called', async () => {
    const mine = copyOf('disk.img', 'mine.img');
    const before = readFileSync(mine);
    for (const [image, name] of [
      [path('disk.img'), mine],
      [path('disk.img'), path('disk.json')],
    ] as const)
      await expect(run(image, { out: name, rewind: true })).rejects.toMatchObject({ code: 'run.nothing-to-rewind' });
    await expect(run(mine, { out: mine, rewind: true })).rejects.toMatchObject({ code: 'file.same' });
    await expect(run(mine, { inPlace: true, rewind: true })).rejects.toMatchObject({ code: 'run.nothing-to-rewind' });
    expect(Buffer.compare(readFileSync(mine), before)).toBe(0);
    expect(existsSync(path('disk.json'))).toBe(true);
  });

  it('is not written over by names of the run’s own', async () => {
    for (const name of ['o.img.part', 'o.img.ullager-work', 'o.img.ullager-journal', 'o.img.ullager-undo']) {
      writeFileSync(path(name), 'precious');
      const outcome = await run(path('disk.img'), { target: divide, out: path('o.img') }).catch(
        (error: unknown) => error,
      );
      expect(readFileSync(path(name), 'utf8'), name).toBe('precious');
      if (outcome !== 0) expect(existsSync(path('o.img')), name).toBe(false);
      for (const file of readdirSync(box)) if (file.startsWith('o.img')) rmSync(path(file));
    }
    writeFileSync(path('c.qcow2.part'), 'precious');
    expect(await convert(path('disk.img'), { out: path('c.qcow2') })).toBe(0);
    expect(readFileSync(path('c.qcow2.part'), 'utf8')).toBe('precious');
  });

  it('stays where the file that a run made was changed, or replaced by another', async () => {
    const made = path('made.img');
    expect(await run(path('disk.img'), { target: divide, out: made })).toBe(0);
    writeFileSync(made, 'something else by now');
    await expect(run(path('disk.img'), { out: made, rewind: true })).rejects.toMatchObject({
      code: 'run.nothing-to-rewind',
    });
    expect(readFileSync(made, 'utf8')).toBe('something else by now');
  });
});

describe('input and output', () => {
  it('are compared by what they are, not by their names', async () => {
    const image = copyOf('disk.img', 'same.img');
    symlinkSync(image, path('same.link'));
    linkSync(image, path('same.hard'));
    const before = readFileSync(image);
    for (const name of [image, path('same.link'), path('same.hard'), join(box, '.', 'same.img')]) {
      await expect(run(image, { target: divide, out: name }), name).rejects.toMatchObject({ code: 'file.same' });
      await expect(convert(image, { out: name }), name).rejects.toMatchObject({ code: 'file.same' });
    }
    expect(Buffer.compare(readFileSync(image), before)).toBe(0);
    for (const name of ['same.link', 'same.hard']) rmSync(path(name));
  });

  it('that is packed is packed by its name, and only when it is proven', async () => {
    for (const name of ['p.gz', 'p.qcow2']) {
      const result = path(name);
      expect(await run(path('disk.img'), { target: divide, out: result })).toBe(0);
      expect([...readFileSync(result).subarray(0, 2)]).toEqual(name.endsWith('gz') ? [0x1f, 0x8b] : [0x51, 0x46]);
      io.out = '';
      expect(await inspect(result, { json: true })).toBe(0);
      expect((JSON.parse(io.out) as { volumes: unknown[] }).volumes).toHaveLength(2);
    }
    const two = target('two', [{ keep: 2 }, { keep: 1 }]);
    await expect(run(path('p.gz'), { target: two, inPlace: true })).rejects.toThrow(/packed image/);
  });
});

describe('a volume that is set aside in a file', () => {
  it('is not lost to a rewinding that has nothing to rewind', async () => {
    const image = copyOf('full.img', 'aside.img');
    const scratch = path('aside.bin');
    await interrupted(image, { target: swap, scratch, rewind: false });
    const kept = existsSync(scratch) ? readFileSync(scratch) : undefined;
    expect(kept).toBeDefined();
    for (const options of [{ scratch }, {}])
      await expect(run(image, { inPlace: true, rewind: true, ...options })).rejects.toMatchObject({
        code: 'run.nothing-to-rewind',
      });
    expect(Buffer.compare(readFileSync(scratch), kept!)).toBe(0);
    // Which file it is a person says; another is not taken for it.
    writeFileSync(path('other.bin'), Buffer.alloc(100_000, 1));
    for (const file of [undefined, path('other.bin')])
      await expect(run(image, { inPlace: true, resume: true, scratch: file })).rejects.toMatchObject({
        code: 'run.elsewhere',
      });
    expect(await run(image, { inPlace: true, resume: true, scratch })).toBe(0);
    expect(io.out).toContain('Proven');
    expect(existsSync(scratch)).toBe(false);
    expect(statSync(path('other.bin')).size).toBe(100_000);
  });
});

describe('a journal and a way back', () => {
  it('laid beside another image of the same size are not acted on', async () => {
    const image = copyOf('disk.img', 'bound.img');
    await interrupted(image, { target: divide });
    const twin = copyOf('twin.img', 'other-bound.img');
    const before = readFileSync(twin);
    for (const end of ['journal', 'undo']) copyFileSync(`${image}.ullager-${end}`, `${twin}.ullager-${end}`);
    for (const act of [{ resume: true }, { rewind: true }])
      await expect(run(twin, { inPlace: true, ...act })).rejects.toMatchObject({ code: 'journal.foreign' });
    rmSync(`${twin}.ullager-journal`);
    await expect(run(twin, { inPlace: true, rewind: true })).rejects.toMatchObject({ code: 'journal.foreign' });
    expect(Buffer.compare(readFileSync(twin), before)).toBe(0);
    expect(await run(image, { inPlace: true, rewind: true })).toBe(0);
    expect(Buffer.compare(readFileSync(image), readFileSync(path('disk.img')))).toBe(0);
  });

  it('of random bytes are damaged, and one of nothing or of a torn beginning is a run that never began', async () => {
    const image = copyOf('disk.img', 'odd.img');
    const journal = `${image}.ullager-journal`;
    for (let n = 0; n < 20; n++) {
      writeFileSync(journal, Buffer.from(Array.from({ length: 40 + n * 50 }, (_, i) => (i * 37 + n * 11 + 5) & 0xff)));
      for (const act of [{ resume: true }, { rewind: true }, { target: divide }])
        await expect(run(image, { inPlace: true, ...act })).rejects.toMatchObject({ code: 'journal.corrupt' });
    }
    for (const torn of [Buffer.alloc(0), Buffer.from('ULJ'), Buffer.from('ULJ1\0\0\0\0\x40\0\0\0'), Buffer.alloc(30)]) {
      writeFileSync(journal, torn);
      await expect(run(image, { inPlace: true, resume: true })).rejects.toMatchObject({
        code: 'run.nothing-to-resume',
      });
    }
    expect(await run(image, { inPlace: true, target: divide })).toBe(0);
    expect(await run(image, { inPlace: true, rewind: true })).toBe(0);
    expect(Buffer.compare(readFileSync(image), readFileSync(path('disk.img')))).toBe(0);
  });

  it('are found by whatever link the image is named, and nothing else is begun on it meanwhile', async () => {
    const image = copyOf('disk.img', 'linked.img');
    symlinkSync(image, path('linked.link'));
    await interrupted(image, { target: divide });
    const unfinished = { code: 'run.unfinished' };
    await expect(run(path('linked.link'), { target: divide, inPlace: true })).rejects.toMatchObject(unfinished);
    await expect(run(image, { target: divide, out: path('half.img') })).rejects.toMatchObject(unfinished);
    expect(existsSync(path('half.img'))).toBe(false);
    expect(await run(path('linked.link'), { inPlace: true, resume: true })).toBe(0);
    // A rewinding that was cut is finished before anything else.
    const files = new FaultyFiles(systemFiles, undefined, 0);
    const twin = copyOf('linked.img', 'cut.img');
    copyFileSync(`${image}.ullager-undo`, `${twin}.ullager-undo`);
    expect(await run(twin, { inPlace: true, rewind: true }, files)).toBe(0);
    const cut = new FaultyFiles(systemFiles, 'io', files.operations.length - 6);
    await expect(run(image, { inPlace: true, rewind: true }, cut)).rejects.toThrow();
    const rewinding = { code: 'run.rewinding' };
    await expect(run(image, { target: divide, inPlace: true })).rejects.toMatchObject(rewinding);
    await expect(run(image, { target: divide, out: path('half.img') })).rejects.toMatchObject(rewinding);
    expect(await run(image, { inPlace: true, rewind: true })).toBe(0);
    expect(Buffer.compare(readFileSync(image), readFileSync(path('disk.img')))).toBe(0);
    rmSync(path('linked.link'));
  });

  it('are of one run: what an earlier one kept is not put back over a later one', async () => {
    const image = copyOf('disk.img', 'later.img');
    expect(await run(image, { target: divide, inPlace: true })).toBe(0);
    const old = readFileSync(`${image}.ullager-undo`);
    const relabel = target('relabel', [{ keep: 1, label: 'X' }, { keep: 2 }]);
    expect(await run(image, { target: relabel, inPlace: true, rewind: false })).toBe(0);
    await expect(run(image, { inPlace: true, rewind: true })).rejects.toMatchObject({ code: 'run.nothing-to-rewind' });
    writeFileSync(`${image}.ullager-undo`, old);
    const before = readFileSync(image);
    await expect(run(image, { inPlace: true, rewind: true })).rejects.toMatchObject({ code: 'run.changed' });
    expect(Buffer.compare(readFileSync(image), before)).toBe(0);
  });
});

describe('two processes', () => {
  const pairs = ['run', 'resume', 'rewind', 'inspect', 'convert', 'out'] as const;
  const acts: Readonly<Record<(typeof pairs)[number], (image: string) => Promise<number>>> = {
    run: (image) => run(image, { target: divide, inPlace: true }),
    resume: (image) => run(image, { inPlace: true, resume: true }),
    rewind: (image) => run(image, { inPlace: true, rewind: true }),
    inspect: (image) => inspect(image, {}),
    convert: (image) => convert(image, { out: path('pair.qcow2') }),
    out: (image) => run(image, { target: divide, out: path('pair.out') }),
  };
  const reads = new Set(['inspect', 'convert', 'out']);

  /** Another process that holds a file, by a name of its own for it. */
  async function holder(file: string, mode: 'read' | 'write'): Promise<{ kill: () => Promise<void> }> {
    const script = `import { holding } from './src/cli/files/locks.ts'; import { systemFiles } from './src/cli/files/files.ts';
      await holding(systemFiles, [{ path: ${JSON.stringify(file)}, mode: '${mode}' }], async () => { console.log('held'); await new Promise((r) => setTimeout(r, 60000)); });`;
    const child = spawn('node', ['--import', 'tsx', '--input-type=module', '-e', script], {
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    await new Promise<void>((resolve) => child.stdout.once('data', () => resolve()));
    const ended = new Promise<void>((resolve) => child.on('exit', () => resolve()));
    return { kill: async () => (child.kill('SIGKILL'), ended) };
  }

  it.each(['read', 'write'] as const)('of which one holds an image to %s leave each other alone', async (mode) => {
    const image = copyOf('disk.img', 'pair.img');
    for (const file of readdirSync(box)) if (/^pair\.(qcow2|out)/.test(file)) rmSync(path(file));
    symlinkSync(image, path('pair.img.link'));
    const { kill } = await holder(path('pair.img.link'), mode);
    const before = readFileSync(image);
    for (const act of pairs) {
      const outcome = await acts[act](image).catch((error: unknown) => error);
      const allowed = mode === 'read' && reads.has(act);
      if (allowed) expect(outcome, act).toBe(0);
      else expect(outcome, act).toMatchObject({ code: 'file.busy' });
    }
    expect(Buffer.compare(readFileSync(image), before)).toBe(0);
    await kill();
    // What is left of a process that was killed is told of and taken over.
    io.err = '';
    expect(await acts.run(image)).toBe(0);
    if (mode === 'write') expect(io.err).toMatch(/ended without letting go/);
  });

  it('that come at the same moment do not both get it', async () => {
    const image = copyOf('disk.img', 'race.img');
    let inside = 0;
    let most = 0;
    const once = (): Promise<unknown> =>
      holding(systemFiles, [{ path: image, mode: 'write' }], async () => {
        most = Math.max(most, (inside += 1));
        await new Promise((resolve) => setTimeout(resolve, 2));
        inside -= 1;
      }).catch(() => undefined);
    for (let round = 0; round < 10; round++) await Promise.all(Array.from({ length: 6 }, once));
    expect(most).toBeLessThan(2);
  });
});

describe('what is said', () => {
  it('holds nothing that a terminal acts on', async () => {
    const nasty = `a\u001b[2Jb\u009bc\u202ed\u0007`;
    expect(plain(nasty)).toBe('a\\u001b[2Jb\\u009bc\\u202ed\\u0007');
    expect(fail(new Error(nasty))).toBe(2);
    expect(io.err).not.toMatch(/[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u202e]/);
    const image = path(`odd\u001b[1m.img`);
    expect(await inspect(image, {}).catch(fail)).toBe(2);
    expect(io.err).toContain('\\u001b');
  });

  it('is what happened, in words that people know', async () => {
    for (const [name, words] of [
      [box, 'it is a folder'],
      [path('nowhere.img'), 'is not there'],
      [path('disk.json/x'), 'a part of its path is no folder'],
    ] as const) {
      io.err = '';
      expect(await inspect(name, {}).catch(fail), name).toBe(2);
      expect(io.err, name).toContain(words);
      expect(io.err, name).not.toMatch(/ENO|EIS|window|range/);
    }
    writeFileSync(path('tiny'), 'abc');
    expect(await inspect(path('tiny'), {}).catch(fail)).toBe(1);
    expect(io.err).toContain('less than one sector');
  });

  it('is not “proven” of a run that kept nothing', async () => {
    const image = copyOf('disk.img', 'none.img');
    writeFileSync(
      path('none.json'),
      JSON.stringify({ table: 'mbr', remove: [1], volumes: [{ create: 'fat12', label: 'N' }] }),
    );
    expect(await run(image, { target: path('none.json'), inPlace: true, json: true })).toBe(0);
    expect(JSON.parse(io.out)).toMatchObject({ proven: false, outcome: 'nothing kept' });
  });

  it.each([
    [
      'two volumes of one letter',
      [
        { keep: 1, letter: 'C' },
        { create: 'fat12', letter: 'C' },
      ],
    ],
    ['clusters of no bytes', [{ keep: 1 }, { create: 'fat12', clusterSize: 0 }]],
    ['clusters of odd bytes', [{ keep: 1 }, { create: 'fat12', clusterSize: 3000 }]],
  ])('refuses %s in a target', async (_, volumes) => {
    const options = { target: target('bad', volumes), out: path('bad.img') };
    await expect(run(path('disk.img'), options)).rejects.toMatchObject({ code: 'target.invalid' });
    expect(existsSync(path('bad.img'))).toBe(false);
  });

  it.each([
    [
      'two volumes of one letter',
      [
        { ...volume('A'), letter: 'D' },
        { ...volume('B'), letter: 'D' },
      ],
    ],
    ['volumes that lie over each other', [volume('A', 6, '2 MiB'), { ...volume('B'), start: '2 MiB' }]],
    ['clusters of no bytes', [{ ...volume('A'), clusterSize: 0 }]],
    ['more files than anybody waits for', [volume('A', 1_000_000), volume('B', 1_000_000), volume('C', 1_000_000)]],
  ])('refuses %s in a recipe', async (_, volumes) => {
    await expect(make(recipe('bad', volumes, '8 MiB'), { out: path('bad.img') })).rejects.toMatchObject({
      code: 'recipe.invalid',
    });
  });
});
