import { randomUUID } from 'node:crypto';
import type { ServerResponse } from 'node:http';
import { canBeTaken, type Reading, type Title } from '@/core/reading';
import { takeAudio, takeSubtitle } from '@/core/reels';
import {
  WorkError,
  sourceKey,
  toProblem,
  type CompareLine,
  type CompareWish,
  type JobSource,
  type MeasureLine,
  type OpenLook,
  type PreviewQuery,
  type ReadTextLine,
  type RehearsalLine,
  type SheetWish,
  type SourceRef,
  type TrialLine,
} from '@/contract';
import { compareTracks } from '@/node/compare-tracks';
import { measureTitle } from '@/node/measure';
import { openSource, requireSame, type OpenedSource } from '@/node/open-source';
import { picturesAt, startPreview } from '@/node/pictures';
import type { Drives } from './drives';
import { sendPlayed } from './play';
import type { Players } from './players';
import type { Pool } from './pool';

interface Look {
  readonly id: string;
  readonly key: string;
  /** What pages have sent of the reading, by title. */
  readonly readings: Map<number, Reading>;
  readonly source: JobSource;
  readonly opened: Promise<OpenedSource>;
  /** Settles when it is known to be the disc that was read. */
  readonly ready: Promise<void>;
  users: number;
  lastUsed: number;
}

/** A look that nobody has used for so long is closed: its files and its drive are free again. */
const IDLE_MS = 90_000;
const MAX_LOOKS = 6;
const MAX_PICTURE_CACHE_BYTES = 96 * 1024 * 1024;

/** Sources that are open so that pages can look into titles: pictures, previews, measurements. */
export class Looks {
  private readonly looks = new Map<string, Look>();
  /** JPEG by disc, title, angle, moment and width, the one used last at the end. */
  private readonly pictures = new Map<string, Uint8Array>();
  private pictureBytes = 0;
  private readonly timer: ReturnType<typeof setInterval>;

  constructor(
    private readonly resolve: (ref: SourceRef) => Promise<JobSource>,
    private readonly drives: Drives,
    private readonly pool: Pool,
    private readonly players: Players,
  ) {
    this.timer = setInterval(() => {
      this.closeIdle(IDLE_MS);
    }, 10_000);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
    this.closeIdle(-1);
  }

  private closeIdle(afterMs: number): void {
    for (const look of this.looks.values()) if (look.users === 0 && Date.now() - look.lastUsed > afterMs) this.close(look);
  }

  private close(look: Look): void {
    this.looks.delete(look.id);
    void look.opened.then(
      (o) => o.close(),
      () => undefined,
    );
  }

  /** Lets a drive go whose disc is to be changed. Looking never keeps a disc in: what is under way ends with an error. */
  closeDrive(drive: string): void {
    for (const look of this.looks.values()) if (look.source.kind === 'drive' && look.source.drive === drive) this.close(look);
  }

  /** Lets an image go whose map has changed: what is open knows only the old one. */
  closeFile(file: string): void {
    for (const look of this.looks.values()) if (look.source.path === file) this.close(look);
  }

  /** Opens a source for one disc's titles; the same again gives the same look. @throws DiscError `other-disc`. */
  async open({ source: ref, reading }: OpenLook): Promise<{ id: string }> {
    const source = await this.resolve(ref); // first: between looking for a view and keeping a new one nothing may be waited for
    const key = `${sourceKey(ref)} ${reading.fingerprint}`;
    const byTitle = reading.titles.map((t) => [t.number, reading] as const);
    const known = [...this.looks.values()].find((l) => l.key === key);
    if (known) {
      // The disc was examined when it was opened: another title of it needs no more.
      known.lastUsed = Date.now();
      for (const [number, of] of byTitle) known.readings.set(number, of);
      await known.ready;
      return { id: known.id };
    }
    if (this.looks.size >= MAX_LOOKS) this.closeIdle(2000);
    if (this.looks.size >= MAX_LOOKS) throw new WorkError('bad-request', 'Too many discs are being looked at: close another page');
    const opened = openSource(source, { spunUp: source.kind !== 'drive' || this.drives.isSpunUp(source.drive) });
    const examine = async () => {
      const there = await opened;
      if (source.kind === 'drive') this.drives.spunUp(source.drive);
      requireSame(await there.examine(), reading, source.label);
    };
    const ready = examine();
    const look: Look = { id: randomUUID(), key, readings: new Map(byTitle), source, opened, ready, users: 0, lastUsed: Date.now() };
    this.looks.set(look.id, look);
    try {
      await ready;
      return { id: look.id };
    } catch (error) {
      this.looks.delete(look.id);
      await opened.then((o) => o.close()).catch(() => undefined);
      throw error;
    }
  }

  /** Works on a title of a look; it is not closed before that ends. @throws WorkError `not-known`, `bad-request`. */
  async use<T>(id: string, titleNumber: number, work: (opened: OpenedSource, reading: Reading, title: Title) => Promise<T>): Promise<T> {
    const look = this.looks.get(id);
    if (!look) throw new WorkError('not-known', 'This view of the disc was closed');
    const reading = look.readings.get(titleNumber);
    const title = reading?.titles.find((t) => t.number === titleNumber);
    if (!reading || !title) throw new WorkError('not-known', `There is no title ${titleNumber} in this view`);
    if (!canBeTaken(title)) throw new WorkError('bad-request', 'Nothing of this title can be shown');
    look.users++;
    try {
      return await work(await look.opened, reading, title);
    } finally {
      look.users--;
      look.lastUsed = Date.now();
    }
  }

  private keep(key: string, jpeg: Uint8Array): void {
    this.pictures.set(key, jpeg);
    this.pictureBytes += jpeg.byteLength;
    for (const [old, bytes] of this.pictures) {
      if (this.pictureBytes <= MAX_PICTURE_CACHE_BYTES) break;
      this.pictures.delete(old);
      this.pictureBytes -= bytes.byteLength;
    }
  }

  /** JPEGs at moments, as data for the page; those that can not be had are null. */
  async sheet(id: string, wish: SheetWish, signal: AbortSignal): Promise<(string | null)[]> {
    return this.use(id, wish.title, async (opened, reading, title) => {
      const keyOf = (ms: number) =>
        `${reading.fingerprint}/${title.number}/${wish.angle}/${Math.round(ms)}/${wish.width}/${wish.eyes}/${wish.firstEye}`;
      const missing = [...new Set(wish.moments.filter((ms) => !this.pictures.has(keyOf(ms))))];
      const made =
        missing.length === 0
          ? new Map<number, Uint8Array>()
          : await this.pool.run('look', signal, () => picturesAt(opened, reading, title, wish, missing, signal));
      const now = new Map(missing.map((ms, i) => [ms, made.get(i)]));
      for (const [ms, jpeg] of now) if (jpeg) this.keep(keyOf(ms), jpeg);
      return wish.moments.map((ms) => {
        const jpeg = now.get(ms) ?? this.pictures.get(keyOf(ms));
        return jpeg ? `data:image/jpeg;base64,${Buffer.from(jpeg).toString('base64')}` : null;
      });
    });
  }

  /** Streams a preview from a moment on. */
  async play(id: string, query: PreviewQuery, response: ServerResponse): Promise<void> {
    const controller = new AbortController();
    const leave = this.players.enter(response, () => {
      controller.abort();
    });
    try {
      await this.use(id, query.title, async (opened, reading, title) => {
        const audio = title.audio.find((t) => t.stream === query.audio);
        const subtitle = title.subtitles.find((t) => t.stream === query.subtitle);
        const wish = {
          angle: query.angle,
          startMs: Math.min(query.start, title.durationMs),
          audio: audio ? takeAudio(audio, true) : null,
          subtitle: subtitle ? takeSubtitle(subtitle) : null,
          width: 2 * Math.round(query.width / 2),
          eyes: query.eyes,
          firstEye: query.firstEye,
        };
        const { program, fed } = startPreview(opened, reading, title, wish, controller.signal);
        fed.catch(program.stop);
        await sendPlayed(program, response);
        await fed.catch(() => undefined);
      });
    } finally {
      leave();
    }
  }

  /** Measures a title; says how far it is, line by line, and ends with what was found or what went wrong. */
  measure(id: string, wish: { title: number; everything: boolean }, response: ServerResponse): Promise<void> {
    return sayingHowFar(response, async (report) => ({
      type: 'measured',
      measured: await this.use(id, wish.title, (opened, reading, title) =>
        this.pool.run('ask', report.signal, () => measureTitle(opened, reading, title, { everything: wish.everything, ...report })),
      ),
    }));
  }

  /** Compares two tracks of a title, in the same manner. */
  compareTracks(id: string, wish: CompareWish, response: ServerResponse): Promise<void> {
    return sayingHowFar(response, async (report) => ({
      type: 'compared',
      comparison: await this.use(id, wish.title, (opened, reading, title) =>
        this.pool.run('ask', report.signal, () => compareTracks(opened, reading, title, wish, report)),
      ),
    }));
  }
}

const REPORT_EVERY_MS = 200;

type SaidLine = MeasureLine | CompareLine | RehearsalLine | TrialLine | ReadTextLine;

/** Answers with lines of JSON while work is under way, and with what went wrong at its end. Ends the work where the page goes away. */
export async function sayingLines(
  response: ServerResponse,
  work: (say: (line: SaidLine) => void, signal: AbortSignal) => Promise<void>,
): Promise<void> {
  const controller = new AbortController();
  response.on('close', () => {
    controller.abort();
  });
  response.writeHead(200, { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' });
  const say = (line: object) => response.write(`${JSON.stringify(line)}\n`);
  try {
    await work(say, controller.signal);
  } catch (error) {
    say({ type: 'failed', problem: toProblem(error) });
  }
  response.end();
}

/** The same for work that says how far it is, and gives one result. */
function sayingHowFar(
  response: ServerResponse,
  work: (report: { signal: AbortSignal; onProgress: (done: number, total: number) => void }) => Promise<MeasureLine | CompareLine>,
): Promise<void> {
  return sayingLines(response, async (say, signal) => {
    let last = 0;
    const onProgress = (done: number, total: number) => {
      if (Date.now() - last < REPORT_EVERY_MS) return;
      last = Date.now();
      say({ type: 'progress', done, total });
    };
    say(await work({ signal, onProgress }));
  });
}
