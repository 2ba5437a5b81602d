/** Every write to the browser's stores of a whole run fails in every way: nothing is lost, and there is a way on. */
import { isAll } from '@/core/bytes/fixtures/filled';
import { DEEP } from '@/core/fixtures/rounds';
import 'fake-indexeddb/auto';
import { isCoreError } from '@/core/errors';
import { layoutOf } from '@/core/inspect';
import { derivePlan, scratchOn, type Plan } from '@/core/plan';
import { parseRecipe, type Recipe } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { Database } from './database';
import { drain } from './fixtures/drain';
import { FaultyDatabase, STORE_FAULTS } from './fixtures/faulty-database';
import { EngineHost } from './host';

const STRIDE = DEEP ? 1 : 8;
const volume = (label: string, size: string) => ({
  size,
  fileSystem: 'fat12',
  label,
  fill: [{ folder: 'f', count: 6, name: `${label} {n}.bin`, smallest: '2 KiB', largest: '9 KiB', fragments: 2 }],
});
const ring: Recipe = parseRecipe({
  version: 1,
  id: 'ring',
  name: 'Ring',
  medium: 'usb',
  size: '4 MiB',
  table: 'gpt',
  volumes: [volume('ONE', '1 MiB'), volume('TWO', '1 MiB')],
});
const spare: Recipe = parseRecipe({ ...ring, id: 'spare', name: 'Spare', table: 'none', volumes: [] });

let count = 0;

/** The two disks of a number, opened, whatever state they are in. */
async function opened(host: EngineHost, n: number) {
  const [id, other] = [`ring-${n}`, `spare-${n}`];
  return { id, other, survey: await host.openPractice(id, ring), lender: await host.openPractice(other, spare) };
}

/** Two disks of their own, with a plan that needs both. */
async function bench(host: EngineHost): Promise<{ id: string; other: string; plan: Plan }> {
  const { id, other, survey, lender } = await opened(host, ++count);
  const now = layoutOf(survey);
  const [one, two] = now.volumes;
  const volumes = [
    { ...two!, start: one!.start, label: 'FIRST' },
    { ...one!, start: two!.start },
  ];
  return { id, other, plan: derivePlan(survey, { ...now, volumes }, { scratch: scratchOn(lender, other, 'Spare') }) };
}

const bytesOf = (host: EngineHost, id: string): Promise<Uint8Array> =>
  drain((port) => host.serveImage(id, 'raw', port));

describe('a run in the browser', () => {
  it.each(STORE_FAULTS)('loses nothing where any write to a store meets “%s”', async (fault) => {
    const counting = new FaultyDatabase(undefined, 0);
    const undisturbed = new EngineHost(counting);
    const first = await bench(undisturbed);
    const original = await bytesOf(undisturbed, first.id);
    expect((await undisturbed.run(first.id, first.plan, {}, () => undefined)).proven).toBe(true);
    const expected = await bytesOf(undisturbed, first.id);
    expect(Buffer.compare(expected, original)).not.toBe(0);
    const { writes } = counting;
    expect(writes).toBeGreaterThan(30);
    let failed = 0;
    for (let n = STORE_FAULTS.indexOf(fault) % STRIDE; n < writes; n += STRIDE) {
      const said = `${fault} at write ${n}`;
      const host = new EngineHost(new FaultyDatabase(fault, n));
      const { id, plan } = await bench(host);
      const own = count;
      const run = await host.run(id, plan, {}, () => undefined).catch((error: unknown) => error);
      if (run instanceof Error) {
        failed += 1;
        if (fault === 'full') expect(isCoreError(run, 'storage.full'), `${said}: ${run.message}`).toBe(true);
      }
      // The page is loaded anew. What was kept is whole: either it is gone on with, or put back as it was.
      const again = new EngineHost(new Database());
      await opened(again, own);
      if (n % 2 === 0) {
        const status = await again.runStatus(id);
        const certificate = status
          ? await again.resume(id, () => undefined)
          : await again.run(id, plan, {}, () => undefined);
        expect(certificate.proven, said).toBe(true);
        expect(Buffer.compare(await bytesOf(again, id), expected), said).toBe(0);
      } else {
        await again.rewind(id);
        expect(Buffer.compare(await bytesOf(again, id), original), said).toBe(0);
      }
      const rest = await bytesOf(again, `spare-${own}`);
      expect(isAll(0, rest), said).toBe(true);
    }
    expect(failed).toBeGreaterThan(5);
  });

  it.each(STORE_FAULTS)('is put back whole where any write of the rewinding meets “%s”', async (fault) => {
    for (let n = 0; n < 8; n++) {
      const before = new EngineHost(new Database());
      const { id, plan, other } = await bench(before);
      const own = count;
      const original = await bytesOf(before, id);
      // Stopped while the volume is on the other disk only.
      const back = plan.steps.findIndex((s) => s.kind === 'carry' && s.from.disk === other);
      const stopped = before.run(id, plan, {}, ({ step, state }) => {
        if (step === back - 1 && state === 'working') void before.stop(id);
      });
      await expect(stopped).rejects.toMatchObject({ code: 'run.stopped' });
      const host = new EngineHost(new FaultyDatabase(fault, n));
      await opened(host, own).catch(() => undefined);
      await host.rewind(id).catch(() => undefined);
      const again = new EngineHost(new Database());
      await again.openPractice(id, ring);
      await again.openPractice(other, spare);
      await again.rewind(id);
      expect(Buffer.compare(await bytesOf(again, id), original), `write ${n}`).toBe(0);
      expect(isAll(0, await bytesOf(again, other)), `write ${n}`).toBe(true);
    }
  });
});
