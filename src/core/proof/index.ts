export { certify } from './certificate';
export type { Certificate, VolumeProof } from './certificate';
export { compareManifests } from './compare';
export type { Comparison, Difference } from './compare';
export { digestWhole, portableHasher, takeManifest } from './manifest';
export type { DigestMethod, Hasher, HasherFactory, ManifestEntry, ManifestProgress } from './manifest';
