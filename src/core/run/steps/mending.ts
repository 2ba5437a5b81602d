/** Mending a volume, and reading it as it is once it was mended. */
import { PatchedDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { mendsIn } from '@/core/fs';
import type { MendStep } from '@/core/plan';
import type { StepRunner } from './step-context';

/** What a plan says of mends, in an order of its own. */
const told = (mends: readonly { what: string; from: string }[]): string =>
  mends
    .map(({ what, from }) => `${what} from ${from}`)
    .sort()
    .join();

/** All of it is one transaction. @throws CoreError `run.changed` where something else is to be mended than was planned */
export const mend: StepRunner<MendStep> = async ({ at, name, mends: planned }, context) => {
  const mends = (await mendsIn(context.window(at)))?.mends ?? [];
  if (told(mends) !== told(planned))
    throw new CoreError('run.changed', { reason: `what is damaged on ${name} is something else now` });
  const tx = context.transaction(at, [{ start: 0, end: at.length }]);
  for (const { offset, bytes } of mends) await tx.write(offset, bytes);
  await context.commit(tx);
};

/** A volume as it is once it was mended, whether it was already or not. */
export async function mendedView(window: BlockDevice): Promise<BlockDevice> {
  const mends = (await mendsIn(window))?.mends ?? [];
  return mends.length > 0 ? new PatchedDevice(window, mends) : window;
}
