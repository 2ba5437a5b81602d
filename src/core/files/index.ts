export { adoptionOf } from './adoption';
export { carryOut } from './carry-out';
export { canHold } from './links';
export { expectedAfter, isBelow } from './expected';
export type { Receipt } from './expected';
export { listingOf, listTree, type Tree } from './list-tree';
export { wayBackOf, type WayBack } from './way-back';
export { factsOfTransfer, transferFactsSchema } from './transfer-facts';
export type { TransferFacts } from './transfer-facts';
