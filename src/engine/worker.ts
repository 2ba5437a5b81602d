/** The worker's entry: the engine behind the seam. */
import { expose } from 'comlink';
import { beat, BEAT_EVERY_MS } from './beat';
import { installErrorTransfer } from './error-transfer';
import { EngineHost } from './host';

installErrorTransfer();
expose(new EngineHost());
setInterval(beat, BEAT_EVERY_MS);
