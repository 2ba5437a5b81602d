/** Files as the runner touches them: the one layer all of them go through, and what is built on it. */
export { FileDevice, FileSource } from './file-device';
export { systemFiles } from './files';
export type { DeviceFacts } from './block-device';
export type { FileFacts, Files, OpenFile } from './files';
export { holding } from './locks';
export type { Wanted } from './locks';
export { assertApart, assertNew, createBeside, makeBytes, makeFile, makeText, nameOfFile, publish } from './new-file';
export { partMarkOf, SCRATCH } from './names';
export { makeSpill } from './spill';
export { forgetCached, readTableAgain } from './system-device';
export { readWhole, writeWhole } from './whole';
export { writeParts } from './write-parts';
export { packingOf, writeImage, writeRaw } from './write-image';
