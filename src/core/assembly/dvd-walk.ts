import { DiscError, throwIfCancelled } from '../bytes';
import type { CellSegment, Segment } from '../reading';
import {
  NO_PTS,
  VIDEO_STREAM,
  privateStream,
  readLpcmLayout,
  readNavigationPack,
  readPack,
  type NavigationPack,
  type PesReceiver,
  type StreamKey,
} from '../streams';
import { SECTOR_BYTES } from '../volume';
import { AudioFramer } from './audio-framer';
import { isDamage } from './damage';
import { lanesByStream, type Lane } from './lanes';
import type { PlannedPiece, PlannedSegment } from './plan';
import { SubpictureFramer } from './subpicture-framer';
import { VideoFramer } from './video-framer';
import { MAX_LEAD_TICKS, type Walk, type WalkSurroundings } from './walk';

const CHUNK_SECTORS = 256;
/** How far beyond a cut sound that belongs before it is looked for. */
const TAIL_SECTORS = 1024;
/** A jump of the navigation packs' clock inside a VOB that is no rounding. */
const CLOCK_JUMP_PTS = 45_000;

const cell = (segment: Segment): CellSegment => {
  if (segment.kind !== 'cell') throw new Error('a DVD is walked by cells');
  return segment;
};

/** Walks the cells of a DVD: program streams with navigation packs, whose clock restarts at VOB borders. */
export class DvdWalk implements Walk, PesReceiver {
  private byStream = new Map<StreamKey, Lane>();
  private epoch = -1;
  private lastNavigation: NavigationPack | null = null;
  private skipToSector = 0;
  private soundOnly = false;
  /** One is worked on while the other is read. */
  private readonly chunks = [new Uint8Array(CHUNK_SECTORS * SECTOR_BYTES), new Uint8Array(CHUNK_SECTORS * SECTOR_BYTES)] as const;
  private chapterToCome = false;

  constructor(
    private readonly video: VideoFramer,
    private readonly around: WalkSurroundings,
  ) {}

  async *steps(pieces: readonly PlannedPiece[]): AsyncGenerator<void, void> {
    for (const piece of pieces) {
      this.beginPiece(piece, this.video.endTicks);
      for (const planned of piece.segments) {
        this.enterSegment(planned);
        yield* this.readSegment(cell(planned.segment), Number.POSITIVE_INFINITY);
      }
      this.breakClock();
      if (!piece.naturalEnd && piece.following) yield* this.readTail(cell(piece.following), this.video.endTicks);
      this.settle(true);
      if (!piece.naturalEnd) this.endAt(this.video.endTicks);
      this.epoch = -1;
      this.lastNavigation = null;
      yield;
    }
  }

  private beginPiece(piece: PlannedPiece, startTicks: number): void {
    this.byStream = lanesByStream(this.around.lanes, [VIDEO_STREAM, ...piece.streams.slice(1)]);
    const notBefore = piece.naturalStart ? (startTicks === 0 ? Number.NEGATIVE_INFINITY : startTicks - MAX_LEAD_TICKS) : startTicks;
    for (const { framer } of this.around.lanes) {
      if (framer instanceof VideoFramer) framer.beginPiece(!piece.naturalStart);
      else if ('beginPiece' in framer) framer.beginPiece(notBefore);
    }
    // The first chapter of a piece is a chapter of the output even where the piece begins inside one.
    this.chapterToCome = true;
  }

  private endAt(ticks: number): void {
    for (const { framer } of this.around.lanes) if ('endPieceAt' in framer) framer.endPieceAt(ticks);
  }

  private enterSegment(planned: PlannedSegment): void {
    if (planned.chapter !== null) this.chapterToCome = true;
    const segment = cell(planned.segment);
    if (this.lastNavigation && (segment.clockRestarts || segment.vobId !== this.lastNavigation.vobId)) this.lastNavigation = null;
  }

  /** Sound after a cut, until every audio track has passed the end of the picture. */
  private async *readTail(following: CellSegment, endTicks: number): AsyncGenerator<void, void> {
    this.soundOnly = true;
    for (const { framer } of this.around.lanes) if (framer instanceof AudioFramer) framer.process(false);
    const passed = () => this.around.lanes.every(({ framer }) => !(framer instanceof AudioFramer) || framer.hasPassed(endTicks));
    try {
      if (!passed() && !following.clockRestarts) yield* this.readSegment(following, TAIL_SECTORS, passed);
    } catch (error) {
      if (!isDamage(error)) throw error; // what lies behind the cut may be damaged: then the sound ends where it does
    }
    this.soundOnly = false;
  }

  private async *readSegment(segment: CellSegment, mostSectors: number, enough: () => boolean = () => false): AsyncGenerator<void, void> {
    const source = await this.around.openContent(segment.content);
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
      throwIfCancelled(this.around.signal, this.around.label);
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
      if (!this.soundOnly) this.around.progress(got);
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

  private sector(data: Uint8Array, at: number, sector: number, segment: CellSegment): void {
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
      this.epoch = this.around.timeline.begin(navigation.startPts90k);
    }
    this.lastNavigation = navigation;
    if (this.chapterToCome) this.around.chapters.note(this.epoch, navigation.startPts90k);
    this.chapterToCome = false;
  }

  /** The disc's clock ends here: what has come of the picture is complete. */
  private breakClock(): void {
    if (this.epoch >= 0) this.video.finish(this.epoch);
    this.settle(false);
  }

  private settle(final: boolean): void {
    if (this.epoch >= 0 && !this.soundOnly) this.video.scan(this.epoch);
    if (final) this.placeSoundWithoutPicture();
    for (const { framer } of this.around.lanes) if ('process' in framer) framer.process(final);
    this.around.chapters.place();
  }

  /** A stretch without any stamped picture: its sound then begins where the picture ends. */
  private placeSoundWithoutPicture(): void {
    const { timeline } = this.around;
    for (let epoch = 0; epoch <= timeline.current; epoch++) {
      if (!timeline.isPlaced(epoch)) timeline.placeBase(epoch, this.video.endTicks);
    }
  }

  /** @internal part of the demultiplexer's contract. */
  payload(stream: StreamKey, data: Uint8Array, from: number, to: number, pts90k: number): void {
    const lane = this.byStream.get(stream);
    if (!lane) return;
    if (this.epoch < 0) this.epoch = this.around.timeline.begin(pts90k === NO_PTS ? 0 : pts90k);
    const { framer } = lane;
    if (framer instanceof AudioFramer) framer.append(data, from, to, pts90k, this.epoch, this.lpcmUnitAt(lane, stream, data, from));
    else if (!this.soundOnly && (framer instanceof VideoFramer || framer instanceof SubpictureFramer)) {
      framer.append(data, from, to, pts90k, this.epoch);
      const twin = lane.twin?.framer;
      if (twin instanceof SubpictureFramer) twin.append(data, from, to, pts90k, this.epoch);
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
        { source: this.around.label, byteOffset: 0 },
        'An LPCM track changes its layout inside the title: take the parts as reels of their own',
      );
    }
    return Math.max(0, (((data[from - 5] as number) << 8) | (data[from - 4] as number)) - 4);
  }

  /** @internal part of the demultiplexer's contract. */
  scrambled(): void {
    throw new DiscError('scrambled', { source: this.around.label, byteOffset: 0 }, 'A copy-protected packet was met');
  }
}
