import type { ByteSource } from '../../bytes';
import { TICKS_PER_MS, type AudioFrameHeader } from '../../streams';
import { PacketQueue, TrackAccount, type HeldPacket } from '../packet';
import type { PictureDescription } from '../picture';
import type { CarriedPart } from './carried-part';
import type { EsBuffer } from './es-buffer';

/** What a packet of a disc's stream says of what begins in it. One object is filled anew for each packet. */
export interface Stamp {
  /** Presentation and decoding time of the first unit that begins in it, 90 kHz; negative where none is said. */
  pts90k: number;
  dts90k: number;
  /** A PES packet begins here, and does not go on. */
  starts: boolean;
  /** The clock in which the stamps count. */
  epoch: number;
  /** Position in the payload from which on the stamp counts (LPCM: the first access unit). */
  markAt: number;
  /** When the pack was there, by the disc's own clock; null where that is not known. */
  arrival90k: number | null;
}

/** A piece of the reel begins. */
export interface PieceBegin {
  /** Earliest time that is believed, in ticks of the output. */
  readonly notBefore: number;
  /** It begins inside its title: pictures may need some that are not there. */
  readonly isCut: boolean;
  /** Its first bytes may be the rest of a frame. */
  readonly midFrame: boolean;
}

/** A stretch of a clip begins, which has a clock of its own. */
export interface StretchBegin {
  readonly epoch: number;
  /** What is wanted of the clip's clock, 90 kHz. */
  readonly in90k: number;
  readonly out90k: number;
  /** Where it begins in its title. */
  readonly titleMs: number;
  /** How far the picture of the output has come. */
  readonly startTicks: number;
  /** The reel begins or ends here inside the title, not where the disc does. */
  readonly isCut: boolean;
  readonly endsCut: boolean;
  /** Its first bytes may be the rest of a frame. */
  readonly midFrame: boolean;
  /** The stream goes on from the stretch before: nothing of it is cut. */
  readonly goesOn: boolean;
  /** Sound is cut where it ends. */
  readonly endsSound: boolean;
}

/** What is counted while pictures are cut. */
export interface VideoCounts {
  frames: number;
  progressive: number;
  topFieldFirst: number;
  repeated: number;
  totalTicks: number;
}

/** Where frames are put together that do not stand in the stream as the container holds them. */
export interface FrameRoom {
  /** @returns at least so many bytes to write to; what was written before is no longer valid. */
  place(bytes: number): Uint8Array;
}

/** A room of one's own: each assembly has one, since another may be at work meanwhile. */
export class OwnRoom implements FrameRoom {
  private bytes = new Uint8Array(0);

  place(bytes: number): Uint8Array {
    if (this.bytes.byteLength < bytes) this.bytes = new Uint8Array(Math.ceil(bytes * 1.5));
    return this.bytes;
  }
}

/** How much sound may come before the first picture. */
export const MAX_LEAD_TICKS = 2 * 27_000_000;
/** Sound may begin this much before the picture of a stretch: half of the longest frame there is. */
export const EARLY_TICKS = 16 * 27_000;
/** A picture that stands for less is no news: clocks go on until the end of the sound. */
export const HELD_TICKS = 250 * TICKS_PER_MS;

/**
 * Cuts one stream into frames and places them on the output's clock. The walks know no more of a stream than this: what a kind of
 * stream has no use for does nothing.
 */
export abstract class Framer {
  abstract readonly es: EsBuffer;
  readonly queue = new PacketQueue();
  readonly account = new TrackAccount();
  /** Units that are shown even while subtitles are off; and when the first of them are, ticks of the output before its lead. */
  forcedUnits = 0;
  readonly forcedTicks: number[] = [];
  /** Beginning of the first frame that was taken; null before it. Kept for sound. */
  startOfTaken: number | null = null;
  /** End of the last frame that was taken; minus infinity before the first. Kept for sound. */
  endOfTaken = Number.NEGATIVE_INFINITY;
  /** End of the last whole frame that has come, taken or not. Kept for sound. */
  get endOfCome(): number {
    return this.endOfTaken;
  }
  /** Over a join, sound that overlaps the sound before by no more than this is taken all the same. */
  get mostOverlap(): number {
    return 0;
  }
  /** What stands before a cut may be shown behind it: `carryOver` wants it. */
  readonly carriesOver: boolean = false;

  /** Takes what the disc has next of the stream. */
  abstract receive(data: Uint8Array, from: number, to: number, stamp: Stamp): void;

  /** Cuts what has come so far. @param final nothing follows: an incomplete frame at the end is left out. */
  process(_final: boolean): void {
    // Pictures are found by `scan`.
  }

  /** Reads what stands apart from the title, before anything begins. */
  load(_openContent: (content: string) => Promise<ByteSource>, _signal: AbortSignal | undefined): Promise<void> {
    return Promise.resolve();
  }

  beginPiece(_piece: PieceBegin): void {
    // Where every stretch of a clip is begun by itself, a piece is nothing more.
  }

  abstract beginStretch(stretch: StretchBegin): void;

  /** What stands before the cut at which a piece begins. */
  carryOver(_parts: readonly CarriedPart[], _cut90k: number, _epoch: number): void {
    // Only what stays on the screen is wanted from before.
  }

  /** Something is missing in the stream before what comes next. */
  breakHere(): void {
    // Where every unit carries its stamps, nothing has to be believed that they do not say.
  }

  /** The disc itself says that there is nothing before what comes next: its stamp is followed, and is no news. */
  restHere(): void {
    // Only sound has times of its own between stamps.
  }

  /** Another piece follows: the one under way ends about here. */
  endsAbout(_epoch: number, _pts90k: number): void {
    // Only what says itself how long it is shown can be shortened.
  }

  /** The piece is over; what still comes is looked through for frames that begin before its end. */
  beginTail(): void {
    // Only sound is cut to pieces smaller than a unit.
  }

  /** The piece ends at `ticks`: what begins later is left out, also of what is already queued. */
  endPieceAt(_ticks: number): void {
    // The pictures themselves say where a piece ends.
  }

  /** Something is missing before the beginning of the piece: where its sound begins later, some of it is. */
  lostHead(): void {
    // Only sound runs through.
  }

  /** Nothing comes any more, and something is missing: what of the piece is not there before `ticks` is lost. */
  lostTail(_ticks: number): void {
    // Only sound runs through.
  }

  /** True once a frame was found that begins at or after `ticks`; of no use for streams that do not run through. */
  hasPassed(_ticks: number): boolean {
    return true;
  }

  /** Header of the first frame of sound; null before it came. */
  get firstHeader(): AudioFrameHeader | null {
    return null;
  }

  /** What a player must have before the first unit; null where there is no such thing. */
  get style(): Uint8Array | null {
    return null;
  }

  /** Nothing more is asked of it. */
  close(): void {
    this.es.close();
  }

  /** A packet as the container holds it, put together in the room; null where it is as it stands in the buffer. */
  reframed(_held: HeldPacket, _room: FrameRoom): Uint8Array | null {
    return null;
  }
}

/** A framer of pictures: the output's clock goes by them. */
export abstract class PictureFramer extends Framer {
  readonly counts: VideoCounts = { frames: 0, progressive: 0, topFieldFirst: 0, repeated: 0, totalTicks: 0 };
  /** End of the last frame in display order. */
  endTicks = 0;
  /** Frames of a title with two views whose second did not come. */
  lonelyFrames = 0;
  /** Pictures that are shown before a cut may stand behind it. */
  readonly reordersOverCuts: boolean = false;

  /** Finds all pictures that are complete. @param epoch that of the bytes appended since the last call. */
  scan(_epoch: number): void {
    // Units that begin packets of their own are found as they come.
  }

  /** The last picture stands until `ticks`, however near: what comes next would be heard before the sound under way is over. */
  waitUntil(ticks: number): void {
    if (ticks - this.endTicks >= HELD_TICKS) this.account.fault('held', this.endTicks, (ticks - this.endTicks) / TICKS_PER_MS);
    this.endTicks = ticks;
  }

  /** The stream ends or breaks here: what was held is complete. */
  abstract finish(epoch: number): void;

  /** Width and height; null before the first picture. */
  abstract get size(): readonly [number, number] | null;

  /** What the stream's own headers say of the picture; null before the first. */
  abstract describe(): PictureDescription | null;
}
