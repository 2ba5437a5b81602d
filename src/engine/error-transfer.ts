/** Errors across the worker seam: core errors come out as what they were, with code and facts. */
import { CoreError, errorFromData, type ErrorData } from '@/core/errors';
import { transferHandlers, type TransferHandler } from 'comlink';

type Thrown = { value: unknown };
type Wire = { core: ErrorData } | { name: string; message: string } | { other: string };

/** Replaces the library's own handler, which keeps message and name only. Call it on both sides. */
export function installErrorTransfer(): void {
  const own = transferHandlers.get('throw') as TransferHandler<Thrown, unknown>;
  const handler: TransferHandler<Thrown, Wire> = {
    canHandle: own.canHandle as TransferHandler<Thrown, Wire>['canHandle'],
    serialize: ({ value }) => [toWire(value), []],
    deserialize: (wire) => {
      throw fromWire(wire);
    },
  };
  transferHandlers.set('throw', handler);
}

function toWire(value: unknown): Wire {
  if (value instanceof CoreError) return { core: value.toData() };
  return value instanceof Error ? { name: value.name, message: value.message } : { other: String(value) };
}

function fromWire(wire: Wire): Error {
  if ('core' in wire) return errorFromData(wire.core);
  if ('other' in wire) return new Error(wire.other);
  const error = new Error(wire.message);
  error.name = wire.name;
  return error;
}
