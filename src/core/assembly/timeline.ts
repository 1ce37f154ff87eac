import { TICKS_PER_PTS } from '../streams';

const WRAP_PTS = 2 ** 33;

interface Epoch {
  /** A raw stamp of the epoch; others are read as near to it, which undoes the wrap of the 33-bit clock. */
  readonly basePts90k: number;
  /** Ticks of the output at `basePts90k`; null until the first picture of the epoch is placed. */
  baseTicks: number | null;
}

/**
 * Maps the disc's clocks to the one clock of the output. The disc's clock restarts at VOB borders; each stretch
 * between restarts is an epoch with an offset of its own, so that video goes on without a gap and audio keeps its
 * distance to the video of its own epoch.
 */
export class Timeline {
  private readonly epochs: Epoch[] = [];

  /** Begins a new epoch. @returns its number. */
  begin(basePts90k: number): number {
    return this.epochs.push({ basePts90k, baseTicks: null }) - 1;
  }

  get current(): number {
    return this.epochs.length - 1;
  }

  isPlaced(epoch: number): boolean {
    return (this.epochs[epoch]?.baseTicks ?? null) !== null;
  }

  /** Says that the stamp `pts90k` of this epoch stands at `ticks` in the output. */
  place(epoch: number, pts90k: number, ticks: number): void {
    const e = this.at(epoch);
    e.baseTicks = ticks - distance(e.basePts90k, pts90k);
  }

  /** Puts the beginning of an epoch at `ticks`. */
  placeBase(epoch: number, ticks: number): void {
    this.at(epoch).baseTicks = ticks;
  }

  /** Moves an epoch that has been placed. */
  shift(epoch: number, ticks: number): void {
    const e = this.at(epoch);
    if (e.baseTicks !== null) e.baseTicks += ticks;
  }

  /** @returns output ticks of a stamp; the epoch must have been placed. */
  map(epoch: number, pts90k: number): number {
    const e = this.at(epoch);
    if (e.baseTicks === null) throw new Error('an epoch was used before it was placed');
    return e.baseTicks + distance(e.basePts90k, pts90k);
  }

  private at(epoch: number): Epoch {
    const e = this.epochs[epoch];
    if (!e) throw new Error(`there is no epoch ${epoch}`);
    return e;
  }
}

const distance = (from90k: number, to90k: number): number => ptsBetween(from90k, to90k) * TICKS_PER_PTS;

/** From one stamp of the 33-bit clock to another, the short way round. */
export function ptsBetween(from90k: number, to90k: number): number {
  const delta = to90k - from90k;
  if (delta > WRAP_PTS / 2) return delta - WRAP_PTS;
  return delta < -WRAP_PTS / 2 ? delta + WRAP_PTS : delta;
}

/** A time stamp and the stream position from which on it counts. */
export interface Mark {
  readonly position: number;
  readonly pts90k: number;
  readonly epoch: number;
  /** When the pack that it came in arrived, by the packs' own clock; null where that is not known. */
  readonly arrival90k?: number | null;
}

/** Marks of one stream in order of position, taken off as frames pass them. */
export class Marks {
  private readonly list: Mark[] = [];
  private first = 0;

  add(mark: Mark): void {
    this.list.push(mark);
  }

  /** The last mark at or before `position`, and it alone is then used up; null where none has come since the last. */
  takeUpTo(position: number): Mark | null {
    let found: Mark | null = null;
    while (this.first < this.list.length && (this.list[this.first] as Mark).position <= position) found = this.list[this.first++] as Mark;
    if (this.first > 256) {
      this.list.splice(0, this.first);
      this.first = 0;
    }
    return found;
  }

  /** What `takeUpTo` would give, left where it is. */
  lastUpTo(position: number): Mark | null {
    let found: Mark | null = null;
    for (let i = this.first; i < this.list.length && (this.list[i] as Mark).position <= position; i++) found = this.list[i] as Mark;
    return found;
  }

  /** The next mark not yet used. */
  peek(): Mark | null {
    return this.list[this.first] ?? null;
  }

  /** The next mark not yet used that counts in another epoch. */
  peekOther(epoch: number): Mark | null {
    // Epochs follow each other: where the last mark counts in this one, all do. It is asked for every frame.
    if (this.list.at(-1)?.epoch === epoch) return null;
    for (let i = this.first; i < this.list.length; i++) if ((this.list[i] as Mark).epoch !== epoch) return this.list[i] as Mark;
    return null;
  }

  /** The next mark not yet used that stands after `position`. */
  peekAfter(position: number): Mark | null {
    for (let i = this.first; i < this.list.length; i++) if ((this.list[i] as Mark).position > position) return this.list[i] as Mark;
    return null;
  }
}
