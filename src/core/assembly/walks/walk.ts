import { DiscError, type ByteSource } from '../../bytes';
import type { Witnesses } from '../../reading/fault';
import type { FaultLog } from '../faults';
import type { Stamp } from '../framers/framer';
import type { CarriedParts } from './carried';
import type { Timeline } from '../timeline';
import type { Lane } from './lanes';
import type { PlannedPiece } from '../plan';

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

/** A stamp to be filled: one a walk, since streams come in small pieces. */
export const emptyStamp = (): Stamp => ({ pts90k: -1, dts90k: -1, starts: false, epoch: -1, markAt: 0, arrival90k: null });

/** Streams of lanes that show at a cut what stands before it. */
export const carryingStreams = (lanes: ReadonlyMap<number, Lane>): number[] =>
  [...lanes].flatMap(([stream, { framer }]) => (framer.carriesOver ? [stream] : []));

/** Gives lanes, and those made of the same stream, what stands of it before a cut. */
export function carryOver(
  lanes: ReadonlyMap<number, Lane>,
  { parts, unknown }: CarriedParts,
  { cut90k, epoch, ticks }: { readonly cut90k: number; readonly epoch: number; readonly ticks: number },
): void {
  for (const stream of unknown) lanes.get(stream)?.framer.account.fault('before the cut', ticks);
  for (const [stream, list] of parts) {
    const lane = lanes.get(stream);
    lane?.framer.carryOver(list, cut90k, epoch);
    lane?.twin?.framer.carryOver(list, cut90k, epoch);
  }
}

/** Tells every lane that something is missing before what comes next. */
export function breakLanes(lanes: readonly Lane[], only: Lane | null = null): void {
  for (const lane of lanes) if (only === null || lane === only) lane.framer.breakHere();
}

/** A file has one layout of LPCM for a track. */
export const lpcmChanges = (label: string): DiscError =>
  new DiscError(
    'unsupported',
    { source: label, byteOffset: 0 },
    'An LPCM track changes its layout inside the title: take the parts as reels of their own',
  );
