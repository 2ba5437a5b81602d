/** Journals, ways back, and two processes at once. */
import { existsSync, copyFileSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { spawn } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { systemFiles } from './files/files';
import { FaultyFiles } from './files/fixtures/faulty-files';
import { holding } from './files/locks';
import { imagesIn } from './fixtures/images';
import { printed } from './fixtures/verbs';
import { inspect } from './verbs/look';
import { convert } from './verbs/make';
import { run } from './verbs/run';

const { box, path, target, copyOf, interrupted, divide } = imagesIn('ullager-processes-');

const io = printed();

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
    const ended = new Promise<void>((resolve) => child.on('exit', () => resolve()));
    const held = new Promise<boolean>((resolve) => child.stdout.once('data', () => resolve(true)));
    expect(await Promise.race([held, ended.then(() => false)]), 'the other process holds it').toBe(true);
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
