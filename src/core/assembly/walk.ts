import type { ByteSource } from '../bytes';
import type { Witnesses } from '../reading/fault';
import type { FaultLog } from './faults';
import type { Timeline } from './timeline';
import type { Lane } from './lanes';
import type { PlannedPiece } from './plan';

/** Opens what segments stand in, by the name that they give; the same source for the same name. */
export type OpenContent = (content: string) => Promise<ByteSource>;

/** What a walk over a disc's content needs of the assembly that it feeds. */
export interface WalkSurroundings {
  readonly label: string;
  readonly lanes: readonly Lane[];
  readonly timeline: Timeline;
  readonly chapters: ChapterMarks;
  readonly openContent: OpenContent;
  readonly signal: AbortSignal | undefined;
  /** What is wrong with what is read goes here, and how much agreed. */
  readonly faults: FaultLog;
  readonly witnesses: Witnesses;
  /** What can not be read is passed over, with the gap that it leaves; else it ends the walk. */
  readonly around: boolean;
  /** Counts bytes read of those that were announced. */
  readonly progress: (bytes: number) => void;
}

/** Reads pieces in order and feeds the lanes; pauses whenever packets may have become ready. */
export interface Walk {
  steps(pieces: readonly PlannedPiece[]): AsyncGenerator<void, void>;
}

export interface AssembledChapter {
  readonly startTicks: number;
  readonly name: string;
}

/** Chapters of the output: noted while reading, placed once the clock they were noted in is. */
export class ChapterMarks {
  readonly placed: AssembledChapter[] = [];
  private readonly pending: { epoch: number; pts90k: number; name: string }[] = [];

  constructor(
    private readonly timeline: Timeline,
    private readonly names: readonly string[],
  ) {}

  /** A chapter begins at this stamp. */
  note(epoch: number, pts90k: number): void {
    const number = this.placed.length + this.pending.length + 1;
    this.pending.push({ epoch, pts90k, name: this.names[number - 1]?.trim() || `Chapter ${number}` });
  }

  place(): void {
    for (let first = this.pending[0]; first && this.timeline.isPlaced(first.epoch); first = this.pending[0]) {
      const before = this.placed[this.placed.length - 1]?.startTicks ?? 0;
      this.placed.push({ startTicks: Math.max(before, this.timeline.map(first.epoch, first.pts90k), 0), name: first.name });
      this.pending.shift();
    }
  }
}

/** How much sound may come before the first picture. */
export const MAX_LEAD_TICKS = 2 * 27_000_000;

/** Tells every lane that something is missing before what comes next. */
export function breakLanes(lanes: readonly Lane[], only: Lane | null = null): void {
  for (const lane of lanes) if ((only === null || lane === only) && 'breakHere' in lane.framer) lane.framer.breakHere();
}
