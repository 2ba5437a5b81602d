/** The verbs that read a whole disk: find, scan, speed. */
import { WindowDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { measureSpeed, scan as scanDevice, type Stretch } from '@/core/health';
import { findDocument, hitsOf, hitWords, scanDocument, type Hit } from '@/core/inspect';
import { formatSize, spaced } from '@/core/size';
import { systemFiles } from '../files';
import type { OpenImage } from '../open-image';
import { EXIT, print, UsageError } from '../output';
import { looking, type LookOptions } from './look';

/** Seconds on the machine's clock. */
const clock = (): number => performance.now() / 1000;

/** Volumes that no table names. */
export const find = (path: string, options: LookOptions, files = systemFiles): Promise<number> =>
  looking(path, { ...options, tableless: true }, files, async ({ session }) => {
    const { lost = [] } = await session.find();
    const document = findDocument(lost);
    const words = document.volumes.map(
      (v) =>
        `${v.number}  at ${formatSize(v.start)}  ${v.size.binary}  ${v.fileSystem}  ${v.label || '-'}  ${spaced(v.files)} files, ${spaced(v.whole)} of them whole`,
    );
    print(document, words.length > 0 ? words : ['Nothing was found that no entry names.'], options.json);
    return EXIT.done;
  });

/** The stretch that is meant: a volume, or the whole disk. */
function stretchOf({ session, device }: OpenImage, number: string | undefined): Stretch {
  if (number === undefined) return { start: 0, end: device.size };
  const volume = session.survey.volumes.find((v) => v.number === Number(number));
  if (!volume) throw new UsageError(`There is no volume ${number} on the disk.`);
  return { start: volume.start, end: Math.min(device.size, volume.start + volume.length) };
}

/** Reads every sector. */
export const scan = (path: string, options: LookOptions, files = systemFiles): Promise<number> =>
  looking(path, { ...options, tableless: true }, files, async (image) => {
    const { device, session } = image;
    const stretch = stretchOf(image, options.volume);
    const [faults, slow]: [Stretch[], Stretch[]] = [[], []];
    const begun = clock();
    for await (const event of scanDevice(device, [stretch], { clock })) {
      if (event.kind === 'fault') faults.push(event);
      if (event.kind === 'slow') slow.push(event);
    }
    const seconds = clock() - begun;
    const opened = async (number: number) =>
      session.volume(number).then(
        ({ volume }) => volume,
        (error: unknown) => {
          if (!isCoreError(error)) throw error;
          return undefined;
        },
      );
    const hit = async (places: readonly Stretch[]): Promise<Hit[]> => hitsOf(session.survey, places, opened);
    const document = scanDocument({
      stretch,
      seconds,
      sectorSize: device.sectorSize,
      faults: await hit(faults),
      slow: await hit(slow),
    });
    const words = [
      `${formatSize(document.bytes)} read in ${seconds.toFixed(1)} s`,
      ...document.faults.map((h) => `can’t be read: ${hitWords(h)}`),
      ...document.slow.map((h) => `slow: ${hitWords(h)}`),
      ...(faults.length + slow.length === 0 ? ['Every sector can be read.'] : []),
    ];
    print(document, words, options.json);
    return faults.length > 0 ? EXIT.no : EXIT.done;
  });

/** How fast it is read. */
export const speed = (path: string, options: LookOptions, files = systemFiles): Promise<number> =>
  looking(path, { ...options, tableless: true }, files, async (image) => {
    const { start, end } = stretchOf(image, options.volume);
    const window = new WindowDevice(image.device, start, end - start);
    const taken = new Date().toISOString();
    const result = await measureSpeed(window, { clock, measured: 'file', taken });
    const rates = result.course.map((c) => c.bytesPerSecond);
    const rate = (bytes: number): string => `${formatSize(bytes)}/s`;
    const words = [
      'Reading this file on this machine, which says nothing of the disk it is an image of.',
      ...(rates.length > 0
        ? [`from start to end: ${rate(Math.max(...rates))} at most, ${rate(Math.min(...rates))} at least`]
        : []),
      ...result.blocks.map((b) => `blocks of ${formatSize(b.size)}: ${rate(b.bytesPerSecond)}`),
      `at random, ${formatSize(result.random.size)} each: ${spaced(Math.round(result.random.readsPerSecond))} a second`,
      ...(result.failed > 0 ? [`${spaced(result.failed)} places could not be read.`] : []),
    ];
    print(result, words, options.json);
    return result.failed > 0 ? EXIT.no : EXIT.done;
  });
