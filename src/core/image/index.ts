export { exportOccupied, exportRaw } from './export';
export { fingerprintImage, sameImage } from './fingerprint';
export type { ImageFingerprint } from './fingerprint';
export { assertRawImage, ImageDevice } from './image-device';
export type { ByteSource } from './image-device';
