import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import { readFile, stat } from 'node:fs/promises';
import path from 'node:path';
import { z } from 'zod';
import type { Findings } from '@/core/findings';
import type { Reading } from '@/core/reading';
import { recipesById } from '@/core/recipes';
import { NO_TAGS, applyRules, nameOfDisc, readingForReel, reelPlace, wantsEyes, type ReelTags, type WantsEyes } from '@/core/reels';
import {
  KeptReadingSchema,
  OUTCOMES_PAGE,
  StandingOutcomeSchema,
  StandingSettingsSchema,
  WorkError,
  sourceKey,
  toProblem,
  type JobSource,
  type ReadingTask,
  type SourceRef,
  type StandingOutcome,
  type StandingSettings,
  type StandingState,
} from '@/contract';
import { appendDurably, writeDurably } from '@/node/durable';
import type { Drives } from './drives';
import type { Hub } from './hub';
import type { Jobs } from './jobs';
import type { Outputs } from './outputs';
import type { Readings } from './readings';
import type { Roots } from './roots';
import type { Storages } from './storages';

interface Around {
  readonly dataFolder: string;
  readonly readings: Pick<Readings, 'start'>;
  readonly roots: Pick<Roots, 'states' | 'source'>;
  readonly drives: Pick<Drives, 'eject' | 'states'>;
  readonly jobs: Pick<Jobs, 'submit' | 'states' | 'find'>;
  readonly outputs: Pick<Outputs, 'all'>;
  readonly storages: Pick<Storages, 'states'>;
  readonly hub: Pick<Hub, 'send'>;
  readonly resolve: (ref: SourceRef) => Promise<JobSource>;
}

const KeptSchema = z.object({
  version: z.literal(1),
  settings: StandingSettingsSchema.nullable(),
  since: z.string().nullable(),
  queued: z.number(),
  eyes: z.number(),
  /** Images that were there before, or were taken. */
  seen: z.array(z.string()),
  /** Drives that give their discs back when these jobs have read them. */
  ejects: z.array(z.object({ drive: z.string(), jobs: z.array(z.string()) })),
  /** The disc whose reels are being queued: an engine that ends in the middle of that is followed by one that goes on with it. */
  taking: z.object({ fingerprint: z.string(), firstEpisode: z.number().nullable() }).nullable(),
});
type Kept = z.infer<typeof KeptSchema>;
const NOTHING: Kept = { version: 1, settings: null, since: null, queued: 0, eyes: 0, seen: [], ejects: [], taking: null };

/** A file that grows, or was written just now, is still being copied. */
const SETTLED_MS = 8000;

/** Number of an outcome by the beginning of its line; 0 for what is none. */
const seqOf = (line: string): number => Number(/^\{"seq":(\d+),/.exec(line)?.[1] ?? 0);

/** Reads, plans, queues and gives back, while an order for that stands. All of it survives the end of the engine. */
export class StandingOrder {
  private readonly file: string;
  private readonly log: string;
  private readonly readingsFolder: string;
  private kept: Kept;
  private seq: number;
  private readonly sizes = new Map<string, number>();
  /** One disc after the other: series are numbered in the order in which discs come. */
  private turn: Promise<void> = Promise.resolve();

  constructor(private readonly around: Around) {
    this.file = path.join(around.dataFolder, 'standing-order.json');
    this.log = path.join(around.dataFolder, 'standing-outcomes.ndjson');
    this.readingsFolder = path.join(around.dataFolder, 'standing');
    mkdirSync(this.readingsFolder, { recursive: true });
    this.kept = this.load();
    this.seq = this.lastSeq();
    // A line that a power cut tore must not take the next one with it.
    if (existsSync(this.log) && this.text().at(-1) !== '') appendDurably(this.log, '\n', true);
  }

  private load(): Kept {
    try {
      return KeptSchema.parse(JSON.parse(readFileSync(this.file, 'utf8')));
    } catch {
      return NOTHING; // no order was given yet
    }
  }

  private keep(change: Partial<Kept>): void {
    this.kept = { ...this.kept, ...change };
    writeDurably(this.file, JSON.stringify(this.kept));
    this.around.hub.send({ type: 'standing', standing: this.state });
  }

  get state(): StandingState {
    const { settings, since, queued, eyes } = this.kept;
    return { settings, since, seq: this.seq, queued, eyes };
  }

  get isOn(): boolean {
    return this.kept.settings !== null;
  }

  /** Lines of the log with a number above one that is known, in order; what is known is not read through again. */
  private linesAfter(seq: number, most: number): StandingOutcome[] {
    const found: StandingOutcome[] = [];
    for (const line of this.text()) {
      if (found.length >= most) break;
      if (seqOf(line) <= seq) continue;
      try {
        found.push(StandingOutcomeSchema.parse(JSON.parse(line)));
      } catch {
        // torn by a power cut: what it said is on the queue all the same
      }
    }
    return found;
  }

  private text(): string[] {
    return existsSync(this.log) ? readFileSync(this.log, 'utf8').split('\n') : [];
  }

  private lastSeq(): number {
    return this.text().reduce((last, line) => Math.max(last, seqOf(line)), 0);
  }

  /** Gives the order, changes it, or ends it. What is there when it is given is not taken: only what comes. @throws system errors. */
  set(settings: StandingSettings | null): void {
    const isNew = settings !== null && this.kept.settings === null;
    this.keep({
      settings,
      ...(isNew ? { since: new Date().toISOString(), queued: 0, eyes: 0, seen: this.imagesThere() } : {}),
      ...(settings === null ? { since: null, ejects: [] } : {}),
    });
  }

  private imagesThere(): string[] {
    return this.around.roots.states().flatMap((r) => r.found.map((f) => sourceKey({ kind: 'place', root: f.root, path: f.path })));
  }

  /** Is this reading one that the order is about? */
  private isMeant(ref: SourceRef): boolean {
    return ref.kind === 'drive' || (this.kept.settings?.roots.includes(ref.root) ?? false);
  }

  /** A reading has ended. */
  ended(task: ReadingTask, reading: Reading | null, findings: Findings | null): void {
    if (!this.isOn || !this.isMeant(task.source) || task.state === 'cancelled') return;
    this.turn = this.turn
      .then(() => this.take(task, reading, findings))
      .catch((error: unknown) => {
        console.error(error);
      });
  }

  private async take({ source, name, problem }: ReadingTask, reading: Reading | null, findings: Findings | null): Promise<void> {
    const { settings } = this.kept;
    if (!settings) return;
    const base = { source, name, fingerprint: reading?.fingerprint ?? null, tags: NO_TAGS, firstEpisode: null, reels: [] };
    if (!reading || !findings) {
      this.note(settings, { ...base, result: 'wants eyes', reason: 'unreadable', detail: problem?.message ?? 'It could not be read' });
      await this.giveBack(source, []);
      return;
    }
    writeDurably(path.join(this.readingsFolder, `${reading.fingerprint}.json`), JSON.stringify({ reading, findings }));
    const begun = this.kept.taking?.fingerprint === reading.fingerprint ? this.kept.taking : null;
    const known = begun ? null : await this.whereKnown(reading.fingerprint);
    if (known !== null) {
      this.note(settings, { ...base, result: 'known', reason: 'known', detail: known });
      await this.giveBack(source, []);
      return;
    }
    const series = findings.kind === 'series' ? settings.series : null;
    const tags: ReelTags = series ? { ...NO_TAGS, series: series.series, season: series.season } : NO_TAGS;
    const firstEpisode = series ? (begun?.firstEpisode ?? series.nextEpisode) : null;
    const set = series && firstEpisode !== null ? { series: series.series, season: series.season, firstEpisode } : null;
    const proposal = applyRules(reading, findings, settings.rules, tags, set);
    const planned = proposal.reels.map((reel, i) => ({
      id: `${reading.fingerprint.slice(0, 12)}-${i + 1}`,
      reel,
      jobId: null as string | null,
    }));
    const why = wantsEyes(reading, findings, proposal, settings.rules, settings.leastSure);
    if (why) {
      this.note(settings, { ...base, tags, firstEpisode, reels: planned, result: 'wants eyes', reason: why.reason, detail: detailOf(why) });
      await this.giveBack(source, []);
      return;
    }
    this.keep({ taking: { fingerprint: reading.fingerprint, firstEpisode } });
    const refused: string[] = [];
    for (const reel of planned)
      try {
        reel.jobId =
          (begun ? this.jobOf(reading.fingerprint, reel.reel.name) : null) ?? (await this.submit(settings, reading, reel.reel, source));
      } catch (error) {
        refused.push(`${reel.reel.name}: ${toProblem(error).message}`);
      }
    // Numbers are used up by what was queued, so that the next disc goes on behind this one.
    const episodes = planned.filter((r) => r.jobId !== null && r.reel.tags?.episode !== null && r.reel.tags?.episode !== undefined).length;
    if (series && firstEpisode !== null && episodes > 0)
      this.keep({ settings: { ...settings, series: { ...series, nextEpisode: firstEpisode + episodes } } });
    const jobs = planned.flatMap((r) => (r.jobId === null ? [] : [r.jobId]));
    this.note(settings, {
      ...base,
      tags,
      firstEpisode,
      reels: planned,
      result: refused.length === 0 ? 'queued' : 'wants eyes',
      reason: refused.length === 0 ? null : 'refused',
      detail: refused.join('; '),
    });
    await this.giveBack(source, jobs);
  }

  /** A job of the disc that an engine before this one has made. */
  private jobOf(fingerprint: string, name: string): string | null {
    return this.around.jobs.states().find((j) => j.fingerprint === fingerprint && j.name === name)?.id ?? null;
  }

  /** Discs that lay in their drives when the engine ended, and were not seen to: they are looked at once more. */
  async start(): Promise<void> {
    if (!this.isOn) return;
    for (const { id, disc, state } of this.around.drives.states())
      if (disc !== null && state === 'ready' && !this.kept.ejects.some((e) => e.drive === id))
        await this.around.readings.start({ kind: 'drive', drive: id }).catch((error: unknown) => {
          console.error(error);
        });
  }

  /** Where a disc is already; null where nothing of it is anywhere. */
  private async whereKnown(fingerprint: string): Promise<string | null> {
    const job = this.around.jobs.states().find((j) => j.fingerprint === fingerprint && j.state !== 'failed' && j.state !== 'cancelled');
    if (job) return job.state === 'done' ? `“${job.name}” of it was made` : `“${job.name}” of it is on the queue`;
    const output = (await this.around.outputs.all()).find((o) => o.sidecar.disc.fingerprint === fingerprint);
    return output ? `${output.path} is in the vault` : null;
  }

  private async submit(
    settings: StandingSettings,
    reading: Reading,
    reel: Parameters<typeof readingForReel>[1],
    ref: SourceRef,
  ): Promise<string> {
    const storages = this.around.storages.states();
    const storage = storages.find((s) => s.id === settings.rules.storage) ?? storages[0];
    if (!storage) throw new WorkError('storage-missing', 'There is no library storage');
    const { folder, fileName, places } = reelPlace(nameOfDisc(reading), reel, settings.rules.folder, settings.rules);
    const known = recipesById(settings.recipes);
    const copies = reel.recipes.flatMap((id) => known.get(id) ?? []);
    const request = { reel: { ...reel, fileName }, reading: readingForReel(reading, reel), copies, storage: storage.id, folder, places };
    return (await this.around.jobs.submit(request, await this.around.resolve(ref))).jobId;
  }

  private note(settings: StandingSettings, outcome: Omit<StandingOutcome, 'seq' | 'at' | 'storage' | 'folder'>): void {
    const whole: StandingOutcome = {
      seq: this.seq + 1,
      at: new Date().toISOString(),
      ...outcome,
      detail: outcome.detail.slice(0, 2000),
      storage: settings.rules.storage,
      folder: settings.rules.folder,
    };
    appendDurably(this.log, `${JSON.stringify(whole)}\n`, true);
    this.seq = whole.seq;
    const { queued, eyes } = this.kept;
    this.keep({ taking: null, queued: queued + (whole.result === 'queued' ? 1 : 0), eyes: eyes + (whole.result === 'wants eyes' ? 1 : 0) });
  }

  /** The tray opens when nothing reads the disc any more. */
  private async giveBack(source: SourceRef, jobs: readonly string[]): Promise<void> {
    if (source.kind !== 'drive' || !this.kept.settings?.eject) return;
    this.keep({ ejects: [...this.kept.ejects.filter((e) => e.drive !== source.drive), { drive: source.drive, jobs: [...jobs] }] });
    await this.openTrays();
  }

  private async openTrays(): Promise<void> {
    for (const eject of this.kept.ejects) {
      const isRead = eject.jobs.every((id) => !this.reads(id));
      const drive = this.around.drives.states().find((d) => d.id === eject.drive);
      if (!isRead || drive?.state === 'reading' || drive?.state === 'spinning up') continue;
      // One that does not open is not tried for ever: its own state says why.
      this.keep({ ejects: this.kept.ejects.filter((e) => e !== eject) });
      if (drive?.disc) await this.around.drives.eject(eject.drive).catch(() => undefined);
    }
  }

  private reads(id: string): boolean {
    try {
      const job = this.around.jobs.find(id);
      return !job.isOver && job.reads;
    } catch {
      return false; // taken off the list
    }
  }

  /** Looks for images that have come, and for discs that can be given back. */
  async look(): Promise<void> {
    const { settings } = this.kept;
    if (!settings) return;
    await this.openTrays();
    const seen = new Set(this.kept.seen);
    for (const root of this.around.roots.states()) {
      if (!settings.roots.includes(root.id)) continue;
      for (const found of root.found) {
        const ref: SourceRef = { kind: 'place', root: found.root, path: found.path };
        if (found.kind !== 'image' || seen.has(sourceKey(ref)) || !(await this.isSettled(ref))) continue;
        this.keep({ seen: [...this.kept.seen, sourceKey(ref)] });
        await this.around.readings.start(ref).catch((error: unknown) => {
          console.error(error);
        });
      }
    }
  }

  private async isSettled({ root, path: inside }: Extract<SourceRef, { kind: 'place' }>): Promise<boolean> {
    const file = await this.around.roots.source(root, inside).catch(() => null);
    const info = file ? await stat(file.path).catch(() => null) : null;
    if (!file || !info) return false;
    const before = this.sizes.get(file.path);
    this.sizes.set(file.path, info.size);
    return before === info.size && Date.now() - info.mtimeMs > SETTLED_MS;
  }

  /** @param after number of the last that is known. */
  outcomes(after: number): StandingOutcome[] {
    return this.linesAfter(after, OUTCOMES_PAGE);
  }

  /** @throws WorkError `not-known`. */
  async reading(fingerprint: string): Promise<z.infer<typeof KeptReadingSchema>> {
    if (!/^[0-9a-f]{64}$/.test(fingerprint)) throw new WorkError('not-known', 'There is no such reading');
    try {
      return KeptReadingSchema.parse(JSON.parse(await readFile(path.join(this.readingsFolder, `${fingerprint}.json`), 'utf8')));
    } catch (error) {
      throw new WorkError('not-known', 'This reading is no longer kept', { cause: error });
    }
  }
}

function detailOf({ reason, titles, confidence }: WantsEyes): string {
  const which = titles.length === 0 ? 'the disc' : `title ${titles.slice(0, 8).join(', ')}`;
  switch (reason) {
    case 'protected':
      return `${which} is copy protected`;
    case 'faults':
      return `its tables contradict themselves (${which})`;
    case 'damaged':
      return `${which} can not be read whole`;
    case 'unsure':
      return `only ${Math.round((confidence ?? 0) * 100)} % sure of ${which}`;
    case 'nothing':
      return 'the house rules take nothing of it';
  }
}
