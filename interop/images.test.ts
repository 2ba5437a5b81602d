/** Images of other forms that the runner writes, unpacked by an independent reader; and papers, read by one. */
import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { sparseVmdk } from '../src/core/image/fixtures/vmdk';
import { filesOf, read, scratch, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());
const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
const LABEL = 'A<b>&"x" Ωд植';

beforeAll(() => {
  const fill = [{ folder: 'x', count: 40, name: 'f{nn}.bin', smallest: '2 KiB', largest: '300 KiB', near: 0.8 }];
  const disk = { version: 1, id: 'i', name: 'i', medium: 'usb', size: '96 MiB', table: 'gpt' };
  const volumes = [{ fileSystem: 'ntfs', label: LABEL, size: '64 MiB', fill }];
  writeFileSync(box.path('r.json'), JSON.stringify({ ...disk, volumes }));
  expect(ullager('make', box.path('r.json'), '--out', box.path('d.img')).code).toBe(0);
  writeFileSync(
    box.path('t.json'),
    JSON.stringify({
      volumes: [
        { keep: 1, size: '30 MiB' },
        { create: 'ext4', label: '<s>=1+1' },
      ],
    }),
  );
});

it.each(['vhd', 'vhdx', 'qcow2', 'zip'])('a %s is unpacked to the same disk, and opened as it', (kind) => {
  const file = box.path(`d.${kind}`);
  expect(ullager('convert', box.path('d.img'), '--out', file).code).toBe(0);
  const raw = execFileSync('7zz', ['x', `-t${kind === 'qcow2' ? 'qcow' : kind}`, '-so', file], { maxBuffer: 2 ** 28 });
  expect(sha256(raw)).toBe(sha256(readFileSync(box.path('d.img'))));
  expect(filesOf(file)).toEqual(filesOf(box.path('d.img')));
  const said = read('file', ['-b', file]);
  expect(said).toMatch({ vhd: /^Microsoft Disk Image, /, vhdx: /eXtended/, qcow2: /QCOW/, zip: /^Zip/ }[kind]!);
});

it('a sparse VMDK is read as the independent reader reads it', () => {
  const raw = readFileSync(box.path('d.img'));
  writeFileSync(box.path('d.vmdk'), sparseVmdk(raw, 'stored'));
  const theirs = execFileSync('7zz', ['x', '-tvmdk', '-so', box.path('d.vmdk')], { maxBuffer: 2 ** 28 });
  expect(sha256(theirs)).toBe(sha256(raw));
  expect(filesOf(box.path('d.vmdk'))).toEqual(filesOf(box.path('d.img')));
});

it('an image in parts is written, put together by anybody, and opened by its first', () => {
  const out = box.path('p.001');
  expect(ullager('convert', box.path('d.img'), '--out', out, '--parts', '40 MiB').code).toBe(0);
  const parts = ['001', '002', '003'].map((n) => readFileSync(box.path(`p.${n}`)));
  expect(sha256(Buffer.concat(parts))).toBe(sha256(readFileSync(box.path('d.img'))));
  expect(filesOf(out)).toEqual(filesOf(box.path('d.img')));
  expect(ullager('convert', box.path('d.img'), '--out', out, '--parts', '40 MiB').code).toBe(2);
});

it('papers are read by programs of their kind, whole labels and all', () => {
  const [pdf, svg, csv] = [box.path('s.pdf'), box.path('s.svg'), box.path('l.csv')];
  const planned = ['--target', box.path('t.json')];
  expect(ullager('sheet', box.path('d.img'), ...planned, '--out', pdf).code).toBe(0);
  expect(ullager('picture', box.path('d.img'), ...planned, '--out', svg).code).toBe(0);
  expect(ullager('list', box.path('d.img'), '--out', csv).code).toBe(0);
  const text = read('pdftotext', ['-layout', pdf, '-']);
  for (const words of [LABEL, '<s>=1+1', 'Shrink', 'Notes']) expect(text).toContain(words);
  const info = read('pdfinfo', [pdf]);
  expect(info).toMatch(/Pages: +1\n/);
  expect(info).toMatch(/Tagged: +yes/);
  expect(read('pdffonts', [pdf])).not.toMatch(/ no +(?:yes|no) +(?:yes|no) +\d/);
  const tree = read('python3', ['-c', XML, svg]);
  expect(tree).toContain(LABEL);
  const [head, row] = JSON.parse(read('python3', ['-c', CSV, csv])) as string[][];
  expect(row![head!.indexOf('label')]).toBe(LABEL);
});

const XML = `import sys, xml.etree.ElementTree as t
print("\\n".join(e.text or "" for e in t.parse(sys.argv[1]).iter()))`;
const CSV = `import sys, csv, json
print(json.dumps(list(csv.reader(open(sys.argv[1], newline="", encoding="utf-8")))))`;
