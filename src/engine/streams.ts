/** Serving chunks through a port: one for each `pull`, transferred and not copied; nothing when there are no more. */
export function serveChunks(chunks: AsyncGenerator<Uint8Array>, port: MessagePort): void {
  port.onmessage = async ({ data }: MessageEvent<'pull' | 'cancel'>) => {
    if (data === 'cancel') return void chunks.return(undefined);
    try {
      const { done, value } = await chunks.next();
      if (done) port.postMessage({});
      else send(port, value);
    } catch (error) {
      port.postMessage({ error: error instanceof Error ? error.message : String(error) });
    }
  };
}

function send(port: MessagePort, chunk: Uint8Array): void {
  const whole = chunk.byteLength === chunk.buffer.byteLength ? chunk : chunk.slice();
  const bytes = whole.buffer as ArrayBuffer;
  port.postMessage({ bytes }, [bytes]);
}
