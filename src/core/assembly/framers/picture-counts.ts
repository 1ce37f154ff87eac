import { TICKS_PER_MS, TICKS_PER_PTS, pictureRows, type PictureCoding, type SequenceHeader, type SliceRows } from '../../streams';
import type { TrackAccount } from '../packet';
import { ptsBetween, type Mark, type Timeline } from '../timeline';

/** Pictures of a stretch may last this much less or more than its navigation pack says, in frames: pulldown changes inside it. */
const VOBU_SLACK_FRAMES = 0.75;
/** Numbers of pictures in a group; more than this are no group of a disc. */
const MOST_IN_GROUP = 512;
/** Pictures higher than this count their rows in another way (13818-2 6.2.4); none of a disc's is. */
const MOST_CHECKED_ROWS = 2800;

/** What a navigation pack says of the pictures behind it. */
interface Expected {
  /** Position in the stream at which the first of them begins, at the earliest. */
  readonly position: number;
  readonly pts90k: number;
  readonly epoch: number;
  readonly ticks: number;
  /** Something was missing before it had ended: then its pictures are not counted. */
  hurt: boolean;
  seenTicks: number;
  pictures: number;
}

/** The framer whose pictures are counted. */
interface Counted {
  readonly account: TrackAccount;
  readonly endTicks: number;
  readonly sequence: SequenceHeader | null;
  /** The stream has said that its pictures end for now. */
  readonly sequenceEnded: boolean;
}

/** Counts pictures against three witnesses: navigation packs, the numbers in a group, and the rows of each picture. */
export class PictureCounts {
  private readonly expected: Expected[] = [];
  /** Numbers of the pictures of the group under way; null where it did not begin with a head, or something is missing in it. */
  private group: { least: number; most: number; pictures: number } | null = null;

  constructor(
    private readonly of: Counted,
    private readonly timeline: Timeline,
  ) {}

  private get frameTicks(): number {
    return this.of.sequence?.frameTicks ?? 0;
  }

  /** Something is missing in the stream before what comes next. */
  breakHere(): void {
    this.group = null;
    for (const stretch of this.expected) stretch.hurt = true;
  }

  /** What comes next, from `position` on, is said to last from one stamp to another. */
  expect(position: number, epoch: number, from90k: number, to90k: number): void {
    const ticks = ptsBetween(from90k, to90k) * TICKS_PER_PTS;
    this.expected.push({ position, pts90k: from90k, epoch, ticks, hurt: false, seenTicks: 0, pictures: 0 });
  }

  /** The stream ends or breaks here. */
  finish(): void {
    this.settle(Number.POSITIVE_INFINITY);
    this.group = null;
  }

  /** A group's pictures are numbered without gaps in the order in which they are shown. 13818-2 6.3.9 on temporal_reference. */
  beginGroup(): void {
    const { group } = this;
    this.group = { least: Number.POSITIVE_INFINITY, most: -1, pictures: 0 };
    if (!group || group.pictures === 0 || group.most >= MOST_IN_GROUP) return;
    const missing = group.most - group.least + 1 - group.pictures;
    if (missing === 0) return;
    const frameMs = this.frameTicks / TICKS_PER_MS;
    this.of.account.fault('pictures missing', this.of.endTicks, missing > 0 ? missing * frameMs : null);
  }

  /** Stretches that end before `position` are complete: their pictures last as long as the witness said, or some are missing. */
  settle(position: number, next: Mark | null = null): void {
    for (;;) {
      const [stretch, following] = this.expected;
      if (!stretch || (following ? following.position > position : position !== Number.POSITIVE_INFINITY)) return;
      this.expected.shift();
      const { frameTicks } = this;
      const short = stretch.ticks - stretch.seenTicks;
      // A stretch without any picture belongs to the one that stands; so does what comes after a sequence's end.
      if (stretch.hurt || stretch.pictures === 0 || frameTicks === 0 || (short > 0 && this.of.sequenceEnded)) continue;
      if (Math.abs(short) <= frameTicks * VOBU_SLACK_FRAMES) continue;
      const at = this.timeline.isPlaced(stretch.epoch) ? this.timeline.map(stretch.epoch, stretch.pts90k) : this.of.endTicks;
      // What lacks pictures at the end of its clock is held; anywhere else some are missing, or there are too many.
      if (!following && short > 0) continue;
      // They were all shown before the next had come: the last of them stands until then.
      const shown90k = stretch.pts90k + stretch.seenTicks / TICKS_PER_PTS;
      if (short > 0 && next?.epoch === stretch.epoch && next.arrival90k != null && ptsBetween(shown90k, next.arrival90k) > 0) continue;
      this.of.account.fault('pictures missing', at, short > 0 ? short / TICKS_PER_MS : null);
    }
  }

  /** A navigation pack before the picture says that its stretch begins at the very moment that it is stamped with. */
  isWitnessed(position: number, mark: Mark | null): boolean {
    const [stretch] = this.expected;
    if (!mark || !stretch || stretch.position > position || stretch.epoch !== mark.epoch) return false;
    return Math.abs(ptsBetween(stretch.pts90k, mark.pts90k)) < this.frameTicks / TICKS_PER_PTS;
  }

  count(position: number, temporalReference: number, ticks: number, isNewFrame: boolean): void {
    const [stretch] = this.expected;
    if (stretch && stretch.position <= position) {
      stretch.seenTicks += ticks;
      stretch.pictures++;
    }
    const { group } = this;
    if (!group || !isNewFrame) return;
    group.least = Math.min(group.least, temporalReference);
    group.most = Math.max(group.most, temporalReference);
    group.pictures++;
  }

  /** Every row of macroblocks of a picture of MPEG-2 stands in a slice of its own, or several: 13818-2 6.1.2.2. MPEG-1 knows no such rule. */
  lookAtRows({ structure }: PictureCoding, { row, skipped }: SliceRows): void {
    const { sequence } = this.of;
    if (!sequence?.mpeg2 || sequence.heightPixels > MOST_CHECKED_ROWS) return;
    const all = pictureRows(sequence, structure);
    if (row === all && skipped === 0) return;
    this.of.account.fault('rows missing', this.of.endTicks);
  }
}
