import { DiscError, throwIfCancelled, type ByteSource } from '../bytes';
import type { Reading, Segment } from '../reading';
import type { Reel } from '../reels/model';
import {
  NO_PTS,
  TICKS_PER_SECOND,
  VIDEO_STREAM,
  privateStream,
  readLpcmLayout,
  readNavigationPack,
  readPack,
  type AudioFrameHeader,
  type NavigationPack,
  type PesReceiver,
  type StreamKey,
} from '../streams';
import { SECTOR_BYTES } from '../volume';
import { AudioFramer } from './audio-framer';
import { makeLanes, type AssembledTrack, type Lane, type TapBytes } from './lanes';
import type { HeldPacket, Packet, PacketQueue, TrackAccount } from './packet';
import { joinProblem, planPiece, type PlannedPiece, type PlannedSegment } from './plan';
import { SubpictureFramer } from './subpicture-framer';
import { Timeline } from './timeline';
import { VideoFramer, type VideoCounts } from './video-framer';
import { transformLpcm } from './lpcm-repack';

/** Opens the content of a title set; the same source for the same number. */
export type OpenContent = (titleSet: number) => Promise<ByteSource>;

export interface AssembledChapter {
  readonly startTicks: number;
  readonly name: string;
}

export interface AssemblyOptions {
  readonly signal?: AbortSignal;
  readonly tap?: TapBytes;
}

const CHUNK_SECTORS = 256;
/** How far tracks may run apart before packets leave without waiting for the slower one. */
const MAX_SPREAD_TICKS = 4 * TICKS_PER_SECOND;
const MAX_QUEUED_BYTES = 12 * 1024 * 1024;
/** How far beyond a cut sound that belongs before it is looked for, and how much sound may come before the first picture. */
const TAIL_SECTORS = 1024;
const MAX_LEAD_TICKS = 2 * TICKS_PER_SECOND;
/** A jump of the navigation packs' clock inside a VOB that is no rounding. */
const CLOCK_JUMP_PTS = 45_000;

/**
 * Turns a reel into timed packets per track, continuous from zero, by walking its cells in order.
 *
 * Use: `await fill()` until it says false; after each, `take()` until null. Nothing is read until asked for, so a slow
 * consumer holds the disc back and memory stays bounded whatever the length.
 */
export class Assembly implements PesReceiver {
  readonly tracks: readonly AssembledTrack[];
  readonly chapters: AssembledChapter[] = [];
  /** Sectors to be read in all, and read so far. */
  readonly totalBytes: number;
  readBytes = 0;
  private readonly lanes: Lane[];
  private readonly byStream = new Map<StreamKey, Lane>();
  private readonly video: VideoFramer;
  private readonly timeline = new Timeline();
  private epoch = -1;
  private lastNavigation: NavigationPack | null = null;
  private skipToSector = 0;
  private soundOnly = false;
  /** One is worked on while the other is read. */
  private readonly chunks = [new Uint8Array(CHUNK_SECTORS * SECTOR_BYTES), new Uint8Array(CHUNK_SECTORS * SECTOR_BYTES)] as const;
  private leadTicks: number | null = null;
  private ended = false;
  private readonly steps: AsyncGenerator<void, void>;
  private readonly pendingChapters: { epoch: number; pts90k: number; name: string }[] = [];
  private chapterToCome: number | null = null;

  constructor(
    private readonly reading: Reading,
    private readonly reel: Reel,
    private readonly openContent: OpenContent,
    private readonly options: AssemblyOptions = {},
  ) {
    const pieces = reel.pieces.map((piece) => planPiece(reading, piece));
    const first = pieces[0];
    if (!first) throw new DiscError('unsupported', { source: 'reel', byteOffset: 0 }, 'The reel has no piece');
    for (const other of pieces.slice(1)) {
      const problem = joinProblem(first.title, other.title);
      if (problem) throw new DiscError('unsupported', { source: 'reel', byteOffset: 0 }, problem);
    }
    this.totalBytes = pieces.reduce(
      (sum, p) => sum + p.segments.reduce((s, { segment }) => s + (segment.lastSector - segment.firstSector + 1) * SECTOR_BYTES, 0),
      0,
    );
    this.video = new VideoFramer(this.timeline);
    this.lanes = makeLanes(first.title, reel, this.video, this.timeline, options.tap ?? null);
    this.tracks = this.lanes.map((lane) => lane.track);
    for (const lane of this.lanes) this.byStream.set(lane.track.kind === 'video' ? VIDEO_STREAM : lane.track.source.stream, lane);
    this.steps = this.walk(pieces);
  }

  /** Chapters on the output's clock; the first begins at zero. */
  outputChapters(): AssembledChapter[] {
    return this.chapters.map((chapter, i) => ({ ...chapter, startTicks: i === 0 ? 0 : chapter.startTicks + (this.leadTicks ?? 0) }));
  }

  /** Byte accounts of the tracks, by index. Complete once `fill` has said false. */
  account(track: number): TrackAccount {
    return (this.lanes[track] as Lane).framer.account;
  }

  /** Header of the first frame of an audio track; null before it came, and for LPCM. */
  audioHeader(track: number): AudioFrameHeader | null {
    const { framer } = this.lanes[track] as Lane;
    return framer instanceof AudioFramer ? framer.format.first : null;
  }

  get videoCounts(): VideoCounts {
    return this.video.counts;
  }

  /** Display aspect and the like from the stream's own headers; null before the first picture. */
  get sequence() {
    return this.video.sequence;
  }

  /** End of the last frame, after the shift that makes the earliest packet zero. */
  get endTicks(): number {
    return this.video.endTicks + (this.leadTicks ?? 0);
  }

  /** Subtitle units of a track that are shown even while subtitles are off. */
  forcedUnits(track: number): number {
    const { framer } = this.lanes[track] as Lane;
    return framer instanceof SubpictureFramer ? framer.forcedUnits : 0;
  }

  /**
   * Reads on until packets are ready. @returns false when the reel is at its end and everything was taken.
   * @throws DiscError `read-failed`, `ended-early`, `scrambled`, `cancelled`.
   */
  async fill(): Promise<boolean> {
    while (!this.ended && this.nextLane() === null) {
      const step = await this.steps.next();
      if (step.done) this.ended = true;
    }
    if (this.nextLane() !== null) return true;
    for (const lane of this.lanes) lane.run?.flush();
    return false;
  }

  /** The next packet in order of time, or null where more must be read first. */
  take(): Packet | null {
    const index = this.nextLane();
    if (index === null) return null;
    const lane = this.lanes[index] as Lane;
    const held = lane.framer.queue.shift() as HeldPacket;
    lane.framer.es.release(held.position);
    this.leadTicks ??= this.measureLead(held);
    const bytes = lane.framer.es.view(held.position, held.length);
    lane.framer.account.takenBytes += held.length;
    lane.framer.account.packets++;
    lane.run?.add(held.position, held.length);
    const lpcm = lane.track.kind === 'audio' ? lane.track.lpcm : null;
    return {
      track: index,
      ticks: held.ticks + this.leadTicks,
      durationTicks: held.durationTicks,
      key: held.key,
      discardable: held.discardable,
      data: lpcm ? transformLpcm(lpcm, bytes) : bytes,
    };
  }

  /** Sound may begin before the first picture; then everything moves, so that nothing has a negative time. */
  private measureLead(first: HeldPacket): number {
    const earliest = Math.min(first.ticks, ...this.lanes.map((lane) => lane.framer.queue.head?.ticks ?? 0));
    return earliest < 0 ? -Math.max(earliest, -MAX_LEAD_TICKS) : 0;
  }

  private nextLane(): number | null {
    let best: number | null = null;
    let bestTicks = Number.POSITIVE_INFINITY;
    let waiting = false;
    let bytes = 0;
    let latest = Number.NEGATIVE_INFINITY;
    for (let i = 0; i < this.lanes.length; i++) {
      const lane = this.lanes[i] as Lane;
      const { queue } = lane.framer as { queue: PacketQueue };
      const head = queue.head;
      bytes += queue.bytes;
      if (!head) {
        if (lane.track.kind !== 'subtitle') waiting = true;
        continue;
      }
      latest = Math.max(latest, queue.lastTicks ?? 0);
      if (head.orderTicks < bestTicks) {
        bestTicks = head.orderTicks;
        best = i;
      }
    }
    if (best === null || this.ended || !waiting) return best;
    return bytes > MAX_QUEUED_BYTES || latest - bestTicks > MAX_SPREAD_TICKS ? best : null;
  }

  private async *walk(pieces: readonly PlannedPiece[]): AsyncGenerator<void, void> {
    for (const piece of pieces) {
      const startTicks = this.video.endTicks;
      this.beginPiece(piece, startTicks);
      for (const planned of piece.segments) {
        this.enterSegment(planned);
        yield* this.readSegment(planned.segment, Number.POSITIVE_INFINITY);
      }
      this.breakClock();
      if (!piece.naturalEnd && piece.following) yield* this.readTail(piece.following, this.video.endTicks);
      this.settle(true);
      this.placeChapters();
      if (!piece.naturalEnd) this.endAt(this.video.endTicks);
      this.epoch = -1;
      this.lastNavigation = null;
      yield;
    }
  }

  private beginPiece(piece: PlannedPiece, startTicks: number): void {
    const notBefore = piece.naturalStart ? (startTicks === 0 ? Number.NEGATIVE_INFINITY : startTicks - MAX_LEAD_TICKS) : startTicks;
    for (const { framer } of this.lanes) {
      if (framer instanceof VideoFramer) framer.beginPiece(!piece.naturalStart);
      else framer.beginPiece(notBefore);
    }
    // The first chapter of a piece is a chapter of the output even where the piece begins inside one.
    this.chapterToCome = this.chapters.length + this.pendingChapters.length + 1;
  }

  private endAt(ticks: number): void {
    for (const { framer } of this.lanes) if (!(framer instanceof VideoFramer)) framer.endPieceAt(ticks);
  }

  private enterSegment(planned: PlannedSegment): void {
    if (planned.chapter !== null) this.chapterToCome = this.chapters.length + this.pendingChapters.length + 1;
    const { segment } = planned;
    if (this.lastNavigation && (segment.clockRestarts || segment.vobId !== this.lastNavigation.vobId)) this.lastNavigation = null;
  }

  /** Sound after a cut, until every audio track has passed the end of the picture. */
  private async *readTail(following: Segment, endTicks: number): AsyncGenerator<void, void> {
    this.soundOnly = true;
    for (const { framer } of this.lanes) if (framer instanceof AudioFramer) framer.process(false);
    const passed = () => this.lanes.every(({ framer }) => !(framer instanceof AudioFramer) || framer.hasPassed(endTicks));
    if (!passed() && !following.clockRestarts) yield* this.readSegment(following, TAIL_SECTORS, passed);
    this.soundOnly = false;
  }

  private async *readSegment(segment: Segment, mostSectors: number, enough: () => boolean = () => false): AsyncGenerator<void, void> {
    const source = await this.openContent(segment.titleSet);
    const end = Math.min(segment.lastSector + 1, segment.firstSector + mostSectors);
    const request = (sector: number, which: number) => {
      const sectors = Math.min(CHUNK_SECTORS, end - sector);
      const target = (this.chunks[which & 1] as Uint8Array).subarray(0, Math.max(0, sectors) * SECTOR_BYTES);
      const read = sectors > 0 ? source.read(sector * SECTOR_BYTES, target) : Promise.resolve(0);
      read.catch(() => undefined); // looked at when it is awaited; a read ahead that is never used must not end the process
      return { read, target };
    };
    this.skipToSector = segment.firstSector;
    let ahead = request(segment.firstSector, 0);
    for (let sector = segment.firstSector, turn = 0; sector < end; sector += CHUNK_SECTORS, turn++) {
      throwIfCancelled(this.options.signal, this.reading.label);
      const { read, target } = ahead;
      const got = await read;
      if (got < target.byteLength) {
        throw new DiscError(
          'ended-early',
          { source: source.name, byteOffset: sector * SECTOR_BYTES + got },
          `The content ends inside segment ${segment.id}`,
        );
      }
      ahead = request(sector + CHUNK_SECTORS, turn + 1);
      for (let at = 0; at < got; at += SECTOR_BYTES) this.sector(target, at, sector + at / SECTOR_BYTES, segment);
      if (!this.soundOnly) this.readBytes += got;
      if (this.soundOnly) {
        this.settle(false);
        if (enough()) {
          await ahead.read.catch(() => 0); // its buffer is used again
          return;
        }
      }
      yield;
    }
  }

  private sector(data: Uint8Array, at: number, sector: number, segment: Segment): void {
    if (sector < this.skipToSector) return;
    const navigation = readNavigationPack(data, at);
    if (navigation) {
      // Interleaved units of other angles stand between those of this one: they are passed over whole.
      if (segment.interleaved && segment.vobId !== 0 && (navigation.vobId !== segment.vobId || navigation.cellId !== segment.cellId)) {
        this.skipToSector = sector + navigation.lastSectorOffset + 1;
        return;
      }
      if (!this.soundOnly) this.enterVobu(navigation);
      return;
    }
    readPack(data, at, at + SECTOR_BYTES, this);
  }

  private enterVobu(navigation: NavigationPack): void {
    this.settle(false);
    const last = this.lastNavigation;
    if (!last || last.vobId !== navigation.vobId || Math.abs(navigation.startPts90k - last.endPts90k) > CLOCK_JUMP_PTS) {
      this.breakClock();
      this.epoch = this.timeline.begin(navigation.startPts90k);
    }
    this.lastNavigation = navigation;
    if (this.chapterToCome !== null) {
      const number = this.chapterToCome;
      this.pendingChapters.push({
        epoch: this.epoch,
        pts90k: navigation.startPts90k,
        name: this.reel.chapterNames[number - 1]?.trim() || `Chapter ${String(number)}`,
      });
      this.chapterToCome = null;
    }
  }

  /** The disc's clock ends here: what has come of the picture is complete. */
  private breakClock(): void {
    if (this.epoch >= 0) this.video.finish(this.epoch);
    this.settle(false);
  }

  private settle(final: boolean): void {
    if (this.epoch >= 0 && !this.soundOnly) this.video.scan(this.epoch);
    if (final) this.placeSoundWithoutPicture();
    for (const { framer } of this.lanes) if (!(framer instanceof VideoFramer)) framer.process(final);
    this.placeChapters();
  }

  /** A stretch without any stamped picture: its sound then begins where the picture ends. */
  private placeSoundWithoutPicture(): void {
    for (let epoch = 0; epoch <= this.timeline.current; epoch++) {
      if (!this.timeline.isPlaced(epoch)) this.timeline.placeBase(epoch, this.video.endTicks);
    }
  }

  private placeChapters(): void {
    for (let first = this.pendingChapters[0]; first && this.timeline.isPlaced(first.epoch); first = this.pendingChapters[0]) {
      const before = this.chapters[this.chapters.length - 1]?.startTicks ?? 0;
      this.chapters.push({ startTicks: Math.max(before, this.timeline.map(first.epoch, first.pts90k), 0), name: first.name });
      this.pendingChapters.shift();
    }
  }

  /** @internal part of the demultiplexer's contract. */
  payload(stream: StreamKey, data: Uint8Array, from: number, to: number, pts90k: number): void {
    const lane = this.byStream.get(stream);
    if (!lane) return;
    if (this.epoch < 0) this.epoch = this.timeline.begin(pts90k === NO_PTS ? 0 : pts90k);
    const { framer } = lane;
    if (framer instanceof VideoFramer) {
      if (!this.soundOnly) framer.append(data, from, to, pts90k, this.epoch);
    } else if (framer instanceof SubpictureFramer) {
      if (!this.soundOnly) framer.append(data, from, to, pts90k, this.epoch);
    } else {
      framer.append(data, from, to, pts90k, this.epoch, this.lpcmUnitAt(lane, stream, data, from));
    }
  }

  /** LPCM stamps count from the first access unit, to which a pointer in the packet's head leads. DVD-Video: first_access_unit_pointer. */
  private lpcmUnitAt(lane: Lane, stream: StreamKey, data: Uint8Array, from: number): number {
    if (lane.track.kind !== 'audio' || !lane.track.lpcm || stream < privateStream(0xa0)) return 0;
    const { lpcm } = lane.track;
    const layout = readLpcmLayout(data[from - 2] as number);
    if (layout && (layout.bitDepth !== lpcm.bitDepth || layout.channels !== lpcm.channels || layout.sampleRateHz !== lpcm.sampleRateHz)) {
      throw new DiscError(
        'unsupported',
        { source: this.reading.label, byteOffset: 0 },
        'An LPCM track changes its layout inside the title: take the parts as reels of their own',
      );
    }
    return Math.max(0, (((data[from - 5] as number) << 8) | (data[from - 4] as number)) - 4);
  }

  /** @internal part of the demultiplexer's contract. */
  scrambled(): void {
    throw new DiscError('scrambled', { source: this.reading.label, byteOffset: 0 }, 'A copy-protected packet was met');
  }
}

/** All packets of a reel, one by one; each one's `data` is valid until the next is asked for. */
export async function* assemble(
  reading: Reading,
  reel: Reel,
  openContent: OpenContent,
  options: AssemblyOptions = {},
): AsyncGenerator<Packet, Assembly> {
  const assembly = new Assembly(reading, reel, openContent, options);
  while (await assembly.fill()) for (let packet = assembly.take(); packet; packet = assembly.take()) yield packet;
  return assembly;
}
