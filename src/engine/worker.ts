/** The worker's entry: the engine behind the seam. */
import { expose } from 'comlink';
import { installErrorTransfer } from './error-transfer';
import { EngineHost } from './host';

installErrorTransfer();
expose(new EngineHost());
