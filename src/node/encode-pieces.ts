import { createReadStream, existsSync, mkdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import path from 'node:path';
import type { Readable } from 'node:stream';
import { DiscError } from '@/core/bytes';
import { joinPictures, readMatroskaStream, type MatroskaSink } from '@/core/matroska';
import {
  divideEncode,
  encoderArguments,
  firstPassArguments,
  joinArguments,
  packedViews,
  pieceArguments,
  unsaidPacking,
  videoEncoderOf,
  whyWhole,
  type EncodePiece,
  type EncodePlan,
  type FileTags,
  type SourcePicture,
} from '@/core/recipes';
import { withFramePacking } from '@/core/stereo';
import { WorkError } from '@/contract';
import { bothViewsOf, feedBothViews, isOfSecondView, remarkOf } from './both-views';
import { withClipFolder } from './clips';
import { withEncodeFolder, type BesideEncode } from './encode-folder';
import { flushFile, syncFolder, writeDurably } from './durable';
import { ffmpegVersion } from './ffmpeg';
import { fastCrc32 } from './payload-hash';
import { asLoudAsWished } from './loudness';
import { capture, collectLines, runProgram } from './program';

/** A copy that is encoded from a master's file: in pieces where it is long, each of which is kept when it is finished. */
export interface EncodeOrder {
  readonly plan: EncodePlan;
  /** The master: Matroska. */
  readonly master: string;
  readonly masterMs: number;
  readonly output: string;
  /** A folder of its own for what is finished of it. */
  readonly folder: string;
  readonly application: string;
  readonly pieceMs: number;
  /** Pieces in work side by side; by the cores of the machine where nothing is said. */
  readonly atOnce?: number;
  readonly tags?: FileTags;
  readonly chapters?: BesideEncode['chapters'];
  /** JPEG as a data address. */
  readonly cover?: string | null;
}

/** How a copy was encoded. */
interface Encoded {
  readonly pieces: number;
  /** Some of them were there from an attempt before. */
  readonly goneOn: boolean;
  /** FFmpeg's own name of the encoder of its picture; null where that was copied. */
  readonly encoder: string | null;
}

export interface EncodeWatch {
  readonly signal?: AbortSignal | undefined;
  readonly progress: (doneMs: number) => void;
  readonly note: (text: string) => void;
}

const READ_BYTES = 4 * 1024 * 1024;

/** What encoders say that is no surprise: second views are decoded otherwise, and channels of PCM have their usual places. */
const isNews = (line: string): boolean => !isOfSecondView(line) && !line.startsWith('Guessed Channel Layout for Input Stream');

/** FFmpeg's progress lines: milliseconds of the output that are made, on the source's clock. */
const progressOf = (onTime: (ms: number) => void) => (stdout: Readable) => {
  collectLines(stdout, [], (line) => {
    const time = /^out_time_us=(\d+)/.exec(line);
    if (time) onTime(Number(time[1]) / 1000);
  });
  return Promise.resolve();
};

/** Every picture of a master in order of display. @throws what reading a file throws. */
export async function picturesOf(master: string, signal?: AbortSignal): Promise<SourcePicture[]> {
  const pictures: SourcePicture[] = [];
  for await (const part of readMatroskaStream(
    createReadStream(master, { highWaterMark: READ_BYTES, ...(signal ? { signal } : {}) }),
    master,
  ))
    if (part.kind === 'cluster')
      for (const { track, timestampMs, key } of part.blocks) if (track === 1) pictures.push({ ms: timestampMs, key });
  return pictures.sort((a, b) => a.ms - b.ms);
}

/** Makes a file whole or not at all: it has its name only once it is finished and flushed. */
async function madeOnce(file: string, make: (unfinished: string) => Promise<void>): Promise<boolean> {
  if (existsSync(file)) return false;
  const unfinished = `${file}.part`;
  await make(unfinished);
  flushFile(unfinished);
  renameSync(unfinished, file);
  syncFolder(path.dirname(file));
  return true;
}

class PieceEncode {
  private readonly fileOf = (name: string) => path.join(this.order.folder, name);

  constructor(
    private readonly order: EncodeOrder,
    private readonly watch: EncodeWatch,
    private readonly cwd: string | undefined,
  ) {}

  private readonly pieceFile = ({ number }: EncodePiece): string => this.fileOf(`${String(number).padStart(4, '0')}.mkv`);
  readonly isFinished = (piece: EncodePiece): boolean => existsSync(this.pieceFile(piece));

  /** What was finished counts only for the very same work: another plan, or another encoder, begins anew. */
  open(pieces: readonly EncodePiece[]): void {
    const { folder, plan, masterMs } = this.order;
    mkdirSync(folder, { recursive: true });
    const work = JSON.stringify({
      work: pieces.map((p) => pieceArguments(plan, p, 'master', 'piece')),
      // What filters read beside it.
      steps: plan.video.steps,
      masterMs,
      encoder: ffmpegVersion(),
    });
    const note = this.fileOf('work.json');
    const before = existsSync(note) ? readFileSync(note, 'utf8') : null;
    if (before === work) return;
    rmSync(folder, { recursive: true, force: true });
    mkdirSync(folder, { recursive: true });
    writeDurably(note, work);
  }

  /** @throws WorkError `encoder-failed` where the piece does not hold the pictures that it must hold. */
  async piece(piece: EncodePiece, signal: AbortSignal, onTime: (ms: number) => void): Promise<void> {
    const { plan } = this.order;
    await madeOnce(this.pieceFile(piece), async (unfinished) => {
      const read = progressOf((ms) => {
        onTime(Math.max(0, ms - (piece.fromMs ?? 0) * plan.slower));
      });
      const { input, feed } = pictureInput(this.order, { ...this.watch, signal }, piece);
      const { errors } = await runProgram('ffmpeg', pieceArguments(plan, piece, input, unfinished), { signal, read, feed, cwd: this.cwd });
      for (const line of errors) if (isNews(line)) this.watch.note(`encoder, piece ${piece.number}: ${line}`);
      const { out } = await capture(
        'ffprobe',
        ['-v', 'error', '-count_packets', '-show_entries', 'stream=nb_read_packets', '-of', 'csv=p=0', '-f', 'matroska', unfinished],
        signal,
      );
      const frames = Number(/^\d+/.exec(out.trim())?.[0]);
      const { leastFrames: least, mostFrames: most } = piece;
      if (frames >= least && frames <= most) return;
      const wanted = least === most ? String(least) : `${least} to ${most}`;
      throw new WorkError('encoder-failed', `Piece ${piece.number} of the copy has ${frames} pictures, where ${wanted} belong`);
    });
  }

  /** All of the picture as one piece, where it can not be divided. */
  async whole(): Promise<void> {
    const { plan } = this.order;
    const picture: EncodePlan = { ...plan, container: 'Matroska', audio: [], subtitles: [], chapters: false, cover: false };
    await madeOnce(this.pieceFile(ALL), (unfinished) =>
      encodeWhole({ ...this.order, plan: picture, output: unfinished }, this.watch, this.cwd),
    );
  }

  /** Pieces in a row, with everything else of the copy: the sound is encoded here, whole. */
  async join(pieces: readonly EncodePiece[]): Promise<void> {
    const { plan, master, masterMs, output, application } = this.order;
    const { signal } = this.watch;
    const parts = pieces.map((p) => {
      const name = this.pieceFile(p);
      return { name, chunks: chunksOf(name) };
    });
    const feed = async (input: MatroskaSink) => {
      try {
        const unsaid = unsaidPacking(plan.video);
        return await joinPictures(parts, input, {
          ...{ application, durationNs: masterMs * plan.slower * 1e6, crc32: fastCrc32, signal },
          ...(unsaid && { intoKeys: withFramePacking(unsaid.views, unsaid.codec) }),
        });
      } catch (error) {
        if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
        // Whatever happened to them, they are no longer what was finished.
        rmSync(this.order.folder, { recursive: true, force: true });
        throw new WorkError('work-lost', `Finished pieces of the copy do not fit together: ${error.message}`, { cause: error });
      }
    };
    const { errors } = await runProgram('ffmpeg', joinArguments(plan, 'pipe:0', master, output), { signal, feed, cwd: this.cwd });
    for (const line of errors) if (isNews(line)) this.watch.note(`encoder, joining: ${line}`);
  }
}

/** A file as a stream that is opened when it is its turn: there may be hundreds. */
async function* chunksOf(file: string): AsyncGenerator<Uint8Array> {
  yield* createReadStream(file, { highWaterMark: READ_BYTES }) as AsyncIterable<Buffer>;
}

/** Film behind a piece: pictures are not coded in the order in which they are shown. */
const BEHIND_MS = 2000;

/** What FFmpeg reads as the picture: the master itself, or both of its views in turn, from where a piece begins. */
function pictureInput({ plan, master }: EncodeOrder, { signal, note }: EncodeWatch, piece: EncodePiece | null) {
  const frameMs = bothViewsOf(plan);
  if (frameMs === null) return { input: master };
  const fromMs = piece?.seekMs ?? null;
  const lengthMs = piece?.toMs == null ? undefined : piece.toMs - (fromMs ?? 0) + BEHIND_MS;
  const feed = async (input: MatroskaSink): Promise<void> => {
    const wanted = { frameMs, fromMs, lengthMs, everything: false, signal };
    // Whoever has all pictures of a piece reads no further; whoever stops for another reason says so when it ends.
    let stopped = false;
    const write = (data: Uint8Array) =>
      input.write(data).catch((error: unknown) => {
        stopped = true;
        throw error;
      });
    const met = await feedBothViews(master, { write, writeAt: null }, wanted).catch((error: unknown) => {
      if (!stopped) throw error;
      return null;
    });
    const remark = met && remarkOf(met);
    if (remark) note(piece ? `piece ${piece.number}: ${remark}` : remark);
  };
  return { input: 'pipe:0', feed };
}

/** A copy in one go, in one pass or two. */
async function encodeWhole(order: EncodeOrder, { signal, progress, note }: EncodeWatch, cwd: string | undefined): Promise<void> {
  const { plan, master, masterMs, output } = order;
  const { input, feed } = pictureInput(order, { signal, progress, note }, null);
  const run = async (args: readonly string[], onTime: (ms: number) => void) => {
    const { errors } = await runProgram('ffmpeg', args, { signal, read: progressOf(onTime), feed, cwd });
    for (const line of errors) if (isNews(line)) note(`encoder: ${line}`);
  };
  const ofSource = (ms: number) => ms / plan.slower;
  if (plan.video.rate?.passes !== 2) {
    await run(encoderArguments(plan, input, output, '', { ...order.tags, chapters: order.chapters ?? [] }, master), (ms) => {
      progress(ofSource(ms));
    });
    return;
  }
  // Beside the library, whose name may hold what separates an encoder's parameters.
  await withClipFolder(async (seen) => {
    const log = path.join(seen, 'pass');
    await run(firstPassArguments(plan, input, log, master), (ms) => {
      progress(ofSource(ms) / 2);
    });
    await run(encoderArguments(plan, input, output, log, {}, master), (ms) => {
      progress((masterMs + ofSource(ms)) / 2);
    });
  });
}

/** Encoders use some eight cores each; on a machine with more, several pieces are in work at once. */
const piecesAtOnce = (): number => Math.max(1, Math.min(4, Math.floor(cpus().length / 8)));

async function encodeDivided(order: EncodeOrder, watch: EncodeWatch, pieces: readonly EncodePiece[], cwd: string | undefined) {
  const { plan, masterMs } = order;
  const work = new PieceEncode(order, watch, cwd);
  work.open(pieces);
  const finished = pieces.filter(work.isFinished).length;
  if (finished > 0) watch.note(`${finished} of ${pieces.length} pieces were finished before: they are not made again`);
  const made = pieces.map(() => 0);
  const lengths = pieces.map((p) => (p.toMs ?? masterMs) - (p.fromMs ?? 0));
  const tell = (at: number, ms: number) => {
    made[at] = Math.min(lengths[at] ?? 0, ms);
    watch.progress(made.reduce((sum, m) => sum + m, 0));
  };
  const waiting = [...pieces.entries()];
  const stop = new AbortController();
  const signal = watch.signal ? AbortSignal.any([watch.signal, stop.signal]) : stop.signal;
  const next = async (): Promise<void> => {
    for (let taken = waiting.shift(); taken && !signal.aborted; taken = waiting.shift()) {
      const [at, piece] = taken;
      await work.piece(piece, signal, (ms) => {
        tell(at, ms / plan.slower);
      });
      tell(at, lengths[at] ?? 0);
    }
  };
  // Where one fails the others stop: what is finished of them stays.
  const workers = Array.from({ length: Math.max(1, order.atOnce ?? piecesAtOnce()) }, () =>
    next().catch((error: unknown) => {
      stop.abort(error);
    }),
  );
  await Promise.all(workers);
  // The reason is that of the first that failed: the others were stopped for it.
  signal.throwIfAborted();
  await work.join(pieces);
  return { pieces: pieces.length, goneOn: finished > 0 };
}

/**
 * Encodes a copy from its master. A long one is made in pieces, several at once where there are cores for that: what an earlier attempt finished is not made again.
 * They stay: whoever ordered the copy removes their folder once the copy itself is flushed and known.
 * @throws WorkError `encoder-failed`, `storage-full`, `work-lost` where finished pieces are spoilt.
 */
export async function encodeCopy(wished: EncodeOrder, watch: EncodeWatch): Promise<Encoded> {
  // FFmpeg may run in a folder of its own.
  const places = { master: path.resolve(wished.master), output: path.resolve(wished.output), folder: path.resolve(wished.folder) };
  const order = { ...wished, ...places, plan: await asLoudAsWished(wished.plan, wished.master, watch) };
  const { plan } = order;
  if (!plan.video.hardware) return encodeBy(order, watch);
  try {
    return await encodeBy(order, watch);
  } catch (error) {
    // Memory of its own, a driver that gave up: software can do the same.
    if (watch.signal?.aborted || !(error instanceof WorkError) || error.code !== 'encoder-failed') throw error;
    watch.note(`${plan.video.hardware} failed, encoded in software instead: ${error.message}`);
    return encodeBy({ ...order, plan: { ...plan, video: { ...plan.video, hardware: null } } }, watch);
  }
}

/**
 * FFmpeg writes into MP4 how a picture holds both eyes only where it copies one whose file says so, and what is put into the stream is put
 * into finished pieces: what is short, or can not be divided, is joined, too, from one piece.
 */
const saysViewsByJoining = ({ container, video }: EncodePlan): boolean =>
  video.codec !== 'copy' &&
  packedViews(video) !== null &&
  (container === 'MP4' || container === 'QuickTime' || unsaidPacking(video) !== null);

/** All of a picture. How many pictures it becomes is not asked of what can not be divided. */
const ALL: EncodePiece = { ...{ number: 1, fromMs: null, toMs: null, seekMs: null, warmUpMs: null }, leastFrames: 0, mostFrames: Infinity };

async function encodeApart(order: EncodeOrder, watch: EncodeWatch, cwd: string | undefined) {
  const work = new PieceEncode(order, watch, cwd);
  work.open([ALL]);
  const goneOn = work.isFinished(ALL);
  await work.whole();
  await work.join([ALL]);
  return { pieces: 1, goneOn };
}

function encodeBy(order: EncodeOrder, watch: EncodeWatch): Promise<Encoded> {
  const { plan, master, masterMs, pieceMs, chapters = [], cover = null } = order;
  const encoder = videoEncoderOf(plan);
  return withEncodeFolder(plan, { source: master, chapters, durationMs: masterMs, cover }, async (cwd) => {
    const isWhole = whyWhole(plan) !== null;
    const isJoined = saysViewsByJoining(plan);
    if (isWhole && isJoined) return { encoder, ...(await encodeApart(order, watch, cwd)) };
    const isShort = masterMs < pieceMs * 1.5 || isWhole;
    const pieces = isShort && !isJoined ? [] : divideEncode(plan, await picturesOf(master, watch.signal), pieceMs);
    if (pieces.length > 1 || (isJoined && pieces.length > 0)) return { encoder, ...(await encodeDivided(order, watch, pieces, cwd)) };
    await encodeWhole(order, watch, cwd);
    return { encoder, pieces: 1, goneOn: false };
  });
}
