export { engine, EngineDied, given, giveUpEngine, listener, onEngineDeath, watchEngine } from './client';
export { Database } from './database';
export type { StoredDisk } from './database';
export type { BuildWhen, FolderItem, Found, Notable, RoomItem, RunStatus, StorageUse } from './protocol';
export { guardQuota } from './stores';
