import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Hub } from './hub';

/** Comment lines keep proxies and browsers from taking a quiet stream for a dead one. */
const HEARTBEAT_MS = 10_000;
/** Bytes that wait for a page at the most: more than all that is kept for one that comes back. */
const MOST_UNTAKEN = 8_000_000;

/** Server-Sent Events, resumed after the last event that the page has seen. */
export function streamEvents(hub: Hub, request: IncomingMessage, response: ServerResponse): void {
  response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store' });
  const send = (id: number, text: string) => {
    response.write(`id: ${hub.boot}.${id}\ndata: ${text}\n\n`);
    // A page that takes nothing any more asks for what it missed when it wakes: nothing is piled up for it.
    if (response.writableLength > MOST_UNTAKEN) response.destroy();
  };
  const [boot, seen] = String(request.headers['last-event-id'] ?? '').split('.');
  const missed = boot === hub.boot ? hub.since(Number(seen)) : null;
  if (missed) for (const { id, text } of missed) send(id, text);
  else send(hub.revision, JSON.stringify({ type: 'hello', boot: hub.boot }));
  const end = hub.listen(send);
  const beat = setInterval(() => response.write(': still here\n\n'), HEARTBEAT_MS);
  response.on('close', () => {
    end();
    clearInterval(beat);
  });
}
