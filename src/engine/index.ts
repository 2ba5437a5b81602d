export { engine, EngineDied, given, giveUpEngine, listener, onEngineDeath, watchEngine } from './client';
export { Database } from './database';
export type { StoredDisk, StoredJob } from './database';
export type { EngineApi, FolderItem, ImageFormat, RunStatus, StorageUse } from './protocol';
export { guardQuota } from './stores';
