import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
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
import type { Reading } from '@/core/reading';
import type { Recipe } from '@/core/recipes';
import type { Reel } from '@/core/reels';
import { PROVING, temporaryFolder } from './discs';
import { keepEncoders, seedEncoders } from './fixtures';
import { QUICK } from './recipes';

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
const HANGS_MS = Number(process.env['CAREFUL_VAULT_HANGS_SECONDS'] ?? 240) * 1000;

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
  /** Jobs that read it stand still in its middle, from the moment they are sent until somebody waits for what comes of them. */
  readonly gated?: boolean;
  readonly bytesPerSecond?: number;
  readonly scratches?: readonly Zone[];
  readonly unsteady?: readonly Zone[];
  readonly retryMs?: number;
  readonly spinUpMs?: number;
}

/** In the film of the disc QUAY: enough of it comes before, and there is enough behind. */
const GATE_SECTOR = 1900;
/** Bytes of a master after which it is under way. */
const UNDER_WAY_BYTES = 200_000;
const POLL_MS = 40;

/** An engine process of its own, as the supervisor starts it, on a socket in a temporary folder. */
export class TestEngine {
  readonly library: string;
  /** A place of its own for files beside discs. */
  readonly sounds: string;
  private readonly config: string;
  private child: ChildProcess | null = null;
  messages = '';
  private readonly gate: string;
  private readonly encoderGate: string;
  private readonly gated: ReadonlySet<string>;
  /** A folder of programs that stand before those of the machine: what they can do is found out by each engine anew. */
  ownPrograms: string | null = null;

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
    this.gate = path.join(folder, 'drive.gate');
    this.encoderGate = path.join(folder, 'encoder.gate');
    this.gated = new Set(discs.flatMap((d) => (d.gated ? [d.id] : [])));
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
          spinUpMs: disc.spinUpMs ?? 20,
          scratches: disc.scratches ?? [],
          unsteady: disc.unsteady ?? [],
          retryMs: disc.retryMs ?? 400,
          ...(disc.gated ? { gate: { file: this.gate, sector: GATE_SECTOR } } : {}),
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

  /** From now on nothing comes from the middle of a gated disc. */
  hold(): void {
    writeFileSync(this.gate, '');
  }

  /** Encoders whose arguments hold these words stand still from now on, before their first picture. */
  holdEncoders(words = '-c:v:0'): void {
    writeFileSync(this.encoderGate, words);
  }

  /** Discs come whole again; encoders that are held stay so. */
  release(): void {
    rmSync(this.gate, { force: true });
  }

  /** Nothing is held up any more. */
  letGo(): void {
    for (const gate of [this.gate, this.encoderGate]) rmSync(gate, { force: true });
  }

  private path(): string {
    return [...(this.ownPrograms === null ? [] : [this.ownPrograms]), process.env['PATH'] ?? ''].join(path.delimiter);
  }

  /** A folder with FFmpeg behind a gate, for the engine to find first. */
  private programs(): string {
    const folder = path.join(this.folder, 'programs-with-gates');
    if (!existsSync(folder)) {
      mkdirSync(folder);
      const ffmpeg = execFileSync('which', ['ffmpeg'], { encoding: 'utf8', env: { ...process.env, PATH: this.path() } }).trim();
      const waits = `while words=$(cat '${this.encoderGate}' 2>/dev/null); do case "$*" in *"$words"*) sleep 0.1;; *) break;; esac; done`;
      writeFileSync(path.join(folder, 'ffmpeg'), `#!/bin/sh\n${waits}\nexec '${ffmpeg}' "$@"\n`, { mode: 0o755 });
    }
    return folder;
  }

  /** Jobs that have unfinished files in the library. */
  unfinished(): string[] {
    return readdirSync(path.join(this.library, '.careful-vault')).filter((name) => name !== 'storage.json');
  }

  async start(): Promise<void> {
    // Said to it: what a test sets in its own surroundings is not what programs inherit.
    if (this.ownPrograms === null) seedEncoders(this.folder);
    const env = { ...process.env, PATH: `${this.programs()}:${this.path()}` };
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
    if (this.ownPrograms === null) keepEncoders(this.folder);
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
    return this.found(async () => {
      const result = await this.call('reading', { id: task.id });
      return result.task.state === 'reading' ? null : result;
    });
  }

  /** What is read of a source; of the discs of tests, which nobody changes, once. */
  private async readingOf(source: SourceRef): Promise<Reading> {
    const key = source.kind === 'place' && source.root === 'images' ? source.path : null;
    const known = key === null ? undefined : this.readings.get(key);
    if (known) return known;
    const { reading } = await this.read(source);
    if (!reading) throw new Error('nothing was read');
    if (key !== null) this.readings.set(key, reading);
    return reading;
  }
  private readonly readings = new Map<string, Reading>();

  async submit(
    source: SourceRef,
    reel: (reading: SubmitJob['reading']) => Reel,
    storage = 'library',
    folder = '',
    copies: readonly Recipe[] = [QUICK],
    places: SubmitPlaces = [],
  ): Promise<{ jobId: string; fileName: string }> {
    const reading = await this.readingOf(source);
    if (source.kind === 'drive' && this.gated.size > 0) {
      const disc = (await this.call('state')).drives.find((d) => d.id === source.drive)?.disc ?? '';
      if (this.gated.has(disc)) this.hold();
    }
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

  /** Waits until a job is as wished; nothing is held up any more. */
  jobUntil(id: string, wished: (job: JobState) => boolean): Promise<JobState> {
    this.letGo();
    return this.jobFound(id, wished);
  }

  /** Waits until the master of a job is being written. Where its disc is gated it stays so until the next wait. */
  atWork(id: string): Promise<JobState> {
    return this.jobFound(id, (job) => job.stage === 'master' && job.done > UNDER_WAY_BYTES);
  }

  /** Waits until a copy of a job is being encoded. Where encoders are held it stays so until the next wait. */
  encoding(id: string, copy: string | null = null): Promise<JobState> {
    return this.jobFound(id, (job) => job.stage === 'access' && (copy === null || job.copy === copy));
  }

  /** Waits for something; nothing is held up any more. */
  until<T>(look: () => Promise<T | null>): Promise<T> {
    this.letGo();
    return this.found(look);
  }

  private jobFound(id: string, wished: (job: JobState) => boolean): Promise<JobState> {
    return this.found(async () => {
      const job = await this.job(id);
      return wished(job) ? job : null;
    });
  }

  /** The same, and leaves held what is held. The limit is for a test that hangs. */
  async found<T>(look: () => Promise<T | null>): Promise<T> {
    const end = Date.now() + HANGS_MS;
    while (Date.now() < end) {
      const found = await look();
      if (found !== null) return found;
      await new Promise((resolve) => setTimeout(resolve, POLL_MS));
    }
    const { jobs, readings, images } = await this.call('state');
    const short = jobs.map((j) => [j.name, j.state, j.stage, j.copy, j.done, j.problem?.code]);
    const others = [readings.map((t) => [t.name, t.state, t.progress]), images.map((i) => [i.name, i.state])];
    throw new Error(
      `what was waited for did not come: ${look.toString().replaceAll(/\s+/g, ' ').slice(0, 400)}\nas it is: ${JSON.stringify([short, ...others])}\n${this.messages}`,
    );
  }
}
