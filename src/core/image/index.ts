export { containerOf, openContainer } from './containers';
export { exportGzip, exportOccupied, exportRaw } from './export';
export { fingerprintImage, sameContent, sameImage } from './fingerprint';
export type { ImageFingerprint } from './fingerprint';
export { ImageDevice } from './image-device';
export type { ByteSource } from './image-device';
export { exportQcow2 } from './qcow2';
