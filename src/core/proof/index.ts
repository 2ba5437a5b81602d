export { certify, lossesOf } from './certificate';
export type { WipeProof, Certificate, Losses, VolumeProof } from './certificate';
export { compareManifests } from './compare';
export { csvOf, manifestCsv } from './csv';
export { portableHasher } from './hasher';
export type { Hasher, HasherFactory } from './hasher';
export { digestWhole, takeManifest } from './manifest';
export type { ManifestEntry } from './manifest';
