import {
  CODE,
  MPEG1_PICTURE,
  PICTURE,
  TICKS_PER_MS,
  TICKS_PER_PTS,
  scanningStore,
  pictureFields,
  readPictureCoding,
  readPictureHeader,
  readSequenceHeader,
  type PictureCoding,
  type SequenceHeader,
} from '../../streams';
import { EsBuffer } from './es-buffer';
import { PLAIN_PICTURE, type PictureDescription } from '../picture';
import { PictureCounts } from './picture-counts';
import { HELD_TICKS, PictureFramer, type PieceBegin, type Stamp } from './framer';
import { Marks, ptsBetween, type Mark, type Timeline } from '../timeline';

/** A coded picture while its end is being looked for. */
interface Picture {
  readonly position: number;
  readonly headerPosition: number;
  type: number;
  temporalReference: number;
  coding: PictureCoding;
  hasSequence: boolean;
  closedGroup: boolean;
  /** The stream says behind it that its pictures end for now. */
  endsSequence: boolean;
}

interface Frame {
  readonly position: number;
  length: number;
  readonly type: number;
  readonly hasSequence: boolean;
  readonly mark: Mark | null;
  readonly epoch: number;
  /** The stream said before it that its pictures end for now: the one before stands. */
  readonly afterEnd: boolean;
  /** A navigation pack before it says that its stretch begins at the very moment that it is stamped with. */
  readonly isWitnessed: boolean;
  durationTicks: number;
  ticks: number | null;
  /** Only one field has come so far: its parity and temporal reference, to find its partner. */
  openField: { readonly structure: number; readonly temporalReference: number } | null;
}

/** Stamps are rounded to 90 kHz and jitter by a field on discs with pulldown; only more than this is a jump. */
const JUMP_SHARE_OF_FRAME = 0.75;
const STEADY_TICKS = TICKS_PER_MS;
/** A clock that goes on by less than this over its last picture only rounds, or counts the end of the sound. */
const HELD_FRAMES = 1.5;
/** A stamp that is wrong by more than this is later than the next one, which stands half a second behind it at the most. */
const LONG_STAND_TICKS = 1000 * TICKS_PER_MS;

/** A picture had not come yet when the running time would have shown it: the one before stood. */
const cameLate = ({ pts90k, arrival90k }: Mark, deviationTicks: number): boolean =>
  arrival90k != null && ptsBetween(pts90k - deviationTicks / TICKS_PER_PTS, arrival90k) > 0;

/** A sequence header with both quantiser matrices, and the extension after it. */
const SEQUENCE_BYTES = 12 + 128 + 10;

/**
 * Cuts MPEG-1 and MPEG-2 video into frames and gives every frame its time stamp. The stream stamps only some pictures
 * (on a DVD often one in half a second), so display order is rebuilt from picture types, each picture lasts as many
 * fields as its flags say, and the stamps that are there only correct the running time.
 * Spec: ISO/IEC 13818-2 6.1.1.11 (order of pictures), 6.3.9 and 6.3.10.
 */
export class VideoFramer extends PictureFramer {
  readonly es = new EsBuffer(4 * 1024 * 1024, scanningStore);
  sequence: SequenceHeader | null = null;
  private readonly marks = new Marks();
  private scanFrom = 0;
  private current: Picture | null = null;
  private auStart = 0;
  private auHasSequence = false;
  private auClosedGroup = false;
  private undisplayed: Frame | null = null;
  private unpaired: Frame | null = null;
  private epoch = -1;
  private readonly decodeOrder: Frame[] = [];
  private readonly unplaced: Frame[] = [];
  private lastDeviation = 0;
  private referencesInPiece = 0;
  private dropLeading = false;
  private groupIsClosed = true;
  /** A jump of the stamps is expected: something is missing before the next. */
  private jumpExpected = false;
  private suspect: { readonly ticks: number } | null = null;
  /** The stream has said that its pictures end for now. */
  sequenceEnded = false;
  private readonly witnessed: PictureCounts;
  private framesSinceHold = 0;

  constructor(private readonly timeline: Timeline) {
    super();
    this.witnessed = new PictureCounts(this, timeline);
  }

  override get size(): readonly [number, number] | null {
    return this.sequence && [this.sequence.widthPixels, this.sequence.heightPixels];
  }

  override describe(): PictureDescription | null {
    return this.sequence && { ...PLAIN_PICTURE, ...this.sequence, mpeg1: !this.sequence.mpeg2 };
  }

  override receive(data: Uint8Array, from: number, to: number, { pts90k, epoch, arrival90k }: Stamp): void {
    this.append(data, from, to, pts90k, epoch, arrival90k);
  }

  override beginStretch(): void {
    this.beginPiece({ isCut: true });
  }

  /** Something is missing in the stream before what comes next. */
  override breakHere(): void {
    this.jumpExpected = true;
    this.witnessed.breakHere();
  }

  /** What comes next is said to last from one stamp to another, by a witness outside the stream. */
  expect(epoch: number, from90k: number, to90k: number): void {
    this.witnessed.expect(this.es.end, epoch, from90k, to90k);
  }

  /** Time goes on to `ticks` without another picture: the last one stands. */
  holdUntil(ticks: number): void {
    const frame = this.sequence?.frameTicks ?? 0;
    if (ticks - this.endTicks < frame * HELD_FRAMES) return;
    if (ticks - this.endTicks >= HELD_TICKS && this.framesSinceHold > 0 && !this.sequenceEnded)
      this.account.fault('held', this.endTicks, (ticks - this.endTicks) / TICKS_PER_MS);
    this.framesSinceHold = 0;
    this.endTicks = ticks;
  }

  override waitUntil(ticks: number): void {
    super.waitUntil(ticks);
    this.framesSinceHold = 0;
  }

  /** The disc itself holds the last picture for so long. */
  standFor(ticks: number): void {
    this.framesSinceHold = 0;
    this.endTicks += ticks;
  }

  append(data: Uint8Array, from: number, to: number, pts90k: number, epoch: number, arrival90k: number | null = null): void {
    if (pts90k >= 0) this.marks.add({ position: this.es.end, pts90k, epoch, arrival90k });
    this.account.seenBytes += to - from;
    this.es.append(data, from, to);
  }

  /** Where the piece begins inside a title, pictures that need earlier ones are left out. */
  override beginPiece({ isCut }: Pick<PieceBegin, 'isCut'>): void {
    this.dropLeading = isCut;
    this.referencesInPiece = 0;
  }

  /** Finds all pictures that are complete. @param epoch that of the bytes appended since the last call. */
  override scan(epoch: number): void {
    this.epoch = epoch;
    // 16 bytes beyond a start code are needed to read the headers; the rest waits for the next call.
    const limit = this.es.end - 16;
    for (let at = this.es.findUnitCode(this.scanFrom, limit); at >= 0; at = this.es.findUnitCode(at + 3, limit)) {
      if (!this.onCode(at, at + SEQUENCE_BYTES <= this.es.end)) {
        this.scanFrom = at; // a sequence header's extension may not have come yet
        return;
      }
    }
    this.scanFrom = Math.max(this.scanFrom, this.es.end - 19);
  }

  /** The stream ends or breaks here: the last picture is complete, and everything held is shown. */
  override finish(epoch: number): void {
    this.scan(epoch);
    for (let at = this.es.findUnitCode(this.scanFrom, this.es.end); at >= 0; at = this.es.findUnitCode(at + 3, this.es.end))
      this.onCode(at, true);
    this.scanFrom = this.es.end;
    if (this.current) this.witnessed.lookAtRows(this.current.coding, this.es.takeSliceRows());
    this.endPicture(this.es.end);
    this.pairUp(null);
    if (this.undisplayed) this.display(this.undisplayed);
    this.undisplayed = null;
    this.placeWithoutStamp();
    this.release();
    this.witnessed.finish();
    this.lastDeviation = 0;
    this.settleSuspect();
    if (this.auStart < this.es.end) {
      this.account.leave('incomplete', this.es.end - this.auStart);
      this.auStart = this.es.end;
    }
    this.auHasSequence = false;
  }

  /** @returns false where a sequence header has come whose end may not have. */
  private onCode(position: number, whole: boolean): boolean {
    const { data, base } = this.es.raw;
    const at = position - base;
    const code = data[at + 3] as number;
    if (code === CODE.sequence && !whole) return false;
    if (code === CODE.sequence || code === CODE.group || code === CODE.picture) {
      const rows = this.es.takeSliceRows();
      if (this.current) {
        this.witnessed.lookAtRows(this.current.coding, rows);
        this.endPicture(position);
        this.auHasSequence = false;
        this.auClosedGroup = false;
      }
      if (code === CODE.sequence) {
        this.sequence = readSequenceHeader(data, at, this.es.end - base) ?? this.sequence;
        this.auHasSequence = true;
      } else if (code === CODE.group) {
        this.auClosedGroup = ((data[at + 7] as number) & 0x40) !== 0;
        this.witnessed.beginGroup();
      } else {
        this.current = {
          position: this.auStart,
          headerPosition: position,
          ...readPictureHeader(data, at),
          coding: MPEG1_PICTURE,
          hasSequence: this.auHasSequence,
          closedGroup: this.auClosedGroup,
          endsSequence: false,
        };
      }
    } else if (code === CODE.extension && this.current) {
      const coding = readPictureCoding(data, at);
      if (coding) this.current.coding = coding;
    } else if (code === CODE.sequenceEnd && this.current) this.current.endsSequence = true;
    return true;
  }

  private endPicture(end: number): void {
    const picture = this.current;
    if (!picture) return;
    this.current = null;
    const length = end - picture.position;
    this.auStart = end;
    const { coding } = picture;
    const partner = this.unpaired?.openField;
    if (
      this.unpaired &&
      partner &&
      coding.structure !== 3 &&
      coding.structure !== partner.structure &&
      picture.temporalReference === partner.temporalReference
    ) {
      this.marks.takeUpTo(picture.headerPosition);
      this.witnessed.settle(picture.headerPosition);
      this.witnessed.count(picture.headerPosition, picture.temporalReference, this.unpaired.durationTicks, false);
      this.unpaired.length += length;
      this.unpaired.durationTicks *= 2;
      this.unpaired.openField = null;
      return;
    }
    const frameTicks = this.sequence?.frameTicks ?? 0;
    const fields = pictureFields(coding, this.sequence?.progressiveSequence ?? true);
    const mark = this.marks.takeUpTo(picture.headerPosition);
    this.witnessed.settle(picture.headerPosition, mark);
    const frame: Frame = {
      position: picture.position,
      length,
      type: picture.type,
      hasSequence: picture.hasSequence,
      mark,
      epoch: this.epoch,
      afterEnd: this.sequenceEnded,
      isWitnessed: this.witnessed.isWitnessed(picture.headerPosition, mark),
      durationTicks: Math.round((frameTicks * fields) / 2),
      ticks: null,
      openField: coding.structure === 3 ? null : { structure: coding.structure, temporalReference: picture.temporalReference },
    };
    if (frameTicks === 0 || picture.type < PICTURE.intra || picture.type > PICTURE.bidirectional) {
      this.account.leave('not part of any frame', length);
      return;
    }
    this.witnessed.count(picture.headerPosition, picture.temporalReference, frame.durationTicks, true);
    this.sequenceEnded = picture.endsSequence;
    if (picture.type !== PICTURE.bidirectional) this.referencesInPiece++;
    if (picture.type === PICTURE.intra) this.groupIsClosed = picture.closedGroup;
    if (
      this.dropLeading &&
      picture.type === PICTURE.bidirectional &&
      (this.referencesInPiece === 0 || (this.referencesInPiece === 1 && !this.groupIsClosed))
    ) {
      this.account.leave('needs pictures before the cut', length, frame.durationTicks);
      return;
    }
    this.counts.frames++;
    if (coding.progressiveFrame) this.counts.progressive++;
    if (coding.topFieldFirst || coding.structure === 1) this.counts.topFieldFirst++;
    if (coding.repeatFirstField) this.counts.repeated++;
    this.pairUp(frame);
  }

  /** Hands the frame before on for display, now that it is known whether a second field follows. */
  private pairUp(next: Frame | null): void {
    const frame = this.unpaired;
    this.unpaired = next;
    if (!frame) return;
    this.decodeOrder.push(frame);
    if (frame.type === PICTURE.bidirectional) {
      this.display(frame);
    } else {
      if (this.undisplayed) this.display(this.undisplayed, frame.mark);
      this.undisplayed = frame;
    }
    this.release();
  }

  /** @param following the stamp of the next picture that is decoded to be shown after it, where that is known. */
  private display(frame: Frame, following: Mark | null = null): void {
    if (!this.timeline.isPlaced(frame.epoch)) {
      this.unplaced.push(frame);
      if (!frame.mark) return;
      const before = this.unplaced.reduce((sum, f) => sum + f.durationTicks, 0) - frame.durationTicks;
      this.timeline.place(frame.mark.epoch, frame.mark.pts90k, this.endTicks + before);
      for (const held of this.unplaced.splice(0)) this.setTime(held, this.endTicks);
      return;
    }
    this.setTime(frame, frame.mark ? this.corrected(frame.mark, frame, following) : this.endTicks);
  }

  /** No stamp came at all in this epoch: pictures simply follow each other. */
  private placeWithoutStamp(): void {
    for (const frame of this.unplaced.splice(0)) this.setTime(frame, this.endTicks);
  }

  private setTime(frame: Frame, ticks: number): void {
    frame.ticks = ticks;
    this.framesSinceHold++;
    this.endTicks = ticks + frame.durationTicks;
    this.counts.totalTicks += frame.durationTicks;
  }

  /**
   * The running time, or the stamp's where the stream really jumps: that is where a jump is expected, where a second stamp agrees, or
   * where something else speaks for it: the stream had ended its pictures, a navigation pack names that moment, the picture had not
   * even come when it would have been shown, or the next stamp is later still. A stamp alone is not followed.
   */
  private corrected(mark: Mark, { durationTicks, afterEnd, isWitnessed }: Frame, following: Mark | null): number {
    const deviation = this.timeline.map(mark.epoch, mark.pts90k) - this.endTicks;
    const steady = Math.abs(deviation - this.lastDeviation) < STEADY_TICKS;
    const large = Math.abs(deviation) >= durationTicks * JUMP_SHARE_OF_FRAME;
    const later = deviation >= LONG_STAND_TICKS && following?.epoch === mark.epoch && ptsBetween(mark.pts90k, following.pts90k) > 0;
    const stood = large && deviation > 0 && (afterEnd || isWitnessed || cameLate(mark, deviation) || later);
    const jump = large ? steady || stood || this.jumpExpected : steady && Math.abs(deviation) >= STEADY_TICKS;
    this.lastDeviation = deviation;
    if (!jump) {
      this.settleSuspect();
      if (large) this.suspect = { ticks: this.endTicks };
      return this.endTicks;
    }
    const explained = this.jumpExpected;
    this.jumpExpected = false;
    this.suspect = null;
    this.lastDeviation = 0;
    this.account.irregular(this.endTicks, deviation);
    if (stood && !explained) {
      if (!afterEnd) this.account.fault('held', this.endTicks, deviation / TICKS_PER_MS);
    } else if (large && deviation > 0) this.account.fault('gap', this.endTicks, deviation / TICKS_PER_MS);
    else if (large && !explained) this.account.fault('stamp', this.endTicks);
    // A picture before its predecessor has had its time takes the rest of it: that is what an uneven pulldown asks of a player.
    if (!large || deviation > 0) return this.endTicks + deviation;
    // Pictures can not be shown twice at a time: the whole epoch moves, and its audio with it.
    this.timeline.shift(mark.epoch, -deviation);
    return this.endTicks;
  }

  /** A stamp led away from the running time, and the next did not agree: it was wrong. */
  private settleSuspect(): void {
    if (this.suspect) this.account.fault('stamp', this.suspect.ticks);
    this.suspect = null;
  }

  /** Moves frames whose time is known to the queue, in decoding order. */
  private release(): void {
    let ready = 0;
    while (ready < this.decodeOrder.length && this.decodeOrder[ready]?.ticks !== null) ready++;
    for (let i = 0; i < ready; i++) {
      const frame = this.decodeOrder[i] as Frame;
      const ticks = frame.ticks ?? 0;
      const following = this.decodeOrder[i + 1];
      // A reference picture is decoded before the B pictures that are shown before it.
      const orderTicks =
        frame.type !== PICTURE.bidirectional && following?.type === PICTURE.bidirectional && following.ticks !== null
          ? Math.min(ticks, following.ticks)
          : ticks;
      this.queue.push({
        position: frame.position,
        length: frame.length,
        ticks,
        durationTicks: frame.durationTicks,
        orderTicks,
        key: frame.type === PICTURE.intra && frame.hasSequence,
        discardable: frame.type === PICTURE.bidirectional,
      });
    }
    this.decodeOrder.splice(0, ready);
  }
}
