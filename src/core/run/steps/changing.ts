/** Steps that change a volume where it is, through one transaction each; and those that are only marked. */
import { driverOf } from '@/core/fs';
import type {
  GrowStep,
  IdentifyStep,
  MakeStep,
  MarkStep,
  RelabelStep,
  RemoveStep,
  RetireStep,
  SettleStep,
  ShrinkStep,
  TableStep,
} from '@/core/plan';
import { CoreError } from '@/core/errors';
import type { StepRunner } from './step-context';

export const settle: StepRunner<SettleStep> = ({ at }, context) =>
  context.change(at, (volume, tx) => volume.settle(tx));

export const retire: StepRunner<RetireStep> = ({ at, places }, context) =>
  context.change(at, (volume, tx) => volume.retire(places, tx, context.state));

export const shrink: StepRunner<ShrinkStep> = ({ at, to }, context) =>
  context.change(at, (volume, tx) => volume.shrink(to, tx, context.state));

export const grow: StepRunner<GrowStep> = ({ at }, context) =>
  context.change(at, (volume, tx) => volume.grow(at.length, tx, context.state));

export const mark: StepRunner<MarkStep> = ({ at }, context) =>
  context.change(at, (volume, tx) => volume.markForCheck(tx));

export const identify: StepRunner<IdentifyStep> = ({ at, serial }, context) =>
  context.change(at, (volume, tx) => volume.identify(serial, tx));

export const relabel: StepRunner<RelabelStep> = ({ at, label }, context) =>
  context.change(at, (volume, tx) => volume.relabel(label, tx));

/** The table step makes it so. */
export const remove: StepRunner<RemoveStep> = (_, context) => context.markDone();

export const table: StepRunner<TableStep> = async (step, context) => {
  const tx = context.tableTransaction();
  await context.writeTable(tx, step.table);
  await context.commit(tx);
};

export const make: StepRunner<MakeStep> = async (step, context) => {
  const { at, fileSystem, label, clusterSize, serial, format, chosen } = step;
  const driver = driverOf(fileSystem);
  if (!driver) throw new CoreError('fs.ability', { fileSystem, ability: 'be made' });
  const tx = context.transaction(at, []);
  const startLba = at.start / context.ports.disk.sectorSize;
  const named = { kind: fileSystem, label, serial, startLba, format, clusterSize };
  const options = chosen ? { ...named, chosen } : named;
  await driver.make(context.window(at), options, tx);
  await context.commit(tx);
};
