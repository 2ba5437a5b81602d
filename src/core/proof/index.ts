export { certify, lossesOf } from './certificate';
export type { WipeProof, Certificate, Losses, VolumeProof } from './certificate';
export { compareManifests } from './compare';
export { csvOf, manifestCsv } from './csv';
export { digestWhole, portableHasher, takeManifest } from './manifest';
export type { Hasher, HasherFactory, ManifestEntry } from './manifest';
