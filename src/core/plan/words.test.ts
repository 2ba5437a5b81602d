import type { Survey } from '@/core/inspect';
import { layoutOf } from '@/core/inspect';
import { buildStick, planFor } from '@/core/run/fixtures/sticks';
import { HERE } from '@/core/place';
import { describe, expect, it } from 'vitest';
import { durationWords, lossWords, secondsFor, speedOf, stepWords, type Step } from '.';
import { afterOf } from './after';
import { hazardsOf } from './hazards';

const cost = { reads: 2 ** 30, carries: 0, writes: 0, seconds: 1 };
const at = { disk: HERE, start: 2 ** 20, length: 3 * 2 ** 30 };
const to = (start: number, length: number) => ({ disk: HERE, start, length });
const spare = { disk: 'd', start: 0, length: at.length };

const MBR = { kind: 'mbr', diskSignature: 1, primaries: [], logicals: [] } as const;

describe('steps in words', () => {
  it.each<[Step, string, string]>([
    [
      { kind: 'check', name: 'E X', number: 1, by: 'files', changes: true, at, files: 1, cost },
      'Check E X and read its files',
      '1 file, nothing written',
    ],
    [
      { kind: 'check', name: 'E X', number: 1, by: 'whole', changes: false, at, files: 0, cost },
      'Read E X whole',
      'byte for byte',
    ],
    [
      { kind: 'shrink', name: 'E X', at, to: 2 ** 30, cost: { ...cost, carries: 0 } },
      'Shrink E X to 1 GiB',
      'nothing sits past the new end',
    ],
    [
      { kind: 'shrink', name: 'E X', at, to: 2 ** 30, cost: { ...cost, carries: 2 ** 20 } },
      'Shrink E X to 1 GiB',
      '1 MiB sits past the new end and is carried in',
    ],
    [
      { kind: 'carry', name: 'E X', number: 1, from: at, to: to(2 ** 32, 2 ** 30), whole: false, aside: false, cost },
      'Move E X 4 GiB towards the end, made 1 GiB long on the way',
      'in use is carried, free space is not',
    ],
    [
      { kind: 'carry', name: 'E X', number: 1, from: at, to: to(2 ** 32, at.length), whole: true, aside: true, cost },
      'Set E X aside',
      'every byte',
    ],
    [
      { kind: 'carry', name: 'E X', number: 1, from: at, to: spare, other: 'Spare', whole: false, aside: true, cost },
      'Set E X aside on Spare',
      'nowhere else meanwhile',
    ],
    [
      { kind: 'carry', name: 'E X', number: 1, from: spare, to: at, other: 'Spare', whole: false, aside: false, cost },
      'Bring E X back from Spare',
      'is carried',
    ],
    [
      { kind: 'empty', name: 'E X', place: spare, other: 'Spare', cost },
      'Clear what was set aside on Spare',
      'E X is whole here',
    ],
    [
      { kind: 'remove', name: 'E X', at, loses: { files: 12, bytes: 2 ** 20 }, cost },
      'Remove E X',
      'lost: 12 files, 1 MiB',
    ],
    [
      { kind: 'table', name: '', table: MBR, from: 'mbr', volumes: 2, mends: [], cost },
      'Write the partition table',
      '2 volumes',
    ],
    [
      { kind: 'table', name: '', table: MBR, from: 'gpt', volumes: 1, mends: [], cost },
      'Convert the GUID table to a master boot record',
      '1 volume, no file is touched',
    ],
    [{ kind: 'grow', name: 'E X', at, from: 2 ** 30, cost }, 'Grow E X to 3 GiB', 'from 1 GiB'],
    [
      {
        kind: 'make',
        name: 'F',
        at,
        fileSystem: 'ntfs',
        label: '',
        clusterSize: 4096,
        serial: 1,
        format: 'full',
        cost,
      },
      'Make F, 3 GiB NTFS',
      'full format',
    ],
    [{ kind: 'relabel', name: 'E X', at, label: '', cost }, 'Label E X', 'the label is taken away'],
    [
      { kind: 'prove', name: 'E X', number: 1, by: 'whole', at, files: 0, cost },
      'Prove E X: compare every byte',
      '1 GiB read again',
    ],
  ])('%#', (step, title, detail) => {
    const words = stepWords(step);
    expect(words.title).toBe(title);
    expect(words.detail).toContain(detail);
  });

  it('follow the unit system', () => {
    const step: Step = { kind: 'grow', name: 'E', at: to(0, 5e9), from: 1e9, cost };
    expect(stepWords(step, 'decimal').title).toBe('Grow E to 5 GB');
    expect(lossWords({ files: 0, bytes: 5e9 }, 'decimal')).toBe('5 GB');
  });
});

describe('time', () => {
  it.each([
    [0, 'under 1 s'],
    [89, '89 s'],
    [91, '2 min'],
    [5400, '1 h 30 min'],
    [7200, '2 h'],
  ])('%i s is %s', (seconds, words) => expect(durationWords(seconds)).toBe(words));

  it('comes from the medium: a stick is slower than an SSD, and seeks cost a hard disk most', () => {
    const time = (medium: 'hdd' | 'ssd' | 'usb', seeks: number): number => secondsFor(speedOf(medium), 1e9, 1e9, seeks);
    expect(time('usb', 0)).toBeGreaterThan(time('ssd', 0));
    expect(time('hdd', 1000) - time('hdd', 0)).toBeGreaterThan(time('ssd', 1000) - time('ssd', 0));
  });
});

describe('what a person should know', () => {
  it('is nothing when nothing is done, else the backup and whatever the check found', async () => {
    const { survey, plan } = await planFor(await buildStick(), { volumes: [{ keep: 1, size: '20 MiB' }] });
    expect(hazardsOf(survey, [], plan.total)).toEqual([]);
    const finding = { severity: 'warning' as const, code: 'x', message: 'It was not put away.' };
    const warned: Survey = { ...survey, volumes: survey.volumes.map((v) => ({ ...v, findings: [finding] })) };
    const messages = hazardsOf(warned, plan.steps, plan.total).map((h) => h.message);
    expect(messages[0]).toBe('Volume 1: It was not put away.');
    expect(messages.some((m) => m.includes('backup'))).toBe(true);
    expect(messages.some((m) => m.includes('power supply'))).toBe(false);
    const long = hazardsOf(survey, plan.steps, { ...plan.total, seconds: 3600 });
    expect(long.some((h) => h.message.includes('about 60 min'))).toBe(true);
  });

  it('counts failing sectors, and says where dead ones hit what is in use', async () => {
    const { survey, plan } = await planFor(await buildStick(), { volumes: [{ keep: 1, size: '20 MiB' }] });
    const at = (start: number, sectors: number): { start: number; end: number } => ({
      start,
      end: start + sectors * 512,
    });
    const told = (dead: number): string =>
      hazardsOf(survey, plan.steps, plan.total, { failing: { weak: [at(4096, 20)], dead: [at(dead, 1)] } })
        .map((h) => h.message)
        .join(' ');
    expect(told(survey.volumes[0]!.start)).toMatch(
      /20 sectors .* further try.* 1 sector can’t be read .* volume 1 is lost/,
    );
    expect(told(survey.size - 512)).toMatch(/Nothing in use/);
  });

  it('names the restart that changing a system in use needs', async () => {
    const { plan } = await planFor(await buildStick(), { volumes: [{ keep: 1, size: '20 MiB', role: 'system' }] });
    expect(plan.restart).toBe('STICK is in use while its system runs');
    expect(
      (await planFor(await buildStick(), { volumes: [{ keep: 1, size: '20 MiB' }] })).plan.restart,
    ).toBeUndefined();
  });

  it('names the letters that must be set again', async () => {
    const { survey } = await planFor(await buildStick(), { volumes: [{ keep: 1 }] });
    const now = layoutOf(survey);
    const added = { ...now.volumes[0]!, origin: { kind: 'new' as const }, letter: 'F', label: 'SCANS' };
    expect(afterOf(survey, { ...now, volumes: [...now.volumes, added] })).toEqual([
      expect.stringContaining('Set the letter F for SCANS'),
    ]);
    expect(afterOf(survey, now)).toEqual([]);
  });
});
