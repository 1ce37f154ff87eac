import { ENTRY_STEP_90K } from '../../bluray';
import { DiscError } from '../../bytes';
import {
  NO_PTS,
  SOURCE_PACKET,
  TICKS_PER_MS,
  TransportDemux,
  readAc3Header,
  type TransportFault,
  type TransportReceiver,
} from '../../streams';
import { AccessUnitFramer } from '../framers/access-unit-framer';
import type { CompanionUnits } from '../framers/companion-units';
import { ApartSound, type HearPiece } from './apart-sound';
import { partsBeforeClip, type CarriedParts } from './carried';
import { ClipRoutes } from './clip-routes';
import { PACKETS, ReadAhead } from './read-ahead';
import { SecondView } from './second-view';
import { EntryWatch, clipOf, filesOf, stretchesOf, type ClipStretch, type FileRun } from './stretches';
import type { FaultKind } from '../../reading/fault';
import { sectorsOf, type Moment } from '../faults';
import { Unread } from './unread';
import { ZeroRuns } from './zero-runs';
import type { Lane } from './lanes';
import type { PlannedPiece } from '../plan';
import { EARLY_TICKS, type PictureFramer, type StretchBegin } from '../framers/framer';
import { breakLanes, carryOver, carryingStreams, emptyStamp, type Walk, type WalkSurroundings } from './walk';

/** How far beyond a cut sound that belongs before it is looked for: a second or more at the highest rate. */
const TAIL_PACKETS = 65_536;
/** Pictures at a cut that need earlier ones are left out; more than that is missing. */
const LENGTH_SLACK_MS = 250;
/** Times of the tables count 45 kHz, stamps 90 kHz. */
const STAMP_MS = 2 / 45;
/** Pictures are there this much before they are decoded, at the most. ISO/IEC 13818-1 2.4.2.6: buffers of a second. */
const MOST_AHEAD_90K = 90_000;
/** Most that a packet of 188 bytes brings of its stream. */
const PAYLOAD_BYTES = 184;
/** Sound beside the title is read this much beyond what is shown: more than its longest frame. */
const TAIL_MS = 200;

const TRANSPORT_FAULTS: Readonly<Record<TransportFault, FaultKind>> = {
  'no packet': 'no pack',
  'error flag': 'error flag',
  missing: 'packets missing',
  broken: 'broken pack',
};

/** The piece begins inside a clip, with what the title shows of it before: a beginning that is a cut, and not the clip's or the item's own. */
function beginsInside({ naturalStart, preceding, segments }: PlannedPiece, { first }: ClipStretch): boolean {
  const before = preceding.at(-1);
  if (!naturalStart && segments[0]?.oneClock) return true;
  return !naturalStart && before?.kind === 'clip' && before.content === first.content && before.out90k === first.in90k;
}

/** Walks the clips of a Blu-ray: transport streams cut by in and out times, each stretch with a clock of its own. */
export class ClipWalk implements Walk, TransportReceiver {
  private readonly routes: ClipRoutes;
  private readonly entries: EntryWatch;
  private readonly demux = new TransportDemux(this);
  private readonly stamp = emptyStamp();
  private readonly second: SecondView | null;
  /** Sound in clips of its own, and the lane that it feeds; and where the stretch that it is laid beside begins. */
  private apart: { readonly lane: Lane; readonly sound: ApartSound }[] = [];
  private beside: { readonly titleMs: number; readonly in90k: number; readonly endMs: number } = { titleMs: 0, in90k: 0, endMs: 0 };
  private epoch = -1;
  private soundOnly = false;
  /** When the stretch under way ends, in its clock; and whether sound is cut there. */
  private out90k = 0;
  private endsSound = false;
  /** Stream of a second layer of the picture, which no file holds: it is counted. */
  private layerPid = -1;
  /** Decoding time from which on no picture is shown before the end of the stretch. */
  private pictureEnd90k = Number.POSITIVE_INFINITY;
  /** Something is wrong behind the cut, where pictures may stand that are shown before it. */
  private hurtBehind = false;
  /** The file goes on in another: the last pictures may stand there. */
  private endsInNext = false;
  private latestDts = NO_PTS;
  /** The latest stamp of the picture, for places of faults; and the clip it counts in. */
  private clock90k = 0;
  private content = '';
  private unread = new Unread();
  private readonly zeros = new ZeroRuns();
  /** The picture stands in units that no three zeros can stand in. */
  private readonly hasUnits: boolean;
  /** Size of the picture so far. */
  private size: string | null = null;

  constructor(
    private readonly video: PictureFramer,
    videoPid: number,
    second: { readonly units: CompanionUnits; readonly pid: number } | null,
    private readonly around: WalkSurroundings,
  ) {
    this.hasUnits = video instanceof AccessUnitFramer;
    this.routes = new ClipRoutes(around.lanes, videoPid, around.label);
    this.entries = new EntryWatch(around);
    this.second =
      second &&
      new SecondView(
        second.units,
        second.pid,
        around.openContent,
        () => {
          this.scrambled();
        },
        this.losing(0),
        around.around,
      );
  }

  async *steps(pieces: readonly PlannedPiece[]): AsyncGenerator<void, void> {
    for (const { framer } of this.around.lanes) await framer.load(this.around.openContent, this.around.signal);
    for (const piece of pieces) {
      const stretches = stretchesOf(piece.segments);
      this.layBeside(piece);
      for (const [i, stretch] of stretches.entries()) {
        const isLast = i === stretches.length - 1;
        this.routes.map(piece, stretch.moved);
        for (const pid of this.routes.pids) this.demux.want(pid);
        this.layerPid = piece.title.video.layer ?? -1;
        this.demux.want(this.layerPid);
        if (this.around.around && (await this.isGone(stretch))) {
          this.passOver(stretch, i === 0);
          yield;
          continue;
        }
        const goesOnSeamlessly = isLast ? piece.goesOnSeamlessly : (stretches[i + 1]?.seamless ?? false);
        // The first chapter of a piece is a chapter of the output even where the piece begins inside one.
        const isCut = i === 0 && beginsInside(piece, stretch);
        const before = isCut ? await this.partsBefore(stretch) : null;
        const size = Math.min(await this.clipPackets(stretch.last.content), stretch.last.clock?.endPacket ?? Number.POSITIVE_INFINITY);
        const { content, endPacket, out90k } = stretch.last;
        const goesOnIn = isLast && piece.goesOnIn?.kind === 'clip' ? piece.goesOnIn : null;
        const tail =
          endPacket < size
            ? { content, firstPacket: endPacket, endPacket: size }
            : goesOnIn && { ...goesOnIn, endPacket: await this.clipPackets(goesOnIn.content) };
        // Over a seamless join sound is contiguous: what of it stands in either clip belongs to the title.
        this.endsSound = tail !== null || !(goesOnSeamlessly || (isLast && piece.naturalEnd));
        this.begin(stretch, i === 0, isCut, isLast && !piece.naturalEnd);
        if (before) {
          const cut = { cut90k: stretch.first.in90k, epoch: this.epoch, ticks: this.video.endTicks };
          carryOver(this.routes.lanesByPid, before, cut);
        }
        const startTicks = this.video.endTicks;
        const framesBefore = this.video.counts.frames;
        yield* this.read(stretch);
        for (const { sound } of this.apart) await sound.readTo(this.beside.endMs + TAIL_MS);
        if (tail) yield* this.readTail(out90k, tail);
        this.finishVideo();
        this.settle(true, isLast);
        this.lookAtLength(stretch, startTicks, framesBefore, isCut);
        this.requireSameSize(stretch);
        if (this.endsSound) this.endAt(this.video.endTicks, isLast);
        yield;
      }
    }
  }

  /** Sound of this piece's title that stands in clips of its own. */
  private layBeside(piece: PlannedPiece): void {
    this.apart = this.around.lanes.flatMap((lane, track) => {
      const runs = piece.title.audio.find((a) => a.stream === piece.streams[track])?.apart;
      if (!runs || lane.track.kind !== 'audio') return [];
      const rest = () => {
        lane.framer.restHere();
      };
      const mapOf = (clip: string) => this.entries.mapOf(clip, runs[0]?.pid ?? 0);
      const sound = new ApartSound(runs, this.around, mapOf, this.hearing(lane), rest, this.losing(track, lane));
      sound.beginAt(piece.segments[0]?.titleMs ?? 0);
      return [{ lane, sound }];
    });
  }

  private hearing(lane: Lane): HearPiece {
    const { framer, track } = lane;
    const mixed = track.kind === 'audio' && track.source.codec === 'TrueHD';
    let isCore = false;
    return (data, from, to, titleMs, starts) => {
      if (starts) isCore = mixed && readAc3Header(data, from, to) !== null;
      if (isCore) return;
      this.stamp.pts90k = titleMs === null ? NO_PTS : Math.round(this.beside.in90k + (titleMs - this.beside.titleMs) * 90);
      this.stamp.epoch = this.epoch;
      framer.receive(data, this.routes.soundStart(lane, data, from, to, starts), to, this.stamp);
    };
  }

  /** Tells what is not whole in a clip that is read beside the title's. @param lane which can not go on over it, where there is one. */
  private losing(track: number, lane: Lane | null = null) {
    return (kind: TransportFault | 'unreadable', clip: string, packet: number, packets: number) => {
      const place = sectorsOf(clip, packet * SOURCE_PACKET, packets * SOURCE_PACKET);
      this.around.faults.note(kind === 'unreadable' ? kind : TRANSPORT_FAULTS[kind], track, this.now(), place);
      if (lane) breakLanes(this.around.lanes, lane);
    };
  }

  private isApart(lane: Lane): boolean {
    return this.apart.some((a) => a.lane === lane);
  }

  /** What of the subtitles stands before a cut, and may be shown at it. */
  private async partsBefore({ first }: ClipStretch): Promise<CarriedParts | null> {
    const pids = carryingStreams(this.routes.lanesByPid);
    if (pids.length === 0) return null;
    const source = await this.around.openContent(first.content);
    const { firstPacket = 0, endPacket = Number.POSITIVE_INFINITY } = first.clock ?? {};
    const all = await this.entries.mapOf(first.content, this.routes.videoPid);
    const entries = first.clock ? all.filter((e) => e.packet >= firstPacket && e.packet < endPacket) : all;
    return partsBeforeClip(source, first, entries, pids, this.around.signal);
  }

  /** The picture of a stretch lasts as long as the playlist says; where its end was lost, time goes on, so that what comes next stays where it is. */
  private lookAtLength({ first, last }: ClipStretch, startTicks: number, framesBefore: number, isCut: boolean): void {
    const missing = (last.out90k - first.in90k) / 90 - (this.video.endTicks - startTicks) / TICKS_PER_MS;
    const place = { content: first.content, firstSector: first.firstSector, lastSector: last.lastSector };
    if (missing <= LENGTH_SLACK_MS) {
      this.around.witnesses.playItems++;
      // In and out times cut off less than a picture each: where a whole one is missing, it does not stand where the tables say.
      const pictureMs = (this.video.describe()?.frameTicks ?? 0) / TICKS_PER_MS;
      if (!isCut && missing > pictureMs - STAMP_MS && this.video.counts.frames > framesBefore)
        this.around.faults.note(this.hurtBehind ? 'short' : 'last picture', 0, { ticks: this.video.endTicks }, place, missing);
      return;
    }
    this.around.faults.note('short', 0, { ticks: this.video.endTicks }, place, missing);
    if (this.around.around) this.video.endTicks += missing * TICKS_PER_MS;
  }

  private now(): Moment {
    return { epoch: this.epoch, pts90k: this.clock90k };
  }

  /** @internal part of the demultiplexer's contract. */
  fault(kind: TransportFault, pid: number, packet: number): void {
    if (this.soundOnly && (pid === this.routes.videoPid || pid < 0)) return;
    if (kind === 'no packet' && this.unread.has(packet)) return; // said when it could not be read
    const lane = this.routes.laneOf(pid);
    if (kind === 'missing') for (const hurt of this.routes.lose(pid)) breakLanes(this.around.lanes, hurt);
    if (lane && this.isOver(lane)) return;
    if ((pid < 0 ? this.subtitlesAreOver : pid === this.routes.videoPid) && this.isBehind()) return;
    const track = lane ? this.around.lanes.indexOf(lane) : null;
    this.around.faults.note(TRANSPORT_FAULTS[kind], track, this.now(), sectorsOf(this.content, packet * SOURCE_PACKET, SOURCE_PACKET));
  }

  /** Subtitles are there before their time, and pictures longer before: what belongs to no stream may have been one. */
  private get subtitlesAreOver(): boolean {
    return this.latestDts >= this.pictureEnd90k + MOST_AHEAD_90K || !this.around.lanes.some(({ track }) => track.kind === 'subtitle');
  }

  /** The picture under way is shown behind the cut: whether one before it is missing, its length tells. */
  private isBehind(): boolean {
    const isBehind = this.clock90k >= this.pictureEnd90k;
    this.hurtBehind ||= isBehind;
    return isBehind;
  }

  /** All that the piece takes of a stream has come: what is missing behind it is missing elsewhere. */
  private isOver({ track, framer }: Lane): boolean {
    const { timeline } = this.around;
    if (!this.endsSound || !timeline.isPlaced(this.epoch)) return false;
    if (track.kind !== 'audio') return this.subtitlesAreOver;
    framer.process(false);
    return framer.hasPassed(this.soundOnly ? this.video.endTicks : timeline.map(this.epoch, this.out90k) + EARLY_TICKS);
  }

  private async isGone(stretch: ClipStretch): Promise<boolean> {
    try {
      for (const { content } of filesOf(stretch)) await this.around.openContent(content);
      return false;
    } catch (error) {
      if (error instanceof DiscError && error.code === 'not-found') return true;
      throw error;
    }
  }

  /** A clip that is not there: time goes on without it, so that what comes behind stays where it is. */
  private passOver(stretch: ClipStretch, firstOfPiece: boolean): void {
    const { first, last } = stretch;
    const { timeline, chapters, faults } = this.around;
    this.epoch = timeline.begin(first.in90k);
    timeline.placeBase(this.epoch, this.video.endTicks);
    this.noteChapters(stretch, firstOfPiece);
    const place = { content: first.content, firstSector: first.firstSector, lastSector: last.lastSector };
    const ms = (last.out90k - first.in90k) / 90;
    faults.note('unreadable', null, { epoch: this.epoch, pts90k: first.in90k }, place, ms);
    this.video.endTicks += ms * TICKS_PER_MS;
    chapters.place();
  }

  private noteChapters({ segments }: ClipStretch, firstOfPiece: boolean): void {
    segments.forEach((planned, i) => {
      const { in90k } = clipOf(planned);
      const begins = firstOfPiece && i === 0;
      if (begins || planned.chapter !== null)
        this.around.chapters.note(this.epoch, begins ? in90k : in90k + Math.round(planned.chapterOffsetMs * 90));
    });
  }

  /** A file has one size of picture. @throws DiscError `unsupported` where a clip has another than the one before. */
  private requireSameSize(stretch: ClipStretch): void {
    const size = this.video.size?.join('×');
    if (size === undefined) return;
    this.size ??= size;
    if (this.size === size) return;
    throw new DiscError(
      'unsupported',
      { source: this.around.label, byteOffset: 0 },
      `The picture changes from ${this.size} to ${size} with clip ${stretch.first.content}: take the parts as reels of their own`,
    );
  }

  private async clipPackets(content: string): Promise<number> {
    return Math.floor((await this.around.openContent(content)).sizeBytes / SOURCE_PACKET);
  }

  private begin(stretch: ClipStretch, firstOfPiece: boolean, isCut: boolean, endsCut: boolean): void {
    const { first, last } = stretch;
    const { timeline, lanes } = this.around;
    if (firstOfPiece) this.waitForSound();
    const startTicks = this.video.endTicks;
    this.epoch = timeline.begin(first.in90k);
    this.demux.restart();
    this.routes.restart();
    this.zeros.restart();
    this.latestDts = NO_PTS;
    this.clock90k = first.in90k;
    this.content = first.content;
    this.soundOnly = false;
    this.pictureEnd90k = Number.POSITIVE_INFINITY;
    this.hurtBehind = false;
    this.endsInNext = false;
    const titleMs = stretch.segments[0]?.titleMs ?? 0;
    this.beside = { titleMs, in90k: first.in90k, endMs: titleMs + (last.out90k - first.in90k) / 90 };
    const { in90k } = first;
    const { out90k } = last;
    this.out90k = out90k;
    // A clip into which a stream goes on may begin inside one of its frames.
    const midFrame = first.firstPacket > (first.clock?.firstPacket ?? 0) || (firstOfPiece && stretch.seamless);
    const common = { epoch: this.epoch, in90k, out90k, titleMs, startTicks, isCut, endsCut, midFrame };
    for (const lane of lanes) {
      if (this.routes.isOfOtherTitle(lane)) continue;
      // Where a reel begins with a clip into which sound goes on, all that the clip has of it is heard.
      const mayLead = !firstOfPiece || (startTicks === 0 && !isCut);
      const endsSound = this.endsSound && !this.isApart(lane);
      const begin: StretchBegin = { ...common, endsSound, goesOn: (stretch.seamless || this.isApart(lane)) && mayLead };
      lane.framer.beginStretch(begin);
    }
    this.noteChapters(stretch, firstOfPiece);
  }

  /** Where a title ends with sound, another piece begins behind it. */
  private waitForSound(): void {
    if (this.video.endTicks === 0) return;
    const ends = this.around.lanes.filter(({ track }) => track.kind === 'audio').map(({ framer }) => framer.endOfTaken);
    const until = Math.max(...ends);
    if (until > this.video.endTicks) this.video.waitUntil(until);
  }

  /** Sound beside the title knows nothing of the joins of its clips: it ends with the piece. */
  private endAt(ticks: number, isLast: boolean): void {
    for (const lane of this.around.lanes) if (isLast || !this.isApart(lane)) lane.framer.endPieceAt(ticks);
  }

  private async *read(stretch: ClipStretch): AsyncGenerator<void, void> {
    await this.second?.begin(stretch.companion);
    for (const [i, run] of filesOf(stretch).entries()) {
      if (i > 0) this.demux.goOn();
      await this.entries.begin(run, this.routes.videoPid);
      yield* this.readFile(run);
      this.entries.end(run, this.epoch);
    }
    await this.second?.readTo(Number.POSITIVE_INFINITY);
  }

  private async *readFile({ content, firstPacket, endPacket }: FileRun): AsyncGenerator<void, void> {
    const source = await this.around.openContent(content);
    this.content = content;
    this.unread = new Unread();
    const unreadable = this.around.around
      ? (packet: number, packets: number) => {
          this.unread.add(packet, packets);
          this.around.witnesses.packs -= packets;
          const place = sectorsOf(content, packet * SOURCE_PACKET, packets * SOURCE_PACKET);
          this.around.faults.note('unreadable', null, this.now(), place);
        }
      : null;
    const reader = new ReadAhead(source, PACKETS, firstPacket, endPacket, { unreadable, signal: this.around.signal });
    for (let chunk = await reader.next(); chunk; chunk = await reader.next()) {
      this.demux.feed(chunk, 0, chunk.byteLength, reader.record - chunk.byteLength / SOURCE_PACKET);
      this.around.witnesses.packs += chunk.byteLength / SOURCE_PACKET;
      this.around.progress(chunk.byteLength);
      await this.second?.readTo(this.latestDts);
      const shownMs = this.beside.titleMs + (this.clock90k - this.beside.in90k) / 90;
      for (const { sound } of this.apart) await sound.readTo(Math.min(shownMs, this.beside.endMs) + TAIL_MS);
      this.settle(false);
      yield;
    }
  }

  /** The picture of this stretch is complete; packets of it that still come are not looked at. */
  private finishVideo(): void {
    if (this.soundOnly) return;
    this.soundOnly = true;
    this.video.finish(this.epoch);
    if (!this.endsSound || !this.around.timeline.isPlaced(this.epoch)) return;
    // Whoever takes packets meanwhile gets none from behind the cut.
    this.endAt(this.video.endTicks, false);
  }

  /**
   * What lies behind a cut and belongs before it: pictures that are shown earlier than the one that decoding can begin
   * with there, and sound, until every audio track has passed the end of the picture.
   */
  private async *readTail(out90k: number, { content, firstPacket, endPacket }: FileRun): AsyncGenerator<void, void> {
    const { lanes } = this.around;
    const passed = () => this.soundOnly && lanes.every((lane) => this.isApart(lane) || lane.framer.hasPassed(this.video.endTicks));
    this.pictureEnd90k = out90k;
    this.endsInNext = content !== this.content;
    if (!this.video.reordersOverCuts && !this.endsInNext) this.finishVideo();
    this.settle(false);
    for (const { framer } of lanes) framer.beginTail();
    const source = await this.around.openContent(content);
    if (this.endsInNext) this.demux.goOn();
    this.content = content;
    this.unread = new Unread();
    let isHurt = false;
    // What lies behind the cut may be damaged: what of it belongs before it is told by those whom it is missing to.
    const unreadable = (packet: number, packets: number) => {
      this.unread.add(packet, packets);
      isHurt = true;
    };
    const end = Math.min(endPacket, firstPacket + TAIL_PACKETS);
    const reader = new ReadAhead(source, PACKETS, firstPacket, end, { unreadable, signal: this.around.signal });
    while (!passed()) {
      const chunk = await reader.next();
      if (!chunk) break;
      this.demux.feed(chunk, 0, chunk.byteLength, reader.record - chunk.byteLength / SOURCE_PACKET);
      this.settle(false);
      yield;
    }
    await reader.stop();
    if (!isHurt) return;
    this.hurtBehind = true;
    this.finishVideo();
    this.settle(true);
    for (const { framer } of lanes) framer.lostTail(this.video.endTicks);
  }

  /** @param ends the piece is over, not only its clip: sound beside the title goes on meanwhile. */
  private settle(final: boolean, ends = final): void {
    if (!this.soundOnly) this.video.scan(this.epoch);
    if (final && !this.around.timeline.isPlaced(this.epoch)) this.around.timeline.placeBase(this.epoch, this.video.endTicks);
    for (const lane of this.around.lanes) {
      const apart = this.isApart(lane);
      // It is read on beyond the end: there it may stop inside a frame.
      if (apart && ends) lane.framer.beginTail();
      lane.framer.process(apart ? ends : final);
    }
    this.around.chapters.place();
  }

  /** @internal part of the demultiplexer's contract. */
  transport(pid: number, data: Uint8Array, from: number, to: number, pts90k: number, dts90k: number, starts: boolean): void {
    if (pid === this.routes.videoPid) {
      if (starts && pts90k >= 0) this.clock90k = pts90k;
      if (starts) this.latestDts = Math.max(this.latestDts, dts90k);
      if (this.soundOnly) return;
      if (starts) {
        this.entries.meet(this.demux.packet, pts90k);
      }
      if (
        starts &&
        (dts90k >= this.pictureEnd90k || (this.endsInNext && !this.video.reordersOverCuts && pts90k >= this.pictureEnd90k - ENTRY_STEP_90K))
      ) {
        this.finishVideo();
        return;
      }
      this.stamped(pts90k, dts90k, starts);
      const zeros = this.hasUnits ? this.zeros.find(data, from, to, starts) : -1;
      if (zeros >= 0 && !this.isBehind()) this.noteZeros(to - zeros);
      this.video.receive(data, from, to, this.stamp);
      return;
    }
    if (pid === this.layerPid) {
      const place = sectorsOf(this.content, this.demux.packet * SOURCE_PACKET, SOURCE_PACKET);
      if (starts && !this.soundOnly) this.around.faults.note('layer', 0, this.now(), place);
      return;
    }
    const lane = this.routes.laneFor(pid, data, from, to, starts);
    if (!lane) return;
    // Behind a cut too: a subtitle whose packet comes late belongs to the part that shows its beginning.
    this.stamped(pts90k, dts90k, starts);
    const begin = this.routes.soundStart(lane, data, from, to, starts);
    lane.framer.receive(data, begin, to, this.stamp);
    lane.twin?.framer.receive(data, begin, to, this.stamp);
  }

  /** @param before the end of what came together: packets of the picture that follow each other. */
  private noteZeros(before: number): void {
    const packet = Math.max(0, this.demux.packet - Math.ceil(before / PAYLOAD_BYTES));
    const place = sectorsOf(this.content, packet * SOURCE_PACKET, Math.ceil(before / PAYLOAD_BYTES) * SOURCE_PACKET);
    this.around.faults.note('no frame', 0, this.now(), place);
  }

  private stamped(pts90k: number, dts90k: number, starts: boolean): void {
    this.stamp.pts90k = pts90k;
    this.stamp.dts90k = dts90k;
    this.stamp.starts = starts;
    this.stamp.epoch = this.epoch;
  }

  /** @internal part of the demultiplexer's contract. */
  scrambled(): void {
    throw new DiscError('scrambled', { source: this.around.label, byteOffset: 0 }, 'A copy-protected packet was met');
  }
}
