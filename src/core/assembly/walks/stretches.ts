import { DiscError } from '../../bytes';
import { ENTRY_STEP_90K, parseClipInfo, type EntryPoint } from '../../bluray';
import { clipInfoName, type ClipSegment, type MovedStream } from '../../reading';
import { SOURCE_PACKET } from '../../streams';
import { sectorsOf } from '../faults';
import type { PlannedSegment } from '../plan';
import type { OpenContent, WalkSurroundings } from './walk';

/** Segments of one clip that follow each other without a join. */
export interface ClipStretch {
  /** Its sound goes on from the stretch before without a break. */
  readonly seamless: boolean;
  readonly moved: readonly MovedStream[] | null;
  readonly segments: readonly PlannedSegment[];
  readonly first: ClipSegment;
  readonly last: ClipSegment;
  readonly companion: string | null;
}

export const clipOf = ({ segment }: PlannedSegment): ClipSegment => {
  if (segment.kind !== 'clip') throw new Error('a Blu-ray is walked by clips');
  return segment;
};

/** Streams of a title stand in both in the same places. */
export const sameMoves = (a: readonly MovedStream[] | null, b: readonly MovedStream[] | null) =>
  a === b || JSON.stringify(a) === JSON.stringify(b);

/** Times of tables count 45 kHz. */
const SAME_TIME_90K = 4;

/** A file that goes on in the next one, packet for packet: what lies over the border is one unit. BD-ROM part 3, connection_condition 6. */
const goesOnInFile = (before: ClipStretch, planned: PlannedSegment): boolean =>
  planned.oneClock &&
  before.companion === null &&
  planned.companion === null &&
  Math.abs(clipOf(planned).in90k - before.last.out90k) <= SAME_TIME_90K;

/** Packets of one file that a stretch reads. */
export interface FileRun {
  readonly content: string;
  readonly firstPacket: number;
  readonly endPacket: number;
}

/** The files of a stretch, in order: one, but where a file goes on in the next. */
export function filesOf({ segments }: ClipStretch): FileRun[] {
  const runs: FileRun[] = [];
  for (const { content, firstPacket, endPacket } of segments.map(clipOf)) {
    const last = runs.at(-1);
    if (last?.content === content) runs[runs.length - 1] = { ...last, endPacket };
    else runs.push({ content, firstPacket, endPacket });
  }
  return runs;
}

/** Puts the parts of a piece together to stretches that are read in one go. */
export function stretchesOf(segments: readonly PlannedSegment[]): ClipStretch[] {
  const stretches: ClipStretch[] = [];
  for (const planned of segments) {
    const clip = clipOf(planned);
    const before = stretches[stretches.length - 1];
    const isNext = before?.last.content === clip.content && before.last.out90k === clip.in90k && before.companion === planned.companion;
    if (before && (isNext || goesOnInFile(before, planned)) && sameMoves(before.moved, planned.moved))
      stretches[stretches.length - 1] = { ...before, segments: [...before.segments, planned], last: clip };
    else {
      const { seamless, companion, moved } = planned;
      stretches.push({ seamless, moved, segments: [planned], first: clip, last: clip, companion });
    }
  }
  return stretches;
}

type EntryMaps = ReadonlyMap<number, readonly EntryPoint[]>;

const MAX_INFO_BYTES = 16 * 1024 * 1024;

/** Entry points of a clip's streams as its information lists them; none where that is lost, which the reading has said. */
async function readMaps(openContent: OpenContent, clip: string): Promise<EntryMaps> {
  try {
    const file = await openContent(clipInfoName(clip));
    const data = new Uint8Array(Math.min(file.sizeBytes, MAX_INFO_BYTES));
    await file.read(0, data);
    return parseClipInfo(data, file.name).maps;
  } catch (error) {
    if (error instanceof DiscError && error.code !== 'cancelled') return new Map();
    throw error;
  }
}

/** The entry points of the clip under way by their packet, as its information says; each is taken off where it is met. */
export class EntryWatch {
  private readonly infos = new Map<string, EntryMaps>();
  private expected = new Map<number, number>();

  constructor(private readonly around: WalkSurroundings) {}

  /** Entry points of one stream of a clip. */
  async mapOf(clip: string, pid: number): Promise<readonly EntryPoint[]> {
    let maps = this.infos.get(clip);
    if (!maps) {
      maps = await readMaps(this.around.openContent, clip);
      this.infos.set(clip, maps);
    }
    return maps.get(pid) ?? [];
  }

  /** The first may stand before the stretch's own packets, the last is met only where its picture begins before the end. */
  async begin({ content, firstPacket, endPacket }: FileRun, videoPid: number): Promise<void> {
    const entries = await this.mapOf(content, videoPid);
    const own = entries.filter((e) => e.packet >= firstPacket && e.packet < endPacket);
    this.expected = new Map(own.map((e) => [e.packet, e.pts90k]));
  }

  meet(packet: number, pts90k: number): void {
    const expected = this.expected.get(packet);
    if (expected === undefined) return;
    if (Math.floor(pts90k / ENTRY_STEP_90K) * ENTRY_STEP_90K !== expected) return;
    this.expected.delete(packet);
    this.around.witnesses.entryPoints++;
  }

  /** Whatever entry point has not been met stands somewhere else, or not at all. */
  end({ content }: FileRun, epoch: number): void {
    for (const [packet, pts90k] of this.expected)
      this.around.faults.note('entry point', 0, { epoch, pts90k }, sectorsOf(content, packet * SOURCE_PACKET, 1));
    this.expected.clear();
  }
}
