/** What leaves the bench by the runner: lists, pictures, sheets, jobs, copies of tables, and what a run leaves on paper. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { boxOf, printed } from './fixtures/verbs';
import { plan } from './verbs/plan';
import { make } from './verbs/make';
import { list, picture, sheet } from './verbs/papers';
import { run } from './verbs/run';
import { restoreTable, saveTable, showTable } from './verbs/table';

const { path, json } = boxOf('ullager-papers-', true);
const io = printed();
const read = (name: string): string => readFileSync(path(name), 'utf8');

const RECIPE = {
  ...{ version: 1, id: 'stick', name: 'Stick', medium: 'usb', size: '64 MiB', table: 'mbr' },
  volumes: [
    { fileSystem: 'exfat', label: '=SUM(A1)', size: '40 MiB', fill: [{ file: 'note.txt', text: 'hello' }] },
    { fileSystem: 'ntfs', label: '<b>&"x"', size: '20 MiB' },
  ],
};
const TARGET = { volumes: [{ keep: 1, size: '20 MiB' }, { create: 'exfat', label: 'NEW', size: 'rest' }, { keep: 2 }] };

async function image(name: string, recipe: unknown = RECIPE): Promise<string> {
  if (!existsSync(path(name))) await make(json(`${name}.json`, recipe), { out: path(name) });
  return path(name);
}

describe('papers of an image', () => {
  it('list volumes in CSV that is no formula', async () => {
    const img = await image('a.img');
    expect(await list([img, img], { out: path('l.csv') })).toBe(0);
    const lines = read('l.csv').trimEnd().split('\r\n');
    expect(lines).toHaveLength(5);
    expect(lines[1]).toContain(`a.img,1,"'=SUM(A1)",exfat,1048576,41943040,`);
    expect(lines[2]).toContain('"<b>&""x"""');
    await expect(list([img], { out: path('l.csv') })).rejects.toMatchObject({ code: 'file.exists' });
    await expect(list([img], { out: img })).rejects.toMatchObject({ code: 'file.same' });
  });

  it('draw it as it is, and as it is planned', async () => {
    const img = await image('a.img');
    expect(await picture(img, { out: path('now.svg') })).toBe(0);
    expect(await picture(img, { target: json('t.json', TARGET), out: path('then.svg') })).toBe(0);
    expect(read('now.svg')).toContain('&lt;b&gt;&amp;&quot;x&quot;');
    expect(read('now.svg')).not.toContain('Planned');
    expect(read('then.svg')).toContain('Planned');
  });

  it('set a job sheet as HTML and PDF, and none of what is refused', async () => {
    const img = await image('a.img');
    const target = json('t.json', TARGET);
    expect(await sheet(img, { target, out: path('s.html') })).toBe(0);
    expect(await sheet(img, { target, out: path('s.pdf') })).toBe(0);
    expect(read('s.html')).toContain('&lt;b&gt;&amp;&quot;x&quot;');
    expect(readFileSync(path('s.pdf')).subarray(0, 5).toString()).toBe('%PDF-');
    const none = json('none.json', { volumes: [{ keep: 1 }] });
    await expect(sheet(img, { target: none, out: path('none.html') })).rejects.toThrow();
    expect(existsSync(path('none.html'))).toBe(false);
    await expect(sheet(img, { target, out: path('s.doc') })).rejects.toThrow(/\.html or \.pdf/);
  });
});

describe('a job', () => {
  it('is saved by plan, and carried out by run on the disk it is of', async () => {
    const img = await image('a.img');
    expect(await plan(img, { target: json('t.json', TARGET), saveJob: path('job.json') })).toBe(0);
    const job = JSON.parse(read('job.json')) as { disk: { name: string }; target: unknown };
    expect(job.disk.name).toBe('a.img');
    expect(await run(img, { job: path('job.json'), out: path('by-job.img') })).toBe(0);
    expect(await run(img, { target: path('t.json'), out: path('by-target.img') })).toBe(0);
    // New volumes have serial numbers of their own; what was kept does not depend on how it was asked for.
    const head = (name: string): Buffer => readFileSync(path(name)).subarray(0, 21 * 1024 * 1024);
    expect(head('by-job.img').equals(head('by-target.img'))).toBe(true);
    await expect(plan(img, { target: path('t.json'), saveJob: path('job.json') })).rejects.toMatchObject({
      code: 'file.exists',
    });
    await expect(plan(img, {})).rejects.toThrow(/one of/);
    await expect(plan(img, { target: path('t.json'), job: path('job.json') })).rejects.toThrow(/one of/);
  });

  it('tells every difference on another disk, and is refused where a volume is another', async () => {
    await image('a.img');
    const like = await image('like.img', { ...RECIPE, size: '80 MiB' });
    io.out = '';
    expect(await plan(like, { job: path('job.json'), json: true })).toBe(0);
    const { notes } = JSON.parse(io.out) as { notes: string[] };
    expect(notes.some((n) => /Size of the disk: 64 MiB .* in the job, 80 MiB/.test(n))).toBe(true);
    const other = await image('other.img', { ...RECIPE, volumes: [RECIPE.volumes[1], RECIPE.volumes[0]] });
    expect(await run(other, { job: path('job.json'), out: path('no.img') }).catch((e: Error) => e.message)).toMatch(
      /Volume 1 is exfat in the job, and ntfs here/,
    );
    expect(existsSync(path('no.img'))).toBe(false);
  });
});

describe('the table by itself', () => {
  it('is saved, compared, and put back', async () => {
    const img = await image('a.img');
    expect(await saveTable(img, { out: path('table.json') })).toBe(0);
    expect(await showTable(img, { copy: path('table.json') })).toBe(0);
    expect(await showTable(path('by-target.img'), { copy: path('table.json') })).toBe(1);
    expect(io.err).not.toContain('fault');
    expect(await restoreTable(path('by-target.img'), { copy: path('table.json'), out: path('back.img') })).toBe(0);
    expect(readFileSync(path('back.img')).subarray(0, 512)).toEqual(readFileSync(img).subarray(0, 512));
    expect(await showTable(path('back.img'), { copy: path('table.json') })).toBe(0);
    await expect(restoreTable(img, { inPlace: true })).rejects.toThrow(/--copy/);
  });

  it('comes back where nothing is left of it', async () => {
    const img = await image('a.img');
    const bytes = readFileSync(img);
    bytes.fill(0xa5, 0, 512);
    writeFileSync(path('gone.img'), bytes);
    expect(await showTable(path('gone.img'), { copy: path('table.json') })).toBe(1);
    expect(await restoreTable(path('gone.img'), { copy: path('table.json'), inPlace: true })).toBe(0);
    expect(await showTable(path('gone.img'), { copy: path('table.json') })).toBe(0);
    expect(await restoreTable(path('gone.img'), { inPlace: true, rewind: true })).toBe(0);
    expect(readFileSync(path('gone.img')).equals(bytes)).toBe(true);
  });

  it('comes back where both copies of it are damaged', async () => {
    const img = await image('gpt.img', { ...RECIPE, table: 'gpt' });
    const bytes = readFileSync(img);
    expect(await saveTable(img, { out: path('gpt.json') })).toBe(0);
    const damaged = Buffer.from(bytes);
    for (const at of [512, damaged.length - 512]) damaged[at + 60] = damaged[at + 60]! ^ 0xff;
    writeFileSync(path('both.img'), damaged);
    expect(await showTable(path('both.img'), { copy: path('gpt.json') })).toBe(1);
    expect(await restoreTable(path('both.img'), { copy: path('gpt.json'), out: path('whole.img') })).toBe(0);
    expect(readFileSync(path('whole.img')).equals(bytes)).toBe(true);
  });

  it('is refused on a disk that is too small for it', async () => {
    const small = await image('small.img', { ...RECIPE, size: '50 MiB', volumes: [{ fileSystem: 'fat16' }] });
    const refused = restoreTable(small, { copy: path('table.json'), out: path('no.img') });
    await expect(refused).rejects.toMatchObject({ code: 'plan.refused' });
    expect(existsSync(path('no.img'))).toBe(false);
  });
});

describe('the papers of a run', () => {
  it('are its certificate, the manifests it was measured by, and its log', async () => {
    const img = await image('a.img');
    mkdirSync(path('papers'));
    expect(await run(img, { target: json('t.json', TARGET), out: path('p.img'), papers: path('papers') })).toBe(0);
    const names = readdirSync(path('papers'))
      .map((n) => n.replace(/log \S+\./, 'log.'))
      .sort();
    const papers = ['certificate.html', 'certificate.json', 'certificate.pdf', 'log.jsonl', 'log.txt'];
    expect(names).toEqual([...papers, 'manifest 1.csv', 'manifest 2.csv'].sort());
    const { volumes } = JSON.parse(read('papers/certificate.json')) as {
      volumes: { number: number; manifest: string }[];
    };
    for (const { number, manifest } of volumes)
      expect(
        createHash('sha256')
          .update(readFileSync(path(`papers/manifest ${number}.csv`)))
          .digest('hex'),
      ).toBe(manifest);
    const again = run(img, { target: path('t.json'), out: path('p2.img'), papers: path('papers') });
    await expect(again).rejects.toMatchObject({ code: 'file.exists' });
    await expect(run(img, { target: path('t.json'), out: path('p2.img'), papers: path('nowhere') })).rejects.toThrow(
      /no folder/,
    );
  });
});
