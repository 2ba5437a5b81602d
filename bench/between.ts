/** Copying a volume from another image, and taking its files to a new volume, against a plain copy of the same bytes. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { nodeHasher } from '@/cli/node-hasher';
import { copySourcesOf, surveyDisk } from '@/core/inspect';
import { lookAtTransfers, parseTarget, resolveTarget, transferWishes, type TargetInput } from '@/core/job';
import { totalOf } from '@/core/fs';
import { isHere } from '@/core/place';
import { derivePlan } from '@/core/plan';
import { MemoryJournal, startRun, type RunProgress } from '@/core/run';
import { Session } from '@/core/session';
import { make } from '@/cli/verbs/make';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { box, MIB, plainCopy, quietly, rate, settle } from './common';
import { figure, median } from './figures';
import { timed } from './timed';

const OLD = 'old';
/** Disks are fast at one moment and slow at the next. */
const ROUNDS = 5;
const CASES: readonly (readonly [string, 'carry' | 'transfer', TargetInput])[] = [
  ['a volume copied', 'carry', { table: 'gpt', volumes: [{ copy: 1, from: OLD }] }],
  [
    'its files taken to exFAT',
    'transfer',
    {
      table: 'gpt',
      volumes: [{ create: 'exfat', as: 'to' }],
      transfers: [{ from: { disk: OLD, volume: 1 }, folder: '', to: 'to' }],
    },
  ],
  [
    'its files taken to NTFS',
    'transfer',
    {
      table: 'gpt',
      volumes: [{ create: 'ntfs', as: 'to' }],
      transfers: [{ from: { disk: OLD, volume: 1 }, folder: '', to: 'to' }],
    },
  ],
];

/** What a case comes to: bytes, and seconds that the step that carries them took. */
interface BetweenResult {
  readonly bytes: number;
  readonly seconds: number;
}

/** @param image an image with one volume */
async function runBetween(image: string): Promise<BetweenResult[]> {
  const old = await FileDevice.open(systemFiles, image, 512);
  const session = await Session.open(old, OLD);
  const { survey } = session;
  const out: BetweenResult[] = [];
  for (const [name, kind, input] of CASES) {
    const to = join(box, 'between-to.img');
    const disk = await FileDevice.create(systemFiles, to, old.size + 2 ** 28, 512);
    const empty = await surveyDisk(disk);
    const target = parseTarget(input);
    const resolved = resolveTarget(empty, target, new Map([[OLD, copySourcesOf(survey, OLD, OLD)]]));
    const open = async (ref: { disk: string; number: number }) => {
      if (isHere(ref)) throw new RangeError('nothing is on the disk itself');
      return (await session.volume(ref.number)).volume;
    };
    const transfers = await lookAtTransfers(transferWishes(target, resolved, new Set([OLD])), resolved.layout, open);
    const plan = derivePlan(empty, resolved.layout, { disks: [{ disk: OLD, name: OLD, survey }], transfers });
    settle();
    const step = plan.steps.findIndex((s) => s.kind === kind);
    let [from, seconds] = [0, 0];
    const progress = (p: RunProgress): void => {
      if (p.step !== step) return;
      if (from === 0) from = performance.now();
      if (p.state === 'done') seconds = (performance.now() - from) / 1000;
    };
    const ports = { disk, others: new Map([[OLD, old]]), journal: new MemoryJournal(), hasher: nodeHasher, progress };
    const certificate = await startRun(plan, { ...ports, now: () => new Date().toISOString(), alwaysBytes: true });
    if (!certificate.proven) throw new Error(`${name}: not proven`);
    await disk.close();
    const bytes = kind === 'carry' ? totalOf(survey.volumes[0]!.allocation) : transfers[0]!.facts.bytes;
    rmSync(to);
    out.push({ bytes, seconds });
  }
  await old.close();
  return out;
}

/** Between disks, against a plain copy of as many bytes. */
export async function benchBetween(): Promise<void> {
  const image = join(box, 'between.img');
  const fill = [{ folder: 'f', count: 300, name: 'f{nnn}.bin', smallest: '1 MiB', largest: '5 MiB' }];
  const volumes = [{ size: 'rest', fileSystem: 'ntfs', label: 'OLD', fill }];
  const facts = { version: 1, id: 'between', name: 'between', medium: 'ssd', size: '1500 MiB', table: 'mbr', volumes };
  writeFileSync(join(box, 'between.json'), JSON.stringify(facts));
  await quietly(() => make(join(box, 'between.json'), { out: image }));
  const rounds: { readonly results: readonly BetweenResult[]; readonly plain: number }[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    const results = await runBetween(image);
    settle();
    const copy = join(box, 'between-plain.img');
    rounds.push({ results, plain: await timed(() => plainCopy(image, copy, results[0]!.bytes, 2 * MIB)) });
    rmSync(copy);
  }
  const plain = median(rounds.map((r) => r.plain));
  for (const [i, [name, kind]] of CASES.entries()) {
    const { bytes } = rounds[0]!.results[i]!;
    const seconds = median(rounds.map((r) => r.results[i]!.seconds));
    const all = rounds[0]!.results[0]!.bytes;
    figure({
      area: 'Between disks',
      what: `${name}, of the speed of a plain copy`,
      value: plain / all / (seconds / bytes),
      unit: 'x',
      better: 'more',
      wanted: kind === 'carry' ? 0.8 : 0.6,
      beside: `median of ${ROUNDS}: ${seconds.toFixed(2)} s, ${rate(bytes, seconds)}; plain copy ${rate(all, plain)}`,
    });
  }
}
