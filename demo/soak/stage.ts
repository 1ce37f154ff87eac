import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { JOB_VERSION, JobSchema, SidecarSchema, isOver, type Job } from '@/contract';
import { foldJob, newFolded } from '@/engine/job-state';
import { JobFolder, parseEvent } from '@/node/job-folder';
import { openSource } from '@/node/open-source';
import { sealState } from '@/node/seal';
import { digestLike } from '@/test-support/digest';
import { QUICK } from '@/test-support/recipes';
import { markStorage } from '@/node/storage-mark';

const DISCS = path.resolve('.cache/fixtures/proving/discs');
const RUNNER = path.resolve('dist/runner.mjs');
const PRELOAD = path.resolve('demo/soak/preload.mjs');
const ID = 'soak-00000001';

export interface FaultAt {
  readonly mode: 'count' | 'kill before' | 'kill after' | 'run' | 'ENOSPC' | 'EIO' | 'EROFS';
  readonly at: number;
  readonly report?: string;
  /** What is done to the machine at that call. */
  readonly command?: string;
}

/** A data folder and a library in one place, with one job: what a fault is done to, and what must be found afterwards. */
export class Stage {
  readonly library: string;
  readonly jobFolder: string;

  private constructor(
    root: string,
    private readonly order: Omit<Job, 'storage'>,
    /** Names in the library when all is done. */
    readonly results: readonly string[],
  ) {
    this.library = path.join(root, 'library');
    this.jobFolder = path.join(root, 'jobs', ID);
  }

  /** A film of two seconds and of nine, with its subtitles as files; `copy`: with an access copy too. */
  static async of(root: string, copy: boolean): Promise<Stage> {
    const source = { kind: 'image' as const, path: path.join(DISCS, 'QUAY.iso'), label: 'QUAY.iso' };
    const opened = await openSource(source);
    const reading = await opened.examine();
    await opened.close();
    const title = reading.titles.find((t) => t.number === 2);
    if (!title) throw new Error('the proving discs are not as they should be');
    const reel: Reel = { ...wholeTitleReel(title, 'Soaked'), recipes: copy ? ['master', 'access'] : ['master'], subtitleFiles: !copy };
    const order: Omit<Job, 'storage'> = {
      version: JOB_VERSION,
      id: ID,
      createdAt: '2026-01-01',
      places: [],
      hardware: [],
      reel,
      reading,
      source,
      folder: '',
      fileName: 'Soaked',
      soundFiles: [],
      copies: copy ? [QUICK] : [],
      origin: null,
    };
    const stage = new Stage(root, order, []);
    await stage.prepare();
    if ((await stage.run()).code !== 0) throw new Error('a job that nothing is done to does not come to its end');
    return new Stage(root, order, stage.names());
  }

  /** As it is before the job begins. */
  async prepare(): Promise<void> {
    for (const folder of [this.library, this.jobFolder]) {
      rmSync(folder, { recursive: true, force: true });
      mkdirSync(folder, { recursive: true });
    }
    const { id: mark } = await markStorage(this.library);
    const job = JobSchema.parse({ ...this.order, storage: { id: 'library', name: 'Library', path: this.library, mark } });
    writeFileSync(path.join(this.jobFolder, 'job.json'), JSON.stringify(job));
  }

  /** Runs the job as the engine does. @param killAfterMs SIGKILL then, wherever it is. */
  run(fault?: FaultAt, killAfterMs?: number): Promise<{ code: number | null; words: string }> {
    const args = [...(fault ? ['--import', PRELOAD] : []), RUNNER, this.jobFolder];
    const child = spawn(process.execPath, args, {
      env: { ...process.env, ...(fault ? { CAREFUL_VAULT_SOAK: JSON.stringify(fault) } : {}) },
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    let words = '';
    child.stderr.on('data', (data: Buffer) => (words += data.toString()));
    const timer = killAfterMs === undefined ? null : setTimeout(() => child.kill('SIGKILL'), killAfterMs);
    return new Promise((resolve) =>
      child.once('exit', (code) => {
        if (timer) clearTimeout(timer);
        resolve({ code, words });
      }),
    );
  }

  private folded() {
    const job = new JobFolder(this.jobFolder).readJob();
    let text = '';
    try {
      text = readFileSync(path.join(this.jobFolder, 'events.ndjson'), 'utf8');
    } catch {
      // nothing was begun
    }
    return text.split('\n').reduce((folded, line) => {
      const event = line === '' ? null : parseEvent(line);
      return event ? foldJob(folded, event) : folded;
    }, newFolded(job));
  }

  names(): string[] {
    return readdirSync(this.library)
      .filter((n) => !n.startsWith('.'))
      .sort();
  }

  /** Whatever has a finished name is whole, by its own provenance. @returns what only looks finished. */
  wrecks(): string[] {
    const names = this.names();
    const films = names.filter((n) => /\.(mkv|mp4)$/.test(n));
    const bad = films.filter((name) => {
      const film = path.join(this.library, name);
      try {
        const written: unknown = JSON.parse(readFileSync(`${film}.json`, 'utf8'));
        const sidecar = SidecarSchema.parse(written);
        const digest = digestLike(sidecar.file.digest, readFileSync(film));
        return sealState(written) !== 'whole' || sidecar.file.digest !== digest;
      } catch {
        return true;
      }
    });
    const empty = names.filter((n) => statSync(path.join(this.library, n)).size === 0 && !this.isReserved(n));
    return [...new Set([...bad.filter((n) => !this.isReserved(n)), ...empty])];
  }

  /** An empty file of a name that placing has written down before: its own reservation, where there are no hard links. */
  private isReserved(name: string): boolean {
    const intent = path.join(this.library, '.careful-vault', ID, 'placing.json');
    return existsSync(intent) && statSync(path.join(this.library, name)).size === 0;
  }

  /**
   * What the engine does next: starts the runner again, or the user tries again what has failed.
   * @returns why it does not come to its end, or null.
   */
  async recover(): Promise<string | null> {
    for (let attempt = 0; attempt < 4; attempt++) {
      const { state } = this.folded();
      if (state.state === 'done') return this.ended();
      if (isOver(state)) new JobFolder(this.jobFolder).emit({ type: 'retried', around: false });
      const { code, words } = await this.run();
      if (code !== 0 && code !== 1 && code !== 3) return `the runner ended with ${code}: ${words.slice(-200)}`;
    }
    return this.folded().state.state === 'done' ? this.ended() : `it does not end: ${JSON.stringify(this.folded().state.problem)}`;
  }

  private ended(): string | null {
    const names = this.names();
    if (JSON.stringify(names) !== JSON.stringify(this.results)) return `the library has ${names.join(', ') || 'nothing'}`;
    const wrecks = this.wrecks();
    if (wrecks.length > 0) return `not whole: ${wrecks.join(', ')}`;
    const left = readdirSync(path.join(this.library, '.careful-vault')).filter((n) => n !== 'storage.json');
    if (left.length > 0) return `left in the workshop: ${left.join(', ')}`;
    return null;
  }

  /** The problem that is shown. */
  get problem(): string | null {
    return this.folded().state.problem?.code ?? null;
  }

  get shownAs(): string {
    return this.folded().state.state;
  }
}
