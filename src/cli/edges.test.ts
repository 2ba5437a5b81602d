/** Where the runner meets files of people, other processes and other disks: nothing is taken that is not its own. */
import { existsSync, linkSync, readdirSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { imagesIn } from './fixtures/images';
import { printed } from './fixtures/verbs';
import { plain } from '@/core/bytes';
import { fail } from './output';
import { inspect } from './verbs/look';
import { convert, make } from './verbs/make';
import { run } from './verbs/run';

const { box, path, volume, recipe, target, copyOf, interrupted, divide, swap } = imagesIn('ullager-edges-');

const io = printed();

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
