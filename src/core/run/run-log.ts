/** The log of a run: what happened when, step by step, with what was read and written. Plain data, a line each. */
import { plain } from '@/core/bytes';
import { MeteredDevice, type DeviceUse } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { durationWords, stepWords, type Step } from '@/core/plan';
import { formatSize, spaced } from '@/core/size';
import type { RunPorts } from './ports';

/** A line of a log. */
export interface LogLine {
  /** When, in ISO 8601. */
  readonly at: string;
  readonly what: 'begun' | 'resumed' | 'step' | 'done' | 'stopped' | 'failed' | 'finished' | 'rewound' | 'cut off';
  /** Of which step, from 1, and what it is called. */
  readonly step?: number;
  readonly title?: string;
  readonly seconds?: number;
  /** Bytes. */
  readonly read?: number;
  readonly written?: number;
  /** Barriers. */
  readonly flushes?: number;
  /** How often reading or writing failed, tries again counted one by one. */
  readonly failed?: number;
  readonly message?: string;
}

const WORDS: Readonly<Record<LogLine['what'], string>> = {
  begun: 'Begun',
  resumed: 'Taken up',
  step: 'Begins',
  done: 'Done',
  stopped: 'Stopped',
  failed: 'Failed',
  finished: 'Finished',
  rewound: 'Put back as it was',
  'cut off': 'Cut off',
};

/** A log is not kept beyond so many lines; the last then says so. */
const MOST_LINES = 20_000;

const NOTHING: DeviceUse = { read: 0, written: 0, flushes: 0, failed: 0 };

/** Writes the log of one run, and counts what its steps do with the disks. */
export class RunLog {
  readonly ports: RunPorts;
  readonly #devices: readonly MeteredDevice[];
  #lines = 0;
  #begun = 0;

  constructor(ports: RunPorts) {
    if (!ports.log) {
      this.ports = ports;
      this.#devices = [];
      return;
    }
    const disk = new MeteredDevice(ports.disk);
    const others = new Map([...(ports.others ?? [])].map(([id, device]) => [id, new MeteredDevice(device)] as const));
    const original = ports.original && new MeteredDevice(ports.original);
    this.ports = { ...ports, disk, others, ...(original ? { original } : {}) };
    this.#devices = [disk, ...others.values(), ...(original ? [original] : [])];
  }

  #clock(): number {
    return Date.parse(this.ports.now());
  }

  begun(what: 'begun' | 'resumed', message: string): void {
    this.#note({ what, message });
  }

  step(index: number, step: Step): void {
    this.#take();
    this.#begun = this.#clock();
    this.#note({ what: 'step', step: index + 1, title: stepWords(step).title });
  }

  done(index: number, step: Step): void {
    const seconds = Math.max(0, (this.#clock() - this.#begun) / 1000);
    this.#note({ what: 'done', step: index + 1, title: stepWords(step).title, seconds, ...this.#take() });
  }

  /** Why a run did not go on. */
  ended(index: number, error: unknown): void {
    const stopped = isCoreError(error, 'run.stopped');
    const message = error instanceof Error ? error.message : String(error);
    this.#note({ what: stopped ? 'stopped' : 'failed', step: index + 1, message, ...this.#take() });
  }

  finished(message: string): void {
    this.#note({ what: 'finished', message });
  }

  #take(): DeviceUse {
    return this.#devices.reduce((sum, device) => {
      const use = device.take();
      return {
        read: sum.read + use.read,
        written: sum.written + use.written,
        flushes: sum.flushes + use.flushes,
        failed: sum.failed + use.failed,
      };
    }, NOTHING);
  }

  #note(line: Omit<LogLine, 'at'>): void {
    const { log, now } = this.ports;
    if (!log || this.#lines > MOST_LINES) return;
    this.#lines += 1;
    log(
      this.#lines > MOST_LINES
        ? { at: now(), what: 'cut off', message: 'What comes is not written down any more.' }
        : { at: now(), ...line },
    );
  }
}

/** A line in words. */
export function logWords({ at, what, step, title, seconds, read, written, flushes, failed, message }: LogLine): string {
  const of = step === undefined ? '' : `, step ${step}`;
  const figures = [
    ...(seconds === undefined ? [] : [durationWords(seconds)]),
    ...(read ? [`${formatSize(read)} read`] : []),
    ...(written ? [`${formatSize(written)} written`] : []),
    ...(flushes ? [`${spaced(flushes)} barriers`] : []),
    ...(failed ? [`${spaced(failed)} reads or writes failed`] : []),
  ];
  const rest = [title, message, figures.join(', ')].filter(Boolean).join(': ');
  return plain(`${at}  ${WORDS[what]}${of}${rest ? `: ${rest}` : ''}`);
}

/** A log as text. */
export const logText = (lines: readonly LogLine[]): string => lines.map((line) => `${logWords(line)}\n`).join('');

/** A log as JSON, a line each. */
export const logJsonLines = (lines: readonly LogLine[]): string =>
  lines.map((line) => `${JSON.stringify(line)}\n`).join('');
