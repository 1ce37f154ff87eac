import { DiscError } from '../bytes';
import { SOURCE_PACKET_BYTES } from '../bluray';
import type { ClipSegment, Reading, Wholeness } from '../reading';
import { trackSources } from '../reels/compose';
import type { Reel } from '../reels/model';
import { TICKS_PER_SECOND, type AudioFrameHeader } from '../streams';
import { SECTOR_BYTES } from '../volume';
import { AccessUnitFramer } from './framers/access-unit-framer';
import { CompanionUnits } from './framers/companion-units';
import { SILENCE_TICKS } from './framers/audio-framer';
import { MAX_LEAD_TICKS, OwnRoom, type FrameRoom, type PictureFramer, type VideoCounts } from './framers/framer';
import { ClipWalk } from './walks/clip-walk';
import { DvdWalk } from './walks/dvd-walk';
import { FaultLog, noWitnesses } from './faults';
import { makeLanes, type AssembledTrack, type Lane, type TapBytes } from './walks/lanes';
import { transformLpcm } from './framers/lpcm-repack';
import type { HeldPacket, Packet, TrackAccount } from './packet';
import { joinProblem } from '../reels/joining';
import { joinedPieces, planPiece, type PlannedPiece } from './plan';
import type { PictureDescription } from './picture';
import { Timeline } from './timeline';
import type { PacketStream } from './packet-stream';
import { H264Codec, HevcCodec, Vc1Codec, type UnitCodec } from './framers/unit-codecs';
import { VideoFramer } from './framers/video-framer';
import { ChapterMarks, type AssembledChapter, type OpenContent, type Walk, type WalkSurroundings } from './walks/walk';

export interface AssemblyOptions {
  readonly signal?: AbortSignal;
  readonly tap?: TapBytes;
  /** The reel's pieces, where `planReel` has resolved them: needed for those with a range. */
  readonly pieces?: readonly PlannedPiece[];
  /** Passes over what can not be read; else as the reel says. A look into a title is better with a gap than not at all. */
  readonly around?: boolean;
}

/** How far tracks may run apart before packets leave without waiting for the slower one. */
const MAX_SPREAD_TICKS = 4 * TICKS_PER_SECOND;
const MAX_QUEUED_BYTES = 24 * 1024 * 1024;

const UNIT_CODECS: Readonly<Record<string, () => UnitCodec>> = {
  'H.264': () => new H264Codec(),
  HEVC: () => new HevcCodec(),
  'VC-1': () => new Vc1Codec(),
};

const bytesOf = (piece: PlannedPiece) =>
  piece.segments.reduce(
    (sum, { segment }) =>
      sum + (segment.kind === 'clip' ? clipBytes(segment) : (segment.lastSector - segment.firstSector + 1) * SECTOR_BYTES),
    0,
  );
const clipBytes = (segment: ClipSegment) => (segment.endPacket - segment.firstPacket) * SOURCE_PACKET_BYTES;

/** A packet as the container holds it; the tap sees it as the disc does, or as it stands in the container where that is the same in other packing. */
function contentOf({ framer, track, run, seeDirectly }: Lane, held: HeldPacket, room: FrameRoom): Uint8Array {
  const frame = framer.reframed(held, room);
  if (frame) {
    seeDirectly?.(frame);
    return frame;
  }
  run?.add(held.position, held.length);
  const bytes = framer.es.view(held.position, held.length);
  return track.kind === 'audio' && track.lpcm ? transformLpcm(track.lpcm, bytes, room) : bytes;
}

/**
 * Turns a reel into timed packets per track, continuous from zero, by walking its cells in order.
 *
 * Use: `await fill()` until it says false; after each, `take()` until null. Nothing is read until asked for, so a slow
 * consumer holds the disc back and memory stays bounded whatever the length.
 */
export class Assembly implements PacketStream {
  readonly tracks: readonly AssembledTrack[];
  /** Bytes to be read in all, and read so far. */
  readonly totalBytes: number;
  readBytes = 0;
  private readonly lanes: Lane[];
  private readonly video: PictureFramer;
  private readonly timeline = new Timeline();
  private readonly chapters: ChapterMarks;
  private leadTicks: number | null = null;
  private ended = false;
  private readonly steps: AsyncGenerator<void, void>;
  private readonly faultLog = new FaultLog();
  private readonly seen = noWitnesses();
  private endsNoted = false;
  private readonly room = new OwnRoom();

  constructor(reading: Reading, reel: Reel, openContent: OpenContent, options: AssemblyOptions = {}) {
    const around = options.around ?? reel.damage === 'around';
    const planned = joinedPieces(options.pieces ?? reel.pieces.map((piece) => planPiece(reading, piece, around)));
    const first = planned[0];
    if (!first) throw new DiscError('unsupported', { source: 'reel', byteOffset: 0 }, 'The reel has no piece');
    const pieces = planned.map((piece) => {
      const { audio, subtitles } = trackSources(first.title, piece.title, reel);
      return { ...piece, streams: [piece.title.video.stream, ...[...audio, ...subtitles].map((t) => t?.stream ?? null)] };
    });
    for (const other of pieces.slice(1)) {
      const problem = joinProblem(first.title, other.title);
      if (problem) throw new DiscError('unsupported', { source: 'reel', byteOffset: 0 }, problem);
    }
    this.totalBytes = pieces.reduce((sum, p) => sum + bytesOf(p), 0);
    const { video } = first.title;
    const codec = UNIT_CODECS[video.codec];
    const companion = codec && video.secondView ? new CompanionUnits(codec()) : null;
    this.video = codec ? new AccessUnitFramer(this.timeline, codec(), video.frameTicks, companion) : new VideoFramer(this.timeline);
    this.lanes = makeLanes(first.title, reel, this.video, this.timeline, options.tap ?? null);
    this.tracks = this.lanes.map((lane) => lane.track);
    this.lanes.forEach(({ framer }, track) => {
      framer.account.log = { faults: this.faultLog, track };
    });
    this.chapters = new ChapterMarks(this.timeline, reel.chapterNames);
    const surroundings: WalkSurroundings = {
      label: reading.label,
      lanes: this.lanes,
      timeline: this.timeline,
      chapters: this.chapters,
      openContent,
      signal: options.signal,
      faults: this.faultLog,
      witnesses: this.seen,
      around,
      progress: (bytes) => {
        this.readBytes += bytes;
      },
    };
    const walk: Walk =
      reading.kind === 'DVD-Video' && this.video instanceof VideoFramer
        ? new DvdWalk(this.video, surroundings)
        : new ClipWalk(
            this.video,
            video.stream,
            companion && video.secondView ? { units: companion, pid: video.secondView.stream } : null,
            surroundings,
          );
    this.steps = walk.steps(pieces);
  }

  /** Chapters on the output's clock; the first begins at zero. */
  outputChapters(): AssembledChapter[] {
    return this.chapters.placed.map((chapter, i) => ({ ...chapter, startTicks: i === 0 ? 0 : chapter.startTicks + (this.leadTicks ?? 0) }));
  }

  /** Byte accounts of the tracks, by index. Complete once `fill` has said false. */
  account(track: number): TrackAccount {
    return (this.lanes[track] as Lane).framer.account;
  }

  /** Header of the first frame of an audio track; null before it came, and for LPCM. */
  audioHeader(track: number): AudioFrameHeader | null {
    const { framer } = this.lanes[track] as Lane;
    return framer.firstHeader;
  }

  subtitleHeader(track: number): Uint8Array | null {
    const { framer } = this.lanes[track] as Lane;
    return framer.style;
  }

  described(): null {
    return null;
  }

  /** Sound that begins late, or ends early, against the picture. */
  private noteSilentEnds(): void {
    if (this.endsNoted || !this.ended) return;
    this.endsNoted = true;
    this.lanes.forEach(({ framer, track: { kind } }, track) => {
      if (kind !== 'audio') return;
      const end = this.video.endTicks;
      const note = (from: number, to: number) => {
        if (to - from > SILENCE_TICKS) this.faultLog.note('no sound', track, { ticks: from }, null, (to - from) / 27_000);
      };
      if (framer.startOfTaken === null) note(0, end);
      else {
        note(0, framer.startOfTaken);
        note(framer.endOfTaken, end);
      }
    });
  }

  get videoCounts(): VideoCounts {
    return this.video.counts;
  }

  /** What the stream's own headers say of the picture; null before the first one. */
  get picture(): PictureDescription | null {
    return this.video.describe();
  }

  /** Frames of a two-view title whose second view did not come. */
  get lonelyFrames(): number {
    return this.video.lonelyFrames;
  }

  /** End of the last frame of picture or sound, after the shift that makes the earliest packet zero. */
  get endTicks(): number {
    const ends = this.lanes.map(({ framer }) => framer.endOfTaken);
    return Math.max(this.video.endTicks, ...ends) + (this.leadTicks ?? 0);
  }

  /** What was wrong with what was read so far, place by place; all of it once `fill` has said false. */
  wholeness(): Wholeness {
    this.noteSilentEnds();
    const count = (kind: AssembledTrack['kind']) =>
      this.lanes.reduce((sum, { track, framer }) => sum + (track.kind === kind ? framer.account.packets : 0), 0);
    return {
      faults: this.faultLog.list(this.timeline, this.leadTicks ?? 0),
      count: this.faultLog.count,
      damage: this.faultLog.damage,
      witnesses: { ...this.seen, pictures: count('video'), soundFrames: count('audio') },
    };
  }

  /** Subtitle units of a track that are shown even while subtitles are off. */
  forcedUnits(track: number): number {
    return (this.lanes[track] as Lane).framer.forcedUnits;
  }

  /** When subtitles of a track are shown even while subtitles are off, in ticks of the output; the first 500. */
  forcedTicks(track: number): number[] {
    const { framer } = this.lanes[track] as Lane;
    return framer.forcedTicks.map((ticks) => ticks + (this.leadTicks ?? 0));
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

  async close(): Promise<void> {
    this.ended = true;
    await this.steps.return();
    for (const { framer } of this.lanes) framer.close();
  }

  /** The next packet in order of time, or null where more must be read first. */
  take(room: FrameRoom = this.room): Packet | null {
    const index = this.nextLane();
    if (index === null) return null;
    const lane = this.lanes[index] as Lane;
    const held = lane.framer.queue.shift() as HeldPacket;
    lane.framer.es.release(held.position);
    this.leadTicks ??= this.measureLead(held);
    lane.framer.account.takenBytes += held.length;
    lane.framer.account.packets++;
    return {
      track: index,
      ticks: held.ticks + this.leadTicks,
      durationTicks: held.durationTicks,
      key: held.key,
      discardable: held.discardable,
      data: contentOf(lane, held, room),
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
      const { queue } = lane.framer;
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
