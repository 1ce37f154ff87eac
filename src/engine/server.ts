import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import {
  ARCHIVE_HEADER,
  MAX_BODY_BYTES,
  ROUTES,
  WorkError,
  matchRoute,
  statusOf,
  toProblem,
  type CompareWish,
  type EngineState,
  type InsertSchema,
  type JobSource,
  type MeasureWishSchema,
  type NameArchiveSchema,
  type OpenLookSchema,
  type RouteName,
  type SourceRef,
  type ScanSchema,
  type SheetWishSchema,
  type StartReadingSchema,
  type SubmitJob,
} from '@/contract';
import { examineAudioFile, requireSameFile } from '@/node/audio-file';
import { APPLICATION } from '@/node/version';
import type { z } from 'zod';
import type { ArchiveIdentity } from './archive';
import type { Drives } from './drives';
import type { Hub } from './hub';
import type { Jobs } from './jobs';
import type { Outputs } from './outputs';
import type { Looks } from './looks';
import { play } from './play';
import type { Players } from './players';
import type { Readings } from './readings';
import type { Roots } from './roots';
import type { Storages } from './storages';

export interface EngineParts {
  readonly archive: ArchiveIdentity;
  readonly hub: Hub;
  readonly roots: Roots;
  readonly storages: Storages;
  readonly drives: Drives;
  readonly readings: Readings;
  readonly looks: Looks;
  readonly jobs: Jobs;
  readonly outputs: Outputs;
  readonly players: Players;
  readonly resolve: (ref: SourceRef) => Promise<JobSource>;
}

/** Comment lines keep proxies and browsers from taking a quiet stream for a dead one. */
const HEARTBEAT_MS = 10_000;
/** Bytes that wait for a page at the most: more than all that is kept for one that comes back. */
const MOST_UNTAKEN = 8_000_000;

function engineState(parts: EngineParts): EngineState {
  const { archive, hub, roots, storages, drives, readings, jobs, outputs } = parts;
  return {
    boot: hub.boot,
    archive: archive.current,
    version: APPLICATION,
    revision: hub.revision,
    drives: drives.states(),
    roots: roots.states(),
    storages: storages.states(),
    readings: readings.states(),
    jobs: jobs.states(),
    outputs: outputs.lastCount,
  };
}

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

/** Server-Sent Events, resumed after the last event that the page has seen. */
function events(hub: Hub, request: IncomingMessage, response: ServerResponse): void {
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

const done = { ok: true } as const;

/** Takes a job into the queue, with everything that it names resolved inside the configured folders. */
async function submit({ jobs, roots, resolve }: EngineParts, wish: SubmitJob) {
  const files: string[] = [];
  for (const { source } of wish.reel.addedAudio ?? []) {
    const file = await roots.file(source.root, source.path);
    await requireSameFile(file, source);
    files.push(file);
  }
  return jobs.submit(wish, await resolve(wish.source), files);
}

/** Everything that answers with JSON. */
async function answer(
  parts: EngineParts,
  name: RouteName,
  id: string,
  body: unknown,
  query: URLSearchParams,
  signal: AbortSignal,
): Promise<unknown> {
  const { drives, readings, jobs, outputs, roots } = parts;
  switch (name) {
    case 'state':
      return engineState(parts);
    case 'nameArchive':
      parts.hub.send({ type: 'archive', archive: parts.archive.rename((body as z.infer<typeof NameArchiveSchema>).name) });
      return done;
    case 'takeStorage':
      await parts.storages.take(id);
      parts.hub.send({ type: 'storages', storages: parts.storages.states() });
      return done;
    case 'browse': {
      const root = query.get('root') ?? '';
      const path = query.get('path') ?? '';
      return { root, path, entries: await roots.browse(root, path, query.get('for') === 'sound') };
    }
    case 'sound': {
      const path = query.get('path') ?? '';
      return examineAudioFile(await roots.file(query.get('root') ?? '', path), path, signal);
    }
    case 'startReading':
      return readings.start((body as z.infer<typeof StartReadingSchema>).source, (body as z.infer<typeof StartReadingSchema>).thorough);
    case 'scan': {
      const { root, except } = body as z.infer<typeof ScanSchema>;
      const known = new Set(except);
      const found = (await roots.discsBelow(root)).filter((s) => !known.has(s.path));
      for (const { path } of found) await readings.start({ kind: 'place', root, path });
      return { started: found.length };
    }
    case 'reading':
      return readings.result(id);
    case 'cancelReading':
      readings.cancel(id);
      return done;
    case 'insert':
      drives.insert(id, (body as z.infer<typeof InsertSchema>).disc);
      parts.looks.closeDrive(id);
      return done;
    case 'eject':
      drives.eject(id);
      parts.looks.closeDrive(id);
      return done;
    case 'submitJob':
      return submit(parts, body as SubmitJob);
    case 'cancelJob':
      await jobs.cancel(id);
      return done;
    case 'retryJob':
      await jobs.retry(id);
      return done;
    case 'goAroundJob':
      await jobs.retry(id, true);
      return done;
    case 'forgetJob':
      await jobs.forget(id);
      return done;
    case 'jobLog':
      return { events: await jobs.log(id) };
    case 'outputs':
      return outputs.list(Math.max(0, Math.floor(Number(query.get('from'))) || 0));
    case 'output':
      return (await outputs.find(id)).output;
    case 'reprove':
      return outputs.prove(id, signal);
    case 'openLook':
      return parts.looks.open(body as z.infer<typeof OpenLookSchema>);
    case 'sheet':
      return { pictures: await parts.looks.sheet(id, body as z.infer<typeof SheetWishSchema>, signal) };
    case 'events':
    case 'preview':
    case 'measure':
    case 'compareTracks':
    case 'play':
      throw new Error('streams are answered elsewhere');
  }
}

async function handle(parts: EngineParts, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://engine');
  const match = matchRoute(request.method ?? '', url.pathname);
  if (!match) throw new WorkError('not-known', `There is no ${request.method ?? ''} ${url.pathname}`);
  const meant = request.headers[ARCHIVE_HEADER];
  // Asking how things stand is how a page finds out that it shows another archive.
  if (meant !== undefined && meant !== parts.archive.current.id && match.name !== 'state')
    throw new WorkError('other-archive', `Another archive runs here now: “${parts.archive.current.name}”`);
  if (match.name === 'events') {
    events(parts.hub, request, response);
    return;
  }
  if (match.name === 'play') {
    const { file, output } = await parts.outputs.find(match.id);
    await play(file, output, url.searchParams, request, response, parts.players);
    return;
  }
  if (match.name === 'preview') {
    await parts.looks.play(match.id, url.searchParams, response);
    return;
  }
  const schema = ROUTES[match.name].body;
  let body: unknown = null;
  if (schema) {
    const parsed = schema.safeParse(await readBody(request));
    if (!parsed.success)
      throw new WorkError(
        'bad-request',
        `The request is not as agreed: ${parsed.error.issues[0]?.path.join('.') ?? ''} ${parsed.error.issues[0]?.message ?? ''}`,
      );
    body = parsed.data;
  }
  if (match.name === 'measure') {
    await parts.looks.measure(match.id, body as z.infer<typeof MeasureWishSchema>, response);
    return;
  }
  if (match.name === 'compareTracks') {
    await parts.looks.compareTracks(match.id, body as CompareWish, response);
    return;
  }
  const controller = new AbortController();
  response.on('close', () => {
    controller.abort();
  });
  const result = await answer(parts, match.name, match.id, body, url.searchParams, controller.signal);
  response.writeHead(200, { 'content-type': 'application/json', 'cache-control': 'no-store' }).end(JSON.stringify(result));
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
