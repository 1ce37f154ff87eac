import { request as httpRequest, type IncomingMessage } from 'node:http';
import { ARCHIVE_HEADER, MAX_BODY_BYTES, ROUTES, WorkError, matchRoute, statusOf, toProblem } from '@/contract';

const problemResponse = (error: unknown): Response => {
  const problem = toProblem(error);
  return Response.json({ problem }, { status: statusOf(problem) });
};

/** Headers that mean the same on both sides of the socket. */
const PASSED_UP = ['range', 'last-event-id', ARCHIVE_HEADER] as const;
const PASSED_DOWN = ['content-type', 'content-range', 'accept-ranges', 'cache-control'] as const;

function ask(
  method: string,
  path: string,
  headers: Record<string, string>,
  body: string | null,
  signal: AbortSignal,
): Promise<IncomingMessage> {
  return new Promise((resolve, reject) => {
    const socketPath = process.env['CAREFUL_VAULT_SOCKET'];
    if (!socketPath) {
      reject(new WorkError('engine-away', 'The web server was started without its engine'));
      return;
    }
    const request = httpRequest({
      socketPath,
      // A connection of its own: one that is kept may be closed by the other side just as it is used again.
      agent: false,
      method,
      path,
      headers: {
        ...headers,
        host: 'engine',
        ...(body === null ? {} : { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(body)) }),
      },
      signal,
    });
    request.on('response', resolve);
    request.on('error', (error) => {
      reject(new WorkError('engine-away', 'The engine does not answer', { cause: error }));
    });
    request.end(body ?? undefined);
  });
}

/** Pulls from the engine only as fast as the browser takes; ends the engine's side when the browser goes. */
function streamOf(message: IncomingMessage): ReadableStream<Uint8Array> {
  const chunks: AsyncIterator<Buffer, undefined> = message[Symbol.asyncIterator]();
  return new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        try {
          const step = await chunks.next();
          if (step.done) controller.close();
          else controller.enqueue(step.value);
        } catch {
          controller.close(); // the engine went away: the page notices by the end of the stream
        }
      },
      cancel() {
        message.destroy();
      },
    },
    { highWaterMark: 0 },
  );
}

/** Validates a request against the contract and hands it on to the engine; the answer is validated on the way back. */
export async function forward(request: Request): Promise<Response> {
  try {
    const url = new URL(request.url);
    const path = url.pathname.replace(/^\/api/, '');
    const match = matchRoute(request.method, path);
    if (!match) throw new WorkError('not-known', `There is no ${request.method} ${path}`);
    const route = ROUTES[match.name];
    let body: string | null = null;
    if (route.body) {
      if (Number(request.headers.get('content-length') ?? 0) > MAX_BODY_BYTES)
        throw new WorkError('bad-request', 'The request is larger than any that is expected');
      const parsed = route.body.safeParse(await request.json().catch((): unknown => null));
      if (!parsed.success) throw new WorkError('bad-request', `The request is not as agreed: ${parsed.error.issues[0]?.message ?? ''}`);
      body = JSON.stringify(parsed.data);
    }
    const headers = Object.fromEntries(
      PASSED_UP.flatMap((name) => {
        const value = request.headers.get(name);
        return value === null ? [] : [[name, value]];
      }),
    );
    const message = await ask(request.method, path + url.search, headers, body, request.signal);
    const status = message.statusCode ?? 502;
    if (route.response === 'stream') {
      const passed = Object.fromEntries(
        PASSED_DOWN.flatMap((name) => {
          const value = message.headers[name];
          return typeof value === 'string' ? [[name, value]] : [];
        }),
      );
      return new Response(streamOf(message), { status, headers: passed });
    }
    const text = await new Response(streamOf(message)).text();
    if (status !== 200) return new Response(text, { status, headers: { 'content-type': 'application/json' } });
    return Response.json(route.response.parse(JSON.parse(text)), { headers: { 'cache-control': 'no-store' } });
  } catch (error) {
    return problemResponse(error);
  }
}
