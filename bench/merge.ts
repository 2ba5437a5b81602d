/** Two volumes of one kind merged where everything lies: what is carried, what is written about it, how long it takes. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { MeteredDevice } from '@/core/device';
import { lookAtTransfers, parseTarget, resolveTarget, transferWishes } from '@/core/job';
import { derivePlan } from '@/core/plan';
import { MemoryJournal, startRun, type RunProgress } from '@/core/run';
import { Session } from '@/core/session';
import { make } from '@/cli/verbs/make';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { box, MIB, now, quietly } from './common';
import { figure } from './figures';

const FILES = 50_000;

export async function benchMerge(fileSystem: string): Promise<void> {
  const fill = ['a', 'b', 'c', 'd', 'e'].map((folder) => ({
    folder,
    count: FILES / 5,
    name: 'file {nnnnn}.bin',
    smallest: '1 KiB',
    largest: '15 KiB',
  }));
  const volume = { size: '1000 MiB', fileSystem, clusterSize: 4096, fill };
  const volumes = ['FIRST', 'SECOND'].map((label) => ({ ...volume, label }));
  const facts = { version: 1, id: 'm', name: 'm', medium: 'ssd', size: '2010 MiB', table: 'gpt', volumes };
  const [recipe, image] = [join(box, 'merge.json'), join(box, 'merge.img')];
  writeFileSync(recipe, JSON.stringify(facts));
  await quietly(() => make(recipe, { out: image }));
  const file = await FileDevice.open(systemFiles, image, 512);
  const disk = new MeteredDevice(file);
  const session = await Session.open(disk, 'merge');
  const { survey } = session;
  const target = parseTarget({
    volumes: [{ keep: 1, size: 'rest', as: 'all' }],
    remove: [2],
    transfers: [{ from: { volume: 2 }, folder: '', to: 'all', under: 'second', then: 'remove' }],
  });
  const resolved = resolveTarget(survey, target);
  const open = async ({ number }: { number: number }) => (await session.volume(number)).volume;
  const transfers = await lookAtTransfers(transferWishes(target, resolved, new Set()), resolved.layout, open);
  const plan = derivePlan(survey, resolved.layout, { transfers });
  const step = plan.steps.findIndex((s) => s.kind === 'adopt');
  if (step < 0) throw new Error(`${fileSystem}: nothing is taken over where it lies`);
  let [from, seconds, written, most] = [0, 0, 0, 0];
  const progress = (p: RunProgress): void => {
    most = Math.max(most, process.memoryUsage().rss);
    if (p.step !== step) return;
    if (from === 0) {
      disk.take();
      from = performance.now();
    }
    if (p.state === 'done') [seconds, written] = [(performance.now() - from) / 1000, disk.take().written];
  };
  const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), progress, now });
  const found = certificate.volumes.some((v) => v.findings.length > 0);
  await file.close();
  rmSync(image);
  if (!certificate.proven || found) throw new Error(`${fileSystem}: merged, and not proven or not sound`);
  figure({
    area: 'Run',
    what: `two ${fileSystem} volumes merged where everything lies, ${2 * FILES} files`,
    value: seconds,
    unit: 's',
    better: 'less',
    beside: `${plan.total.carries} bytes carried, ${(written / MIB).toFixed(0)} MiB written, ${(most / MIB).toFixed(0)} MiB resident`,
  });
}
