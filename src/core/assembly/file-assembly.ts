import { DiscError, concatBytes, throwIfCancelled } from '../bytes';
import { readMatroskaStream, secondViewElement, type DescribedTrack, type StreamBlock } from '../matroska';
import type { Reading, Title } from '../reading';
import type { Piece, Reel } from '../reels/model';
import { pieceChapters, pieceSpan } from '../reels/pieces';
import { TICKS_PER_MS } from '../streams';
import type { AssemblyOptions } from './assembly';
import { findTaken, type AssembledTrack } from './walks/lanes';
import { TrackAccount, type Packet } from './packet';
import type { PacketStream } from './packet-stream';
import { planPiece } from './plan';
import type { VideoCounts } from './framers/framer';
import type { AssembledChapter } from './walks/walk';

/** What is asked of a file: some of its streams from the last picture that stands alone before a time. */
export interface Stretch {
  /** Null from the beginning. */
  readonly fromMs: number | null;
  /** Stream numbers, in the order of the reel's tracks. */
  readonly streams: readonly number[];
}

/** Opens a stretch of the file as a Matroska stream with the file's own time stamps. Ended early, it must stop what makes it. */
export type OpenStretch = (stretch: Stretch) => AsyncIterable<Uint8Array>;

interface PlannedRun {
  readonly title: Title;
  readonly fromMs: number | null;
  /** Null to the end. */
  readonly toMs: number | null;
  readonly chapters: readonly { readonly startMs: number; readonly name: string | null }[];
}

/** A chapter belongs to the picture that is nearest: containers round its time, and shift pictures against it a little. */
const toleranceMs = (title: Title) => Math.max(2, title.video.frameTicks / TICKS_PER_MS / 2);
/** Sound and subtitles may stand so much behind the picture that they belong to. */
const LATE_MS = 3000;
/** How long is waited for the first sound at the beginning of a file. */
const FIRST_SOUND_MS = 1000;
const MAX_HELD_BYTES = 64 * 1024 * 1024;

function planRun(reading: Reading, piece: Piece): PlannedRun {
  const { title } = planPiece(reading, piece);
  const { fromMs, toMs } = pieceSpan(title, piece);
  return {
    title,
    fromMs: fromMs <= 0 ? null : fromMs,
    toMs: toMs >= title.durationMs ? null : toMs,
    chapters: pieceChapters(title, piece),
  };
}

interface Held {
  readonly track: number;
  readonly block: StreamBlock;
  readonly data: Uint8Array;
}

/**
 * Turns a reel of a plain video file into timed packets. The file's own container gives frames and times; nothing is
 * parsed below them, so that every codec that the container knows can be taken.
 *
 * Cuts: a piece begins with the picture that stands alone at or before its chapter, and ends before the one that the
 * next chapter begins with.
 */
export class FileAssembly implements PacketStream {
  readonly tracks: readonly AssembledTrack[];
  readonly totalBytes: number;
  readBytes = 0;
  readonly picture = null;
  private readonly accounts: TrackAccount[];
  private readonly chapters: AssembledChapter[] = [];
  private readonly ready: Packet[] = [];
  private readonly frames: { total: number } = { total: 0 };
  private readonly steps: AsyncGenerator<void, void>;
  private descriptions: readonly DescribedTrack[] = [];
  private end = 0;
  private readonly frameTicks: number;
  private readonly interlaced: boolean;
  /** Blocks that carried something beside their frame, which is not taken. */
  additions = 0;

  constructor(
    reading: Reading,
    private readonly reel: Reel,
    private readonly open: OpenStretch,
    private readonly options: AssemblyOptions = {},
    /** How a second view in the picture's blocks is decoded, which what opens a stretch leaves out. */
    private readonly secondView: Uint8Array | null = null,
  ) {
    const runs = reel.pieces.map((piece) => planRun(reading, piece));
    const first = runs[0];
    if (!first) throw new DiscError('unsupported', { source: 'reel', byteOffset: 0 }, 'The reel has no piece');
    const { title } = first;
    this.tracks = [
      { kind: 'video', source: title.video },
      ...findTaken(title, title.audio, reel.audio, 'audio').map((source, i) => ({
        kind: 'audio' as const,
        source,
        taken: reel.audio[i] as Reel['audio'][number],
        lpcm: null,
      })),
      ...findTaken(title, title.subtitles, reel.subtitles, 'subtitle').map((source, i) => ({
        kind: 'subtitle' as const,
        source,
        taken: reel.subtitles[i] as Reel['subtitles'][number],
        palette: title.palette,
      })),
    ];
    this.accounts = this.tracks.map(() => new TrackAccount());
    this.frameTicks = title.video.frameTicks;
    this.interlaced = title.video.interlaced === true;
    const share = (run: PlannedRun) => ((run.toMs ?? run.title.durationMs) - (run.fromMs ?? 0)) / Math.max(1, run.title.durationMs);
    this.totalBytes = Math.round(runs.reduce((sum, run) => sum + run.title.sizeBytes * share(run), 0));
    this.steps = this.walk(runs, reading.label);
  }

  get endTicks(): number {
    return this.end;
  }

  get videoCounts(): VideoCounts {
    const { total } = this.frames;
    return {
      frames: total,
      progressive: this.interlaced ? 0 : total,
      topFieldFirst: total,
      repeated: 0,
      totalTicks: total * this.frameTicks,
    };
  }

  outputChapters(): AssembledChapter[] {
    return [...this.chapters];
  }
  account(track: number): TrackAccount {
    return this.accounts[track] as TrackAccount;
  }
  wholeness(): null {
    return null;
  }
  audioHeader(): null {
    return null;
  }
  subtitleHeader(): null {
    return null;
  }
  forcedTicks(): number[] {
    return [];
  }
  described(track: number): DescribedTrack | null {
    return this.descriptions[track] ?? null;
  }

  async fill(): Promise<boolean> {
    while (this.ready.length === 0) if ((await this.steps.next()).done) return this.ready.length > 0;
    return true;
  }

  async close(): Promise<void> {
    await this.steps.return();
  }

  take(): Packet | null {
    const packet = this.ready.shift() ?? null;
    if (packet) this.options.tap?.(packet.track, packet.data);
    return packet;
  }

  private async *walk(runs: readonly PlannedRun[], name: string): AsyncGenerator<void, void> {
    for (const run of runs) {
      const parts = readMatroskaStream(this.open({ fromMs: run.fromMs, streams: this.tracks.map((t) => t.source.stream) }), name);
      const cut = new Run(this, run, this.end, this.reel.chapterNames, this.chapters.length);
      let before = 0;
      for await (const part of parts) {
        throwIfCancelled(this.options.signal, name);
        if (part.kind === 'tracks') {
          this.describe(part.tracks, name);
          continue;
        }
        this.additions += part.additions;
        this.readBytes = Math.min(this.totalBytes, this.readBytes + part.endOffset - before);
        before = part.endOffset;
        for (const block of part.blocks) cut.add(block.track - 1, block);
        yield;
        if (cut.isComplete) break;
      }
      cut.finish();
      this.chapters.push(...cut.chapters);
      yield;
    }
  }

  private describe(tracks: readonly DescribedTrack[], name: string): void {
    if (tracks.length !== this.tracks.length)
      throw new DiscError('unsupported', { source: name, byteOffset: 0 }, 'Not all tracks of the file could be taken over');
    const changed = this.descriptions.length > 0 && tracks.some((t, i) => t.codecId !== this.descriptions[i]?.codecId);
    if (changed) throw new DiscError('unsupported', { source: name, byteOffset: 0 }, 'The pieces differ in their codecs');
    if (this.descriptions.length > 0) return;
    // Parts are only valid until the next one is asked for.
    this.descriptions = tracks.map((t) => {
      const left = t.kind === 'video' && !t.secondView && this.secondView;
      return { ...t, elements: concatBytes([t.elements, ...(left ? [secondViewElement(left)] : [])]) };
    });
  }

  /** Hands a frame over. Its bytes are the reader's, which reads on only once all that is ready has been taken. */
  emit(track: number, block: StreamBlock, ticks: number, data: Uint8Array): void {
    const account = this.account(track);
    account.packets++;
    account.takenBytes += data.byteLength;
    const duration = block.durationMs === null ? null : Math.round(block.durationMs * TICKS_PER_MS);
    if (track === 0) {
      this.frames.total++;
      this.end = Math.max(this.end, ticks + (duration ?? this.frameTicks));
    }
    this.ready.push({ track, ticks, durationTicks: duration, key: block.key, discardable: block.discardable, data });
  }
}

/** One piece on its way: holds what comes before the first picture, then places everything on the output's clock. */
class Run {
  private held: Held[] = [];
  private heldBytes = 0;
  /** Of what is held: the latest picture, and the tracks that something has come of. */
  private latestPictureMs = Number.NEGATIVE_INFINITY;
  private readonly heard = new Set<number>();
  /** File time that becomes the run's beginning. */
  private originMs: number | null = null;
  /** The picture that the run begins with, as far as is known. */
  private keyMs: number | null = null;
  private endMs: number | null = null;
  private latestMs = 0;
  readonly chapters: AssembledChapter[] = [];
  private readonly tolerance: number;

  constructor(
    private readonly assembly: FileAssembly,
    private readonly run: PlannedRun,
    private readonly startTicks: number,
    private readonly names: readonly string[],
    private readonly chaptersBefore: number,
  ) {
    this.tolerance = toleranceMs(run.title);
  }

  get isComplete(): boolean {
    return this.endMs !== null && this.latestMs > this.endMs + LATE_MS;
  }

  add(track: number, block: StreamBlock): void {
    const account = this.assembly.account(track);
    account.seenBytes += block.data.byteLength;
    this.latestMs = Math.max(this.latestMs, block.timestampMs);
    if (this.originMs !== null) {
      this.place(track, block, block.data);
      return;
    }
    this.held.push({ track, block, data: block.data.slice() });
    this.heldBytes += block.data.byteLength;
    this.heard.add(track);
    if (track === 0) this.latestPictureMs = Math.max(this.latestPictureMs, block.timestampMs);
    if (track === 0 && block.key && (this.keyMs === null || this.mayBegin(block.timestampMs))) this.keyMs = block.timestampMs;
    if (this.keyMs !== null && this.hasEnough()) this.begin();
    else if (this.heldBytes > MAX_HELD_BYTES) this.begin();
  }

  /** A later picture that stands alone is a better beginning as long as it is not after the chapter's. */
  private mayBegin(ms: number): boolean {
    return this.run.fromMs !== null && ms <= this.run.fromMs + this.tolerance;
  }

  /** Nothing that still comes can change where the run begins: the picture is past the cut, and all sound has shown itself. */
  private hasEnough(): boolean {
    if (this.run.fromMs !== null) return this.latestPictureMs > this.run.fromMs + this.tolerance;
    const silent = this.assembly.tracks.some((t, i) => t.kind === 'audio' && !this.heard.has(i));
    return !silent || this.latestPictureMs > (this.keyMs ?? 0) + FIRST_SOUND_MS;
  }

  private begin(): void {
    const firstMs = this.keyMs ?? this.held[0]?.block.timestampMs ?? 0;
    // At the file's own beginning sound may come before the picture; after a cut it begins with it.
    this.originMs = this.run.fromMs === null ? Math.min(firstMs, ...this.held.map((h) => h.block.timestampMs)) : firstMs;
    for (const { track, block, data } of this.held) this.place(track, block, data);
    this.held = [];
    this.run.chapters.forEach((chapter, i) => {
      const name = this.names[this.chaptersBefore + i]?.trim() || chapter.name || `Chapter ${this.chaptersBefore + i + 1}`;
      const ticks = this.startTicks + (i === 0 ? 0 : Math.max(0, chapter.startMs - (this.originMs ?? 0)) * TICKS_PER_MS);
      this.chapters.push({ startTicks: Math.round(ticks), name });
    });
  }

  private place(track: number, block: StreamBlock, data: Uint8Array): void {
    const account = this.assembly.account(track);
    const { toMs, fromMs } = this.run;
    if (track === 0 && block.key && toMs !== null && block.timestampMs >= toMs - this.tolerance) this.endMs ??= block.timestampMs;
    if (this.endMs !== null && (track === 0 || block.timestampMs >= this.endMs)) {
      account.leave('outside the cut', data.byteLength);
      return;
    }
    const origin = this.originMs ?? 0;
    if (block.timestampMs < origin) {
      account.leave(track === 0 && fromMs !== null ? 'needs pictures before the cut' : 'outside the cut', data.byteLength);
      return;
    }
    this.assembly.emit(track, block, this.startTicks + Math.round((block.timestampMs - origin) * TICKS_PER_MS), data);
  }

  finish(): void {
    if (this.originMs === null && this.held.length > 0) this.begin();
  }
}
