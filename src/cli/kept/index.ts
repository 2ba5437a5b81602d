/** What runs of the runner keep in files: logs of records, and volumes that are set aside. */
export { FileLog } from './file-log';
export { claimScratch, makeScratch, openScratch, othersOf, removeScratch, scratchIn } from './scratch';
