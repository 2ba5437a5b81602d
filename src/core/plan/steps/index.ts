/** All kinds of steps. A kind that is not in the record below does not compile. */
import { HERE, type DiskId, type Place } from '@/core/place';
import type { UnitSystem } from '@/core/size';
import type { DiskTable } from '@/core/table';
import * as z from 'zod';
import type { Ownership } from '../ownership';
import { adopt, type AdoptStep } from './adopt';
import { carry, type CarryStep } from './carry';
import { clear, type ClearStep } from './clear';
import { compare, type CompareStep } from './compare';
import { check, type CheckStep } from './check';
import { empty, type EmptyStep } from './empty';
import { grow, type GrowStep } from './grow';
import { identify, type IdentifyStep } from './identify';
import { make, type MakeStep } from './make';
import { mark, type MarkStep } from './mark';
import { mend, type MendStep } from './mend';
import { prove, type ProveStep } from './prove';
import { relabel, type RelabelStep } from './relabel';
import { remove, type RemoveStep } from './remove';
import { retire, type RetireStep } from './retire';
import { settle, type SettleStep } from './settle';
import { shrink, type ShrinkStep } from './shrink';
import type { LentRoom, StepKind, StepWords } from './step-kind';
import { table, type TableStep } from './table';
import { transfer, type TransferStep } from './transfer';
import { wipe, type WipeStep } from './wipe';

/** Every kind with its step. */
export interface StepsByKind {
  readonly mend: MendStep;
  readonly wipe: WipeStep;
  readonly check: CheckStep;
  readonly settle: SettleStep;
  readonly retire: RetireStep;
  readonly shrink: ShrinkStep;
  readonly carry: CarryStep;
  readonly empty: EmptyStep;
  readonly remove: RemoveStep;
  readonly table: TableStep;
  readonly identify: IdentifyStep;
  readonly grow: GrowStep;
  readonly make: MakeStep;
  readonly relabel: RelabelStep;
  readonly adopt: AdoptStep;
  readonly transfer: TransferStep;
  readonly compare: CompareStep;
  readonly clear: ClearStep;
  readonly prove: ProveStep;
  readonly mark: MarkStep;
}

export type Step = StepsByKind[keyof StepsByKind];

const KINDS: { readonly [K in keyof StepsByKind]: StepKind<StepsByKind[K]> } = {
  mend,
  wipe,
  check,
  settle,
  retire,
  shrink,
  carry,
  empty,
  remove,
  table,
  identify,
  grow,
  make,
  relabel,
  adopt,
  transfer,
  compare,
  clear,
  prove,
  mark,
};

const kindOf = (step: Step): StepKind<Step> => KINDS[step.kind] as unknown as StepKind<Step>;

/** A step of any kind, as it is read from a journal. */
export const stepSchema = z.union(Object.values(KINDS).map((kind) => kind.schema)) as z.ZodType<Step>;

/** The words for a step. */
export const stepWords = (step: Step, units: UnitSystem = 'binary'): StepWords => kindOf(step).words(step, units);
/** Why a step is there, and there. */
export const stepReason = (step: Step): string => kindOf(step).reason(step);
/** Who owns which bytes once the step is done. @throws RangeError when it would touch what is not its own */
export const stepClaims = (step: Step, owners: Ownership): Ownership => kindOf(step).claims(step, owners);
/** The bytes of volumes that a step may write, all on one disk. */
export const stepTouches = (step: Step): readonly Place[] => kindOf(step).touches(step);
/** The disk that a step changes through transactions. */
export const stepWrites = (step: Step): DiskId => stepTouches(step)[0]?.disk ?? HERE;
/** The table that a step writes, if it writes one. */
export const stepTable = (step: Step): DiskTable | undefined => kindOf(step).table?.(step);
/** Other disks on which a step finds volumes that stay there. */
export const stepReads = (step: Step): readonly DiskId[] => kindOf(step).reads?.(step) ?? [];
/** Room of another disk that a step takes. */
export const stepLent = (step: Step): readonly LentRoom[] => kindOf(step).lent?.(step) ?? [];
/** What a person should know before a step. */
export const stepHazards = (step: Step): readonly string[] => kindOf(step).hazards?.(step) ?? [];
/** Whether a machine must restart for a step on the volume its system runs from. */
export function stepRestarts(step: Step): boolean {
  const { restarts = false } = kindOf(step);
  return typeof restarts === 'function' ? restarts(step) : restarts;
}

export { overlapsItself, wayOf } from './carry';
export type { AdoptStep } from './adopt';
export type { CarryStep } from './carry';
export type { CheckStep } from './check';
export type { ClearStep } from './clear';
export type { CompareStep } from './compare';
export type { EmptyStep } from './empty';
export type { GrowStep } from './grow';
export type { IdentifyStep } from './identify';
export type { MakeStep } from './make';
export type { MarkStep } from './mark';
export type { MendStep } from './mend';
export type { ProveStep } from './prove';
export type { RelabelStep } from './relabel';
export type { RemoveStep } from './remove';
export type { RetireStep } from './retire';
export type { SettleStep } from './settle';
export type { ShrinkStep } from './shrink';
export { costSchema, lossSchema, placeSchema } from './step-kind';
export type { Gives, LeftLink, LentRoom, Loss, ProofBy, Receives, StepCost, StepWords } from './step-kind';
export type { TableStep } from './table';
export type { TransferStep } from './transfer';
export { wipeWords } from './wipe';
export type { WipeStep } from './wipe';
