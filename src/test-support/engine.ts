import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import path from 'node:path';
import type { z } from 'zod';
import {
  ROUTES,
  type JobState,
  type Output,
  type Problem,
  type RouteName,
  type SourceRef,
  type SubmitJob,
  type SubmitPlaces,
} from '@/contract';
import type { Recipe } from '@/core/recipes';
import type { Reel } from '@/core/reels';
import { PROVING, temporaryFolder } from './discs';

type ResponseOf<N extends RouteName> = (typeof ROUTES)[N]['response'] extends z.ZodType<infer T> ? T : never;

/** What an engine answered that it would not do. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(`${problem.code}: ${problem.message}`);
  }
}

/** Why an engine would not do what it was asked for; `nothing` where it did. */
export const refusal = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'nothing',
    (e: unknown) => (e instanceof Refused ? e.problem.code : String(e)),
  );

/** Longer than anything takes that does not hang. */
const HANGS_MS = 240_000;

/** Makes a folder a simulated share, with a quota, as the demonstration has one. */
export function makeShare(folder: string, quotaBytes: number): void {
  mkdirSync(folder, { recursive: true });
  writeFileSync(`${folder}.share.json`, JSON.stringify({ standIn: 'network share', quotaBytes }));
}

interface Zone {
  readonly sector: number;
  readonly sectors: number;
}

export interface TestDisc {
  readonly id: string;
  readonly image: string;
  readonly bytesPerSecond?: number;
  readonly scratches?: readonly Zone[];
  readonly unsteady?: readonly Zone[];
  readonly retryMs?: number;
}

/** An engine process of its own, as the supervisor starts it, on a socket in a temporary folder. */
export class TestEngine {
  readonly library: string;
  /** A place of its own for files beside discs. */
  readonly sounds: string;
  private readonly config: string;
  private child: ChildProcess | null = null;
  messages = '';

  /** @param folder for its data and its library. */
  constructor(
    discs: readonly TestDisc[] = [],
    storages: readonly { id: string; name: string; path: string }[] = [],
    readonly folder = temporaryFolder(),
    devices: readonly { id: string; name: string; path: string }[] = [],
  ) {
    this.library = path.join(folder, 'library');
    this.sounds = path.join(folder, 'sounds');
    this.config = path.join(folder, 'config.json');
    mkdirSync(this.library);
    mkdirSync(this.sounds);
    const files = discs.map((disc) => {
      const file = path.join(this.folder, `${disc.id}.json`);
      writeFileSync(
        file,
        JSON.stringify({
          label: disc.id,
          image: disc.image,
          bytesPerSecond: disc.bytesPerSecond ?? 1e9,
          spinUpMs: 20,
          scratches: disc.scratches ?? [],
          unsteady: disc.unsteady ?? [],
          retryMs: disc.retryMs ?? 400,
        }),
      );
      return { id: disc.id, label: disc.id, file };
    });
    writeFileSync(
      this.config,
      JSON.stringify({
        dataFolder: this.folder,
        roots: [
          { id: 'images', name: 'Images', path: PROVING },
          { id: 'sounds', name: 'Sounds', path: this.sounds },
        ],
        storages: [{ id: 'library', name: 'Library', path: this.library, taken: true }, ...storages],
        drives: [{ id: 'tray', name: 'Tray', discs: files }],
        devices,
      }),
    );
  }

  /** Jobs that have unfinished files in the library. */
  unfinished(): string[] {
    return readdirSync(path.join(this.library, '.careful-vault')).filter((name) => name !== 'storage.json');
  }

  async start(): Promise<void> {
    // Said to it: what a test sets in its own surroundings is not what programs inherit.
    const env = { ...process.env };
    const child = spawn(process.execPath, [path.join('dist', 'engine.mjs'), this.config], {
      env,
      stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
    });
    this.child = child;
    const hear = (chunk: Buffer) => (this.messages += chunk.toString());
    child.stdout?.on('data', hear);
    child.stderr?.on('data', hear);
    await new Promise<void>((resolve, reject) => {
      child.once('message', () => {
        resolve();
      });
      child.once('exit', (code) => {
        reject(new Error(`the engine ended with ${code}: ${this.messages}`));
      });
    });
  }

  /** @param signal SIGKILL for a crash. Runners go on in any case. */
  async stop(signal: NodeJS.Signals = 'SIGTERM'): Promise<void> {
    const child = this.child;
    this.child = null;
    if (!child || child.exitCode !== null) return;
    const ended = new Promise((resolve) => child.once('exit', resolve));
    child.kill(signal);
    await ended;
  }

  /** A request as the web server makes it. @throws Refused with the problem. */
  raw(method: string, url: string, body: unknown = null): Promise<{ status: number; data: unknown }> {
    return new Promise((resolve, reject) => {
      const outgoing = request(
        {
          agent: false,
          socketPath: path.join(this.folder, 'engine.sock'),
          method,
          path: url,
          headers: { 'content-type': 'application/json' },
        },
        (response) => {
          let text = '';
          response.on('data', (chunk: Buffer) => (text += chunk.toString()));
          response.on('end', () => {
            resolve({ status: response.statusCode ?? 0, data: JSON.parse(text) });
          });
        },
      );
      outgoing.on('error', reject);
      outgoing.end(body === null ? undefined : JSON.stringify(body));
    });
  }

  /** The whole of a streamed answer. */
  stream(method: string, url: string, body: unknown = null): Promise<Buffer> {
    return new Promise((resolve, reject) => {
      const outgoing = request(
        {
          agent: false,
          socketPath: path.join(this.folder, 'engine.sock'),
          method,
          path: url,
          headers: { 'content-type': 'application/json' },
        },
        (response) => {
          const chunks: Buffer[] = [];
          response.on('data', (chunk: Buffer) => chunks.push(chunk));
          response.on('end', () => {
            resolve(Buffer.concat(chunks));
          });
        },
      );
      outgoing.on('error', reject);
      outgoing.end(body === null ? undefined : JSON.stringify(body));
    });
  }

  async call<N extends RouteName>(name: N, options: { id?: string; body?: unknown; query?: string } = {}): Promise<ResponseOf<N>> {
    const route = ROUTES[name];
    const { status, data } = await this.raw(
      route.method,
      route.path.replace(':id', options.id ?? '') + (options.query ?? ''),
      options.body ?? null,
    );
    if (status !== 200) throw new Refused(status, (data as { problem: Problem }).problem);
    if (route.response === 'stream') throw new Error('not a stream');
    return route.response.parse(data) as ResponseOf<N>;
  }

  /** Collects messages of the event stream until `enough` says so. */
  events(lastEventId: string | null, enough: (lines: readonly string[]) => boolean): Promise<string[]> {
    return new Promise((resolve, reject) => {
      const lines: string[] = [];
      const outgoing = request(
        {
          agent: false,
          socketPath: path.join(this.folder, 'engine.sock'),
          path: '/events',
          headers: lastEventId === null ? {} : { 'last-event-id': lastEventId },
        },
        (response) => {
          response.on('data', (chunk: Buffer) => {
            lines.push(...chunk.toString().split('\n').filter(Boolean));
            if (!enough(lines)) return;
            outgoing.destroy();
            resolve(lines);
          });
        },
      );
      outgoing.on('error', (error) => {
        if (!enough(lines)) reject(error);
      });
      outgoing.end();
    });
  }

  /** Asks for a stream and goes away after its first bytes, as a player that is closed does. */
  beginning(
    url: string,
    headers: Record<string, string> = {},
  ): Promise<{ status: number; headers: Record<string, unknown>; first: Buffer }> {
    return new Promise((resolve, reject) => {
      const outgoing = request({ agent: false, socketPath: path.join(this.folder, 'engine.sock'), path: url, headers }, (response) => {
        const answer = (first: Buffer) => {
          resolve({ status: response.statusCode ?? 0, headers: response.headers, first });
          outgoing.destroy();
        };
        response.once('data', answer);
        response.once('end', () => {
          answer(Buffer.alloc(0));
        });
      });
      outgoing.on('error', reject);
      outgoing.end();
    });
  }

  /** Reads a source to its end. */
  async read(source: SourceRef) {
    const task = await this.call('startReading', { body: { source } });
    return this.until(async () => {
      const result = await this.call('reading', { id: task.id });
      return result.task.state === 'reading' ? null : result;
    });
  }

  async submit(
    source: SourceRef,
    reel: (reading: SubmitJob['reading']) => Reel,
    storage = 'library',
    folder = '',
    copies: readonly Recipe[] = [],
    places: SubmitPlaces = [],
  ): Promise<{ jobId: string; fileName: string }> {
    const { reading } = await this.read(source);
    if (!reading) throw new Error('nothing was read');
    return this.call('submitJob', {
      body: { source, fingerprint: reading.fingerprint, reading, reel: reel(reading), storage, folder, copies, places },
    });
  }

  /** All that is in the vault, each with its whole sidecar. */
  async outputs(): Promise<Output[]> {
    const { outputs, total } = await this.call('outputs');
    if (total !== outputs.length) throw new Error('more than a page');
    // A list may be some seconds old: what has gone since is not in it.
    const whole = await Promise.all(outputs.map(({ id }) => this.call('output', { id }).catch(() => null)));
    return whole.filter((o) => o !== null);
  }

  async job(id: string): Promise<JobState> {
    const job = (await this.call('state')).jobs.find((j) => j.id === id);
    if (!job) throw new Error(`there is no job ${id}`);
    return job;
  }

  /** Waits until a job is as wished. */
  jobUntil(id: string, wished: (job: JobState) => boolean): Promise<JobState> {
    return this.until(async () => {
      const job = await this.job(id);
      return wished(job) ? job : null;
    });
  }

  /** The limit is for a test that hangs: a busy machine takes minutes for what a quiet one does in seconds. */
  async until<T>(look: () => Promise<T | null>): Promise<T> {
    const end = Date.now() + HANGS_MS;
    while (Date.now() < end) {
      const found = await look();
      if (found !== null) return found;
      await new Promise((resolve) => setTimeout(resolve, 25));
    }
    throw new Error(`what was waited for did not come\n${this.messages}`);
  }
}
