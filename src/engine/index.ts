export { engine, EngineDied, given, listener, onEngineDeath } from './client';
export { Database } from './database';
export type { StoredDisk, StoredJob } from './database';
export type { EngineApi, FolderItem, ImageFormat, RunStatus } from './protocol';
