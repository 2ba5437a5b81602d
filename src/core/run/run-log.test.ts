import { MemoryDevice, UnreliableDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { logJsonLines, logText, MemoryJournal, resumeRun, startRun, type LogLine } from '.';
import { buildStick, NOW, planFor, SPLIT } from './fixtures/sticks';

const stick = await buildStick();
const { plan } = await planFor(stick, SPLIT);
const ports = (disk: MemoryDevice | UnreliableDevice, lines: LogLine[]) => ({
  ...{ disk, journal: new MemoryJournal(), now: NOW },
  log: (line: LogLine) => void lines.push(line),
});

describe('the log of a run', () => {
  it('has a line for the beginning, for the begin and end of every step, and for the end', async () => {
    const lines: LogLine[] = [];
    const disk = new MemoryDevice(stick.buffer.slice());
    const plainly = new MemoryDevice(stick.buffer.slice());
    await startRun(plan, ports(disk, lines));
    await startRun(plan, { disk: plainly, journal: new MemoryJournal(), now: NOW });
    // Counting changes nothing.
    expect(Buffer.compare(Buffer.from(disk.buffer), Buffer.from(plainly.buffer))).toBe(0);
    expect(lines.map((l) => l.what)).toEqual(['begun', ...plan.steps.flatMap(() => ['step', 'done']), 'finished']);
    const shrink = lines.find((l) => l.what === 'done' && /^Shrink/.test(l.title!))!;
    const { cost } = plan.steps.find((s) => s.kind === 'shrink')!;
    expect(shrink.written!).toBeGreaterThanOrEqual(cost.carries);
    expect(lines.filter((l) => l.what === 'done' && /read its files/.test(l.title!)).every((l) => l.read! > 0)).toBe(
      true,
    );
  });

  it('tells where it stopped and why, and that it was taken up', async () => {
    const lines: LogLine[] = [];
    const own = ports(new MemoryDevice(stick.buffer.slice()), lines);
    const abort = new AbortController();
    const stopping = {
      ...own,
      signal: abort.signal,
      log: (line: LogLine) => (own.log(line), line.step === 2 && abort.abort()),
    };
    await expect(startRun(plan, { ...stopping, log: (line) => void stopping.log(line) })).rejects.toMatchObject({
      code: 'run.stopped',
    });
    await resumeRun(own);
    const whats = lines.map((l) => l.what);
    expect(whats).toContain('stopped');
    expect(whats.slice(whats.indexOf('stopped') + 1)[0]).toBe('resumed');
    expect(whats.at(-1)).toBe('finished');
  });

  it('is text and JSON of one line each, whatever a label says', () => {
    const line: LogLine = {
      at: NOW(),
      what: 'done',
      step: 3,
      title: 'Label a\nb\u202e',
      seconds: 2,
      read: 1024,
      failed: 1,
    };
    expect(logText([line, line]).trimEnd().split('\n')).toEqual(
      Array(2).fill(`${NOW()}  Done, step 3: Label a\\u000ab\\u202e: 2 s, 1 KiB read, 1 reads or writes failed`),
    );
    expect(
      logJsonLines([line, line])
        .trimEnd()
        .split('\n')
        .map((l) => JSON.parse(l) as unknown),
    ).toEqual([line, line]);
  });
});
