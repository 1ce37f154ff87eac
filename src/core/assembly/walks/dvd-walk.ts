import { DiscError, type ByteSource } from '../../bytes';
import type { CellSegment } from '../../reading';
import {
  NO_PTS,
  PackClock,
  SCR_STEP_90K,
  STREAM,
  TICKS_PER_MS,
  TICKS_PER_PTS,
  VIDEO_STREAM,
  isPack,
  privateStream,
  readLpcmLayout,
  readNavigationPack,
  readPack,
  readScr,
  type NavigationPack,
  type PesReceiver,
  type StreamKey,
} from '../../streams';
import { SECTOR_BYTES } from '../../volume';
import { partsBeforeCell, type CarriedParts } from './carried';
import type { FaultKind } from '../../reading/fault';
import { sectorsOf, type Moment } from '../faults';
import { CellWatch, cellOf, latestEnd90k } from './cell-watch';
import { lanesByStream, type Lane } from './lanes';
import { NavigationChain } from './navigation-chain';
import { ChunkPair, ReadAhead, SECTORS } from './read-ahead';
import type { PlannedPiece, PlannedSegment } from '../plan';
import { ptsBetween } from '../timeline';
import type { VideoFramer } from '../framers/video-framer';
import { MAX_LEAD_TICKS } from '../framers/framer';
import { Unread } from './unread';
import { sameMoves } from './stretches';
import { goesOn, packsBefore, soundLeads, vobBeginsWith, vobEndsWith } from './vob-borders';
import { breakLanes, carryOver, carryingStreams, emptyStamp, lpcmChanges, type Walk, type WalkSurroundings } from './walk';

/** How far beyond a cut sound that belongs before it is looked for. */
const TAIL_SECTORS = 1024;
/** What a decoder holds of sound, and a little: it has four kilobytes for a stream. DVD-Video: P-STD buffer sizes. */
const HEAD_SECTORS = 96;
/**
 * Navigation packs that follow each other inside a VOB join to a field, which authors round to where film changes to video; anything
 * more is a jump. Pictures have stamps of their own, and are counted.
 */
const CLOCK_JUMP_PTS = 1802;
/** Sound may outlast the picture of its VOB by so much before the next VOB waits for it. */
const SOUND_SPARE_TICKS = 48 * TICKS_PER_MS;

const isSoundOrSubtitle = (stream: StreamKey) =>
  (stream >= STREAM.audio && stream < STREAM.video) ||
  (stream >= privateStream(0x20) && stream < privateStream(0x40)) ||
  (stream >= privateStream(0x80) && stream < privateStream(0x90)) ||
  (stream >= privateStream(0xa0) && stream < privateStream(0xa8));

/** What stands on the disc behind a cell. */
const behind = (cell: CellSegment, { sizeBytes }: ByteSource): CellSegment => ({
  ...cell,
  firstSector: cell.lastSector + 1,
  lastSector: Math.min(cell.lastSector + TAIL_SECTORS, Math.floor(sizeBytes / SECTOR_BYTES) - 1),
});

/** Segments between which the disc's clock goes on, and that feed the same tracks. */
function runsOf(segments: readonly PlannedSegment[]): PlannedSegment[][] {
  const runs: PlannedSegment[][] = [];
  for (const planned of segments) {
    const last = runs.at(-1)?.at(-1);
    if (last?.stillMs === 0 && goesOn(cellOf(last.segment), cellOf(planned.segment)) && sameMoves(last.moved, planned.moved))
      runs.at(-1)?.push(planned);
    else runs.push([planned]);
  }
  return runs;
}

/** Walks the cells of a DVD: program streams with navigation packs, whose clock restarts at VOB borders. */
export class DvdWalk implements Walk, PesReceiver {
  private byStream = new Map<StreamKey, Lane>();
  private epoch = -1;
  private lastNavigation: NavigationPack | null = null;
  private skipToSector = 0;
  private soundOnly = false;
  /** What stands before the cells is read: only sound is wanted of it. */
  private headOnly = false;
  /** Clock of the latest pack behind a cut; null before the first. */
  private tailScr: number | null = null;
  /** The clock that begins with the next navigation pack, of which sound has come already. */
  private headEpoch: number | null = null;
  /** The cells before ended inside their VOB. */
  private lastIsCut = false;
  /** Something is missing behind the cut. */
  private tailIsHurt = false;
  /** What stands behind the cut belongs to another VOB. */
  private tailIsOver = false;
  private readonly chunks = new ChunkPair(SECTORS);
  private chapterToCome = false;
  /** What of the subtitles stands before the cut at which the piece begins, until its clock is known. */
  private carried: CarriedParts | null = null;
  /** The cell under way is the last of a cut piece that another piece follows. */
  private endsBeforeOther = false;
  private readonly clock = new PackClock();
  private readonly stamp = emptyStamp();
  private readonly chain = new NavigationChain();
  /** The cell under way stands right behind the one before, in the same VOB. */
  private followsOn = false;
  private lastSegment: CellSegment | null = null;
  /** Something was missing since the last navigation pack. */
  private hole = false;
  private unread = new Unread();
  /** Streams that are tracks of a title in some part of the reel, or were said not to be. */
  private readonly named = new Set<StreamKey>();
  private sectorNow = 0;
  private readonly watch: CellWatch;
  /** The last pack of a clock that has ended with its cell. */
  private endedNavigation: NavigationPack | null = null;
  /** Where the clock under way ends, where more is known of it than its last navigation pack says. */
  private endsAt: { readonly epoch: number; readonly pts90k: number } | null = null;

  constructor(
    private readonly video: VideoFramer,
    private readonly around: WalkSurroundings,
  ) {
    this.watch = new CellWatch(around);
  }

  async *steps(pieces: readonly PlannedPiece[]): AsyncGenerator<void, void> {
    for (const [i, piece] of pieces.entries()) {
      const runs = runsOf(piece.segments);
      // The first chapter of a piece is a chapter of the output even where the piece begins inside one.
      this.chapterToCome = true;
      for (const [r, run] of runs.entries()) {
        const isFirst = r === 0;
        const isLast = r === runs.length - 1;
        yield* this.steppedRun(piece, run, isFirst, { follows: !isLast || i + 1 < pieces.length, ends: isLast });
      }
    }
  }

  /** Cells through which the disc's clock goes on. Where they begin or end inside a VOB, the disc is cut there. */
  private async *steppedRun(
    piece: PlannedPiece,
    run: readonly PlannedSegment[],
    isFirst: boolean,
    { follows, ends }: { readonly follows: boolean; readonly ends: boolean },
  ): AsyncGenerator<void, void> {
    const [first, last] = [cellOf((run[0] as PlannedSegment).segment), cellOf((run.at(-1) as PlannedSegment).segment)];
    const source = await this.around.openContent(first.content);
    const begins = await vobBeginsWith(source, first);
    const isWhole = await vobEndsWith(source, last);
    this.mapStreams(piece, run[0] as PlannedSegment);
    if (this.video.endTicks > 0) this.waitForSound(begins ? await soundLeads(source, first) : null);
    // Where one VOB follows another, sound of the one may still be on its way.
    if (!isFirst && !begins) this.settle(true);
    if (isFirst || !begins || this.lastIsCut) this.beginRun(begins, isFirst && !piece.naturalStart, this.video.endTicks);
    this.carried = isFirst && !piece.naturalStart ? await this.partsBefore(piece) : null;
    if (!begins) await this.readHead(source, first);
    for (const planned of run) {
      this.endsBeforeOther = planned === run.at(-1) && !isWhole && follows;
      this.enterSegment(planned);
      yield* this.readSegment(cellOf(planned.segment), Number.POSITIVE_INFINITY);
      this.leaveSegment();
    }
    this.breakClock(ends && isWhole);
    if (!isWhole) {
      this.endAt(this.video.endTicks); // whoever takes packets meanwhile gets none from behind the cut
      yield* this.readTail(behind(last, source), this.video.endTicks);
    }
    this.settle(!isWhole || ends);
    if (!isWhole) this.endAt(this.video.endTicks);
    this.lastIsCut = !isWhole;
    const still = run.at(-1)?.stillMs ?? 0;
    if (still > 0) this.video.standFor(still * TICKS_PER_MS);
    this.epoch = -1;
    this.lastNavigation = null;
    this.lastSegment = null;
    yield;
  }

  private mapStreams(piece: PlannedPiece, { moved }: PlannedSegment): void {
    const places = new Map(moved?.map((m) => [m.stream, m.pid]));
    const streams = piece.streams
      .slice(1)
      .map((stream) => (stream === null ? null : places.has(stream) ? (places.get(stream) ?? null) : stream));
    this.byStream = lanesByStream(this.around.lanes, [VIDEO_STREAM, ...streams]);
    const { audio, subtitles } = piece.title;
    for (const { stream } of [...audio, ...subtitles]) this.named.add(places.get(stream) ?? stream);
  }

  /**
   * The picture stands until what comes next can be heard without that anything of the sound before is lost.
   * @param leads how much earlier than the picture sound begins; null where it begins with it.
   */
  private waitForSound(leads: ReadonlyMap<StreamKey, number> | null): void {
    let until = Number.NEGATIVE_INFINITY;
    for (const [stream, lane] of this.byStream) {
      const lead = leads ? leads.get(stream) : 0;
      if (lead === undefined || lane.track.kind !== 'audio') continue;
      // Behind a cut more has come than was taken.
      const end = this.lastIsCut ? lane.framer.endOfTaken : lane.framer.endOfCome;
      const overlap = end + lead * TICKS_PER_PTS - this.video.endTicks;
      if (overlap > lane.framer.mostOverlap) until = Math.max(until, this.video.endTicks + Math.min(overlap, MAX_LEAD_TICKS));
    }
    if (until > this.video.endTicks) this.video.waitUntil(until);
  }

  /** @param begins a VOB begins here. @param isCut the reel begins here inside its title. */
  private beginRun(begins: boolean, isCut: boolean, startTicks: number): void {
    // With a VOB begins all that belongs to it, also the sound before its first picture.
    const notBefore = begins ? (startTicks === 0 ? Number.NEGATIVE_INFINITY : startTicks - MAX_LEAD_TICKS) : startTicks;
    const begin = { notBefore, isCut: isCut || !begins, midFrame: !begins };
    for (const { framer } of this.around.lanes) framer.beginPiece(begin);
  }

  private async partsBefore({ preceding, segments }: PlannedPiece): Promise<CarriedParts | null> {
    const streams = carryingStreams(this.byStream);
    const first = segments[0]?.segment;
    if (streams.length === 0 || !first) return null;
    return partsBeforeCell(this.around.openContent, preceding, cellOf(first), streams, this.around.signal);
  }

  private tellEnd(segment: CellSegment, start90k: number): void {
    for (const { framer } of this.around.lanes) framer.endsAbout(this.epoch, latestEnd90k(segment, start90k));
  }

  private endAt(ticks: number): void {
    for (const { framer } of this.around.lanes) framer.endPieceAt(ticks);
  }

  private enterSegment(planned: PlannedSegment): void {
    if (planned.chapter !== null) this.chapterToCome = true;
    const segment = cellOf(planned.segment);
    const last = this.lastSegment;
    const isNext = last !== null && goesOn(last, segment);
    if (!isNext) {
      this.endedNavigation = this.lastNavigation ?? this.endedNavigation;
      this.lastNavigation = null;
      this.hole = false;
    }
    this.followsOn = isNext && !segment.interleaved;
    if (!this.followsOn) this.clock.forget();
    this.chain.next = segment.firstSector;
    this.watch.enter(segment);
    this.lastSegment = segment;
  }

  private leaveSegment(): void {
    const last = this.lastNavigation;
    const isNtsc = (this.video.sequence?.frameTicks ?? 0) % 1001 === 0;
    const lost = this.watch.leave(last?.endPts90k ?? null, isNtsc, this.now());
    // The end of it was lost: time goes on all the same, so that what comes next stays where it is.
    if (lost && last && this.hole) this.endsAt = { epoch: lost.epoch, pts90k: last.endPts90k + lost.missing90k };
  }

  private now(): Moment {
    if (this.epoch < 0 || !this.lastNavigation) return { ticks: this.video.endTicks };
    return { epoch: this.epoch, pts90k: this.lastNavigation.startPts90k };
  }

  /** Sound that is heard from a cut on may have come before it: what a decoder holds of it stands in the last packs before the cell. */
  private async readHead(source: ByteSource, first: CellSegment): Promise<void> {
    const head = first.interleaved ? null : await packsBefore(source, first.firstSector, HEAD_SECTORS);
    if (!head) return;
    this.headEpoch = this.around.timeline.begin(head.clock90k);
    this.epoch = this.headEpoch;
    this.headOnly = true;
    if (head.isHurt) for (const { framer } of this.around.lanes) framer.lostHead();
    for (let at = 0; at < head.data.byteLength; at += SECTOR_BYTES) readPack(head.data, at, at + SECTOR_BYTES, this);
    this.headOnly = false;
    this.epoch = -1;
  }

  /** Sound after a cut, until every audio track has passed the end of the picture. */
  private async *readTail(following: CellSegment, endTicks: number): AsyncGenerator<void, void> {
    this.soundOnly = true;
    for (const { track, framer } of this.around.lanes)
      if (track.kind === 'audio') {
        framer.process(false);
        framer.beginTail();
      }
    const end90k = this.lastNavigation?.endPts90k ?? this.endedNavigation?.endPts90k ?? 0;
    this.tailScr = null;
    this.tailIsOver = false;
    this.tailIsHurt = false;
    this.clock.forget();
    // A pack is there before its time: no subtitle that begins before the cut stands behind this moment of the packs' own clock.
    const subtitlesPassed = () => this.tailScr !== null && ptsBetween(end90k, this.tailScr) >= 0;
    const passed = () =>
      this.tailIsOver ||
      [...this.byStream.values()].every(({ framer }) => framer.hasPassed(endTicks) && (!framer.carriesOver || subtitlesPassed()));
    if (!passed()) yield* this.readSegment(following, TAIL_SECTORS, passed);
    if (this.tailIsHurt) {
      this.settle(true);
      for (const { framer } of this.byStream.values()) framer.lostTail(endTicks);
    }
    this.soundOnly = false;
  }

  private async *readSegment(segment: CellSegment, mostSectors: number, enough: () => boolean = () => false): AsyncGenerator<void, void> {
    const source = await this.around.openContent(segment.content);
    const end = Math.min(segment.lastSector + 1, segment.firstSector + mostSectors);
    const { signal, around, faults } = this.around;
    this.unread = new Unread();
    const unreadable = (sector: number, sectors: number) => {
      this.unread.add(sector, sectors);
      // What lies behind the cut may be damaged: what of it belongs before it is told by those whom it is missing to.
      if (!this.soundOnly)
        faults.note('unreadable', null, this.now(), sectorsOf(segment.content, sector * SECTOR_BYTES, sectors * SECTOR_BYTES));
    };
    const reader = new ReadAhead(source, SECTORS, segment.firstSector, end, {
      unreadable: around || this.soundOnly ? unreadable : null,
      signal,
      chunks: this.chunks,
    });
    this.skipToSector = segment.firstSector;
    try {
      for (let chunk = await reader.next(); chunk; chunk = await reader.next()) {
        const first = reader.record - chunk.byteLength / SECTOR_BYTES;
        this.clock.forgetNext();
        for (let at = 0; at < chunk.byteLength; at += SECTOR_BYTES)
          this.sector(chunk, at, chunk.byteLength, first + at / SECTOR_BYTES, segment);
        if (this.soundOnly) {
          this.settle(false);
          if (enough()) return;
        } else this.around.progress(chunk.byteLength);
        yield;
      }
    } finally {
      await reader.stop(); // its chunks are used again
    }
  }

  private sector(data: Uint8Array, at: number, got: number, sector: number, segment: CellSegment): void {
    if (sector < this.skipToSector) {
      this.clock.forgetNext();
      return;
    }
    if (this.unread.has(sector)) {
      this.breakHere();
      return;
    }
    this.sectorNow = sector;
    const navigation = readNavigationPack(data, at);
    if (navigation) {
      // Interleaved units of other angles stand between those of this one: they are passed over whole.
      if (segment.interleaved && segment.vobId !== 0 && (navigation.vobId !== segment.vobId || navigation.cellId !== segment.cellId)) {
        this.skipToSector = sector + navigation.lastSectorOffset + 1;
        this.clock.forget();
        this.chain.next = this.skipToSector;
        return;
      }
      if (this.soundOnly) {
        // Another VOB: its clock is another.
        if (navigation.vobId !== segment.vobId) this.tailIsOver = true;
        this.clock.pass(readScr(data, at));
        return;
      }
      this.around.witnesses.packs++;
      if (this.isAtItsPlace(navigation, sector, segment)) this.enterVobu(navigation, sector, segment, readScr(data, at));
      else this.missing('out of place', sector, segment);
      return;
    }
    if (this.soundOnly) {
      if (this.tailIsOver) return;
      const isOwn = isPack(data, at) && !this.clock.isOutOfPlace(data, at, got);
      if (isOwn) this.tailScr = readScr(data, at);
      if (!isOwn || readPack(data, at, at + SECTOR_BYTES, this) !== 'whole') this.breakHere();
      return;
    }
    this.around.witnesses.packs++;
    if (sector === this.chain.next && isPack(data, at)) this.wrong('navigation', sector, segment);
    if (this.clock.isOutOfPlace(data, at, got)) {
      this.missing('out of place', sector, segment);
      return;
    }
    const state = readPack(data, at, at + SECTOR_BYTES, this);
    if (state !== 'whole') this.missing(state === 'none' ? 'no pack' : 'broken pack', sector, segment);
  }

  /** Nothing that can be used stands at a sector: streams go on behind it, with a gap. */
  private missing(kind: FaultKind, sector: number, segment: CellSegment): void {
    this.wrong(kind, sector, segment);
    this.breakHere();
  }

  private breakHere(): void {
    breakLanes(this.around.lanes);
    if (this.soundOnly) this.tailIsHurt = true;
    else this.hole = true;
  }

  private wrong(kind: FaultKind, sector: number, segment: CellSegment): void {
    this.around.faults.note(kind, null, this.now(), { content: segment.content, firstSector: sector, lastSector: sector });
  }

  /** @returns false for a navigation pack that belongs elsewhere. */
  private isAtItsPlace(navigation: NavigationPack, sector: number, segment: CellSegment): boolean {
    const state = this.chain.follow(navigation, sector, segment.content, segment.interleaved || this.hole);
    if (state === 'wrong') this.wrong('navigation', sector, segment);
    else if (state === 'sound') this.around.witnesses.navigationPacks++;
    return state !== 'elsewhere';
  }

  private enterVobu(navigation: NavigationPack, sector: number, segment: CellSegment, scr: number): void {
    this.settle(false);
    const last = this.lastNavigation;
    const jump = last ? ptsBetween(last.endPts90k, navigation.startPts90k) : 0;
    const clockRan = this.clock.last >= 0 && scr - this.clock.last < SCR_STEP_90K && scr > this.clock.last;
    let current = navigation;
    if (!last || last.vobId !== navigation.vobId) this.beginClock(navigation);
    else if (Math.abs(jump) > CLOCK_JUMP_PTS) {
      if (this.hole && jump > 0) {
        // Time goes on over what is missing: the gap stays as long as it is.
        this.video.breakHere();
      } else if (this.watch.isEmpty) {
        // The first navigation pack of a cell: a title may pass over what stands before it.
        // Cells that follow each other in a VOB have one clock: the last picture of the one stands until the other begins.
        if (jump < 0 || !this.followsOn || scr <= this.clock.last) this.beginClock(navigation);
      } else {
        this.wrong('navigation', sector, segment);
        if (clockRan) {
          // The pack's own clock knows nothing of a jump: its times are wrong, and those of its neighbours are believed.
          const ticks = Math.max(0, Math.min(90_000, ptsBetween(navigation.startPts90k, navigation.endPts90k)));
          current = { ...navigation, startPts90k: last.endPts90k, endPts90k: last.endPts90k + ticks };
        } else this.beginClock(navigation);
      }
    }
    this.clock.pass(scr);
    this.hole = false;
    this.lastNavigation = current;
    this.video.expect(this.epoch, current.startPts90k, current.endPts90k);
    if (this.watch.isEmpty) {
      this.watch.begin(this.epoch, current.startPts90k);
      if (this.carried) {
        const cut = { cut90k: current.startPts90k, epoch: this.epoch, ticks: this.video.endTicks };
        carryOver(this.byStream, this.carried, cut);
      }
      this.carried = null;
      if (this.endsBeforeOther) this.tellEnd(segment, current.startPts90k);
    }
    if (this.chapterToCome) this.around.chapters.note(this.epoch, current.startPts90k);
    this.chapterToCome = false;
  }

  private beginClock(navigation: NavigationPack): void {
    if (this.epoch >= 0) this.breakClock();
    this.epoch = this.headEpoch ?? this.around.timeline.begin(navigation.startPts90k);
    this.headEpoch = null;
  }

  /**
   * The disc's clock ends here: what has come of the picture is complete. It stands until the clock's own end, and until the sound
   * is over: what comes next must not be heard at the same time.
   */
  private breakClock(soundCounts = true): void {
    const { timeline, lanes } = this.around;
    const last = this.lastNavigation ?? this.endedNavigation;
    if (this.epoch >= 0) this.video.finish(this.epoch);
    this.settle(false);
    if (this.epoch >= 0 && last && timeline.isPlaced(this.epoch)) this.video.holdUntil(timeline.map(this.epoch, last.endPts90k));
    if (this.endsAt && this.endsAt.epoch === this.epoch && timeline.isPlaced(this.epoch))
      this.video.holdUntil(timeline.map(this.epoch, this.endsAt.pts90k));
    this.endsAt = null;
    this.endedNavigation = null;
    if (!soundCounts) return;
    const soundEnd = Math.max(...lanes.map(({ framer }) => framer.endOfTaken));
    if (soundEnd - this.video.endTicks > SOUND_SPARE_TICKS) this.video.holdUntil(soundEnd);
  }

  private settle(final: boolean): void {
    if (this.epoch >= 0 && !this.soundOnly) this.video.scan(this.epoch);
    if (final) this.placeSoundWithoutPicture();
    for (const { framer } of this.around.lanes) framer.process(final);
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
    if (!lane) {
      this.noteUnnamed(stream);
      return;
    }
    if (this.epoch < 0) this.epoch = this.around.timeline.begin(pts90k === NO_PTS ? 0 : pts90k);
    // Behind a cut too: a subtitle whose pack comes late belongs to the part that shows its beginning.
    if (this.soundOnly && lane.track.kind === 'video') return;
    if (this.headOnly && lane.track.kind !== 'audio') return;
    const { stamp } = this;
    stamp.pts90k = pts90k;
    stamp.epoch = this.epoch;
    stamp.markAt = this.lpcmUnitAt(lane, stream, data, from);
    stamp.arrival90k = this.clock.last >= 0 ? this.clock.last : null;
    lane.framer.receive(data, from, to, stamp);
    lane.twin?.framer.receive(data, from, to, stamp);
  }

  /** Sound and subtitles that no track of the title stands for here are said once: what is not taken is not passed over in silence. */
  private noteUnnamed(stream: StreamKey): void {
    if (this.named.has(stream) || this.soundOnly || this.headOnly || !isSoundOrSubtitle(stream)) return;
    this.named.add(stream);
    const place = { content: this.lastSegment?.content ?? '', firstSector: this.sectorNow, lastSector: this.sectorNow };
    this.around.faults.note('no track', null, this.now(), place);
  }

  /** LPCM stamps count from the first access unit, to which a pointer in the packet's head leads. DVD-Video: first_access_unit_pointer. */
  private lpcmUnitAt(lane: Lane, stream: StreamKey, data: Uint8Array, from: number): number {
    if (lane.track.kind !== 'audio' || !lane.track.lpcm || stream < privateStream(0xa0)) return 0;
    const { lpcm } = lane.track;
    const layout = readLpcmLayout(data[from - 2] as number);
    if (layout && (layout.bitDepth !== lpcm.bitDepth || layout.channels !== lpcm.channels || layout.sampleRateHz !== lpcm.sampleRateHz)) {
      throw lpcmChanges(this.around.label);
    }
    return Math.max(0, (((data[from - 5] as number) << 8) | (data[from - 4] as number)) - 4);
  }

  /** @internal part of the demultiplexer's contract. */
  scrambled(): void {
    throw new DiscError('scrambled', { source: this.around.label, byteOffset: 0 }, 'A copy-protected packet was met');
  }
}
