import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { z } from 'zod';
import { ARCHIVE_HEADER, MAX_BODY_BYTES, ROUTES, WorkError, matchRoute, statusOf, toProblem, type RouteName } from '@/contract';
import { HANDLERS, type Asked, type EngineParts } from './handlers';

async function readBody(request: IncomingMessage): Promise<unknown> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request) {
    size += (chunk as Buffer).byteLength;
    if (size > MAX_BODY_BYTES) throw new WorkError('bad-request', 'The request is larger than any that is expected');
    chunks.push(chunk as Buffer);
  }
  try {
    return JSON.parse(Buffer.concat(chunks).toString('utf8')) as unknown;
  } catch (error) {
    throw new WorkError('bad-request', 'The request is no JSON', { cause: error });
  }
}

/** What a request says behind its path. @throws WorkError `bad-request` where it is not as agreed. */
function parsedBy(schema: z.ZodType, given: unknown): unknown {
  const parsed = schema.safeParse(given);
  if (parsed.success) return parsed.data;
  const [issue] = parsed.error.issues;
  throw new WorkError('bad-request', `The request is not as agreed: ${issue?.path.join('.') ?? ''} ${issue?.message ?? ''}`);
}

const handled = <N extends RouteName>(name: N, parts: EngineParts, asked: Asked<N>) => HANDLERS[name](parts, asked);

/** Checks a request by its route, and has it answered. */
async function answer(
  parts: EngineParts,
  name: RouteName,
  id: string,
  url: URL,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const route = ROUTES[name];
  const body = route.body === null ? null : parsedBy(route.body, await readBody(request));
  const query = route.query === null ? null : parsedBy(route.query, Object.fromEntries(url.searchParams));
  const controller = new AbortController();
  response.on('close', () => {
    controller.abort();
  });
  // What the route's own schemas have made of them is what its handler wants: the compiler can not follow a table that far.
  const asked = { id, body, query, signal: controller.signal, request, response } as Asked<RouteName>;
  const result = await handled(name, parts, asked);
  if (route.response === 'stream') return;
  response.writeHead(200, { 'content-type': 'application/json', 'cache-control': 'no-store' }).end(JSON.stringify(result));
}

async function handle(parts: EngineParts, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://engine');
  const match = matchRoute(request.method ?? '', url.pathname);
  if (!match) throw new WorkError('not-known', `There is no ${request.method ?? ''} ${url.pathname}`);
  const meant = request.headers[ARCHIVE_HEADER];
  // Asking how things stand is how a page finds out that it shows another archive.
  if (meant !== undefined && meant !== parts.archive.current.id && match.name !== 'state')
    throw new WorkError('other-archive', `Another archive runs here now: “${parts.archive.current.name}”`);
  await answer(parts, match.name, match.id, url, request, response);
}

/** The engine's HTTP server: on a socket in the data folder, so that only this user's web server reaches it. */
export function createEngineServer(parts: EngineParts): Server {
  return createServer((request, response) => {
    handle(parts, request, response).catch((error: unknown) => {
      const problem = toProblem(error);
      if (problem.code === 'internal') console.error(error);
      if (response.headersSent) response.destroy();
      else response.writeHead(statusOf(problem), { 'content-type': 'application/json' }).end(JSON.stringify({ problem }));
    });
  });
}
