import { surveyDisk, layoutOf, type Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import { csvOf, manifestCsv } from '@/core/proof';
import { derivePlan } from '@/core/plan';
import { parseTarget, resolveTarget } from '@/core/job';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, SPLIT } from '@/core/run/fixtures/sticks';
import fc from 'fast-check';
import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import Papa from 'papaparse';
import { describe, expect, it } from 'vitest';
import { certificatePaper, htmlOf, ranLayouts, usedBy, jobSheet, pdfOf, pictureFile, pictureOf, volumeList } from '.';
import { filledTop, hatchPath, type Drawing } from './drawing';
import { escaped } from './markup';

const HOSTILE = '<script>alert(1)</script> & "x" \u202egnp.exe =1+1';
const stick = await buildStick();
const survey = await surveyDisk(stick);
const { layout: planned } = resolveTarget(survey, parseTarget(SPLIT));
const plan = derivePlan(survey, planned);
const BOX = { width: 515, height: 180 };

/** The same disk with a label on every volume that nobody would write. */
const labelled = (layout: Layout, label: string): Layout => ({
  ...layout,
  volumes: layout.volumes.map((v) => ({ ...v, label })),
});
const sheetOf = (label: string) =>
  jobSheet({
    ...{ disk: label, survey, plan, when: 'today', notes: label },
    now: labelled(layoutOf(survey), label),
    planned: labelled(planned, label),
  });

/** What a reader of XML makes of text. */
const unescaped = (text: string): string =>
  text.replace(
    /&(amp|lt|gt|quot|#39);/g,
    (_, name: string) => ({ amp: '&', lt: '<', gt: '>', quot: '"' })[name] ?? "'",
  );

describe('markup', () => {
  it('keeps every text whole and none of it markup', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        const out = escaped(text);
        expect(out).not.toMatch(/[<>"']|&(?!amp;|lt;|gt;|quot;|#39;)/);
        expect(out).not.toMatch(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\u202a-\u202e\u2066-\u2069]/);
        if (/^[\u0020-\u007e\u00a0-\u024f]*$/.test(text)) expect(unescaped(out)).toBe(text);
      }),
    );
  });

  it('writes half a letter, which XML can’t have, as what it is', () => {
    expect(escaped('a\ud800b')).toBe('a\\ud800b');
    expect(escaped('😀')).toBe('😀');
  });
});

describe('the picture of a disk', () => {
  const texts = ({ marks }: Drawing): string[] => marks.flatMap((m) => (m.kind === 'text' ? [m.text] : []));

  it('stays in its box and names every volume whole', () => {
    const sizes = fc.array(fc.integer({ min: 1, max: 40_000 }), { minLength: 1, maxLength: 40 });
    fc.assert(
      fc.property(sizes, fc.boolean(), (mib, beside) => {
        const base = planned.volumes[0]!;
        let at = 1024 * 1024;
        const volumes = mib.map((m, i) => {
          const volume = {
            ...base,
            id: `v${i}` as typeof base.id,
            start: at,
            length: m * 1024 * 1024,
            label: `L${i} <&>`,
          };
          at += volume.length;
          return volume;
        });
        const layout: Layout = { ...planned, diskSize: at + 1024 * 1024, volumes };
        const drawing = pictureOf(usedBy(survey), layout, beside ? layout : undefined, BOX);
        for (const mark of drawing.marks) {
          if (mark.kind !== 'box') continue;
          expect(mark.x).toBeGreaterThanOrEqual(0);
          expect(mark.x + mark.width).toBeLessThanOrEqual(drawing.width + 0.01);
          expect(mark.y + mark.height).toBeLessThanOrEqual(drawing.height + 0.01);
        }
        const said = texts(drawing).join('\n');
        for (const { label } of volumes) expect(said.split(label).length - 1).toBe(beside ? 2 : 1);
      }),
      { numRuns: 40 },
    );
  });

  it('is one XML file that loads nothing, whatever a label says', () => {
    const svg = pictureFile(survey, labelled(layoutOf(survey), HOSTILE), labelled(planned, HOSTILE));
    expect(svg).toContain('&lt;script&gt;alert(1)&lt;/script&gt; &amp; &quot;x&quot; \\u202egnp.exe');
    expect(svg).not.toMatch(/<script|href|url\(|<image|NaN|undefined/);
    expect(svg.match(/<(svg|title|path|rect|text)[\s>]/g)!.length).toBe(svg.match(/<(?!\/|\?)/g)!.length);
  });

  it('draws no line outside a hatched or a filled box', () => {
    const size = fc.double({ min: 1, max: 300, noNaN: true });
    fc.assert(
      fc.property(size, size, size, (width, height, filled) => {
        const box = { x: 10, y: 20, width, height };
        const numbers = [...hatchPath(box).matchAll(/[ML]([\d.-]+) ([\d.-]+)/g)];
        for (const [, x, y] of numbers) {
          expect(Number(x)).toBeGreaterThanOrEqual(10 - 0.01);
          expect(Number(x)).toBeLessThanOrEqual(10 + width + 0.01);
          expect(Number(y)).toBeGreaterThanOrEqual(20 - 0.01);
          expect(Number(y)).toBeLessThanOrEqual(20 + height + 0.01);
        }
        for (const [, y] of filledTop(box, filled, 4).matchAll(/V([\d.-]+)/g))
          expect(Number(y)).toBeLessThanOrEqual(20 + height + 0.01);
      }),
    );
  });
});

describe('a job sheet', () => {
  it('says which disk, what becomes of each volume, every step, and what to set again', () => {
    const said = JSON.stringify(sheetOf('STICK'));
    for (const word of ['50.3 MB', 'Work order', 'Before and after', 'Customer', 'gives 27 MiB'])
      expect(said).toContain(word);
    expect(said.match(/Shrink/g)).toHaveLength(1);
  });

  it('is HTML that loads and runs nothing, whatever the disk says', () => {
    const html = htmlOf(sheetOf(HOSTILE));
    expect(html).toContain("default-src 'none'");
    expect(html).not.toMatch(/<script|<iframe|<img|https?:\/\/(?!www\.w3\.org\/2000\/svg)/);
    expect(html).toContain('&lt;script&gt;alert(1)&lt;/script&gt;');
  });

  it('is a tagged PDF with its fonts in it', async () => {
    const require = createRequire(import.meta.url);
    const font = (name: string) => readFile(require.resolve(`dejavu-fonts-ttf/ttf/${name}.ttf`));
    const fonts = { regular: await font('DejaVuSansCondensed'), bold: await font('DejaVuSansCondensed-Bold') };
    const pdf = Buffer.from(await pdfOf(sheetOf(HOSTILE), fonts)).toString('latin1');
    expect(pdf.slice(0, 8)).toBe('%PDF-1.7');
    expect(pdf).toMatch(/\/StructTreeRoot/);
    expect(pdf).toMatch(/\/FontFile2/);
    expect(pdf.match(/\/Type \/Page\b/g)).toHaveLength(1);
    const long = await pdfOf(sheetOf(Array.from({ length: 200 }, (_, i) => `line ${i} 植`).join('\n')), fonts);
    expect(
      Buffer.from(long)
        .toString('latin1')
        .match(/\/Type \/Page\b/g)!.length,
    ).toBeGreaterThan(2);
  });
});

describe('a certificate', () => {
  it('tells counts, method, findings and the digest of each manifest', async () => {
    const disk = await buildStick();
    const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    const after: Survey = await surveyDisk(disk);
    const paper = certificatePaper({
      ...{
        disk: 'Stick',
        certificate,
        survey: after,
        now: layoutOf(after),
        ran: ranLayouts(survey, layoutOf(survey), planned, plan.steps),
      },
      time: (iso) => iso,
    });
    const said = JSON.stringify(paper);
    expect(paper.tone).toBe('good');
    expect(certificate.volumes[0]!.manifest).toMatch(/^[0-9a-f]{64}$/);
    for (const word of ['53', 'sound', 'bytes hashed', certificate.volumes[0]!.manifest!, 'Before'])
      expect(said).toContain(word);
    const bad = certificatePaper({
      disk: 'Stick',
      certificate: {
        ...certificate,
        outcome: 'differs',
        volumes: [
          {
            ...certificate.volumes[0]!,
            differing: 30,
            differences: Array.from({ length: 30 }, (_, i) => ({ path: `f${i}`, what: 'content' as const })),
          },
        ],
      },
      ...{ survey: after, now: layoutOf(after), time: (iso: string) => iso },
    });
    expect(bad.tone).toBe('bad');
    expect(JSON.stringify(bad)).toContain('and 10 more');
  });
});

describe('CSV', () => {
  it('is read back as it was written, and nothing in it is a formula', () => {
    const cell = fc.oneof(
      fc.string({ unit: 'binary' }),
      fc.constantFrom('=1+1', '=1\n2', '\t\n', '+x', '-x', '@x', '\tx', 'a,b', '"q"', 'l\nl'),
    );
    fc.assert(
      fc.property(fc.array(fc.array(cell, { minLength: 2, maxLength: 4 }), { minLength: 1, maxLength: 5 }), (rows) => {
        const back = Papa.parse<string[]>(csvOf(rows), { delimiter: ',', newline: '\r\n' }).data.slice(0, -1);
        expect(back.map((r) => r.length)).toEqual(rows.map((r) => r.length));
        for (const [i, row] of rows.entries())
          for (const [j, text] of row.entries()) {
            const read = back[i]![j]!;
            expect(read === text || read === `'${text}`).toBe(true);
            expect(read).not.toMatch(/^[=+\-@\t\r]/);
          }
      }),
    );
  });

  it('has a row for every volume, with bytes as inspect tells them', () => {
    const [head, row] = Papa.parse<string[]>(volumeList([{ name: 'stick.img', survey }])).data;
    const told = Object.fromEntries(head!.map((name, i) => [name, row![i]]));
    expect(told).toMatchObject({
      label: 'STICK',
      fileSystem: 'fat16',
      start: '1048576',
      size: String(47 * 1024 * 1024),
    });
  });

  it('writes a manifest in pieces that come to one table', () => {
    const entries = Array.from({ length: 4500 }, (_, i) => ({
      ...{ path: `=${i}`, kind: 'file' as const, size: i, times: {}, attributes: ['hidden'], sha256: 'ab' },
    }));
    const { data } = Papa.parse<string[]>([...manifestCsv(entries)].join(''));
    expect(data).toHaveLength(4502);
    expect(data[4500]!.slice(0, 4)).toEqual(["'=4499", '', 'file', '4499']);
  });
});
