import { APART_STREAM, CORE_STREAM, type MovedStream } from '../../reading';
import { HDMV_LPCM_HEAD_BYTES, readAc3Header, readHdmvLpcm } from '../../streams';
import type { PlannedPiece } from '../plan';
import { lanesByStream, type Lane } from './lanes';
import { lpcmChanges } from './walk';

/** Which lane the packets of a clip's streams go to. */
export class ClipRoutes {
  private byPid = new Map<number, Lane>();
  private cores = new Map<number, Lane>();
  /** Which of the two lanes of a TrueHD stream the packet under way belongs to. */
  private readonly goingTo = new Map<number, Lane | null>();
  /** Lanes of LPCM of which a packet has begun in this stretch. */
  private readonly begun = new Set<Lane>();
  /** Lanes whose text belongs to the title of this piece. */
  private textLanes: ReadonlySet<Lane> = new Set();

  constructor(
    private readonly lanes: readonly Lane[],
    public videoPid: number,
    private readonly label: string,
  ) {}

  /** The lanes that streams of the clip feed, by their stream. */
  get lanesByPid(): ReadonlyMap<number, Lane> {
    return this.byPid;
  }

  get pids(): number[] {
    return [...this.byPid.keys(), ...this.cores.keys()];
  }

  /** Which lane each stream of this piece's title feeds, in a part where some of them stand elsewhere. */
  map(piece: PlannedPiece, moved: readonly MovedStream[] | null): void {
    const places = new Map(moved?.map((m) => [m.stream, m.pid]));
    const placeOf = (stream: number | null): number | null => {
      if (stream === null || stream >= APART_STREAM) return stream;
      const core = stream >= CORE_STREAM ? CORE_STREAM : 0;
      const pid = places.get(stream - core);
      return pid === undefined ? stream : pid === null ? null : pid + core;
    };
    const all = lanesByStream(this.lanes, piece.streams.map(placeOf));
    this.videoPid = placeOf(piece.title.video.stream) ?? piece.title.video.stream;
    this.byPid = new Map([...all].filter(([stream]) => stream < CORE_STREAM));
    this.cores = new Map(
      [...all].flatMap(([stream, lane]) => (stream >= CORE_STREAM && stream < APART_STREAM ? [[stream - CORE_STREAM, lane]] : [])),
    );
    this.textLanes = new Set([...all].flatMap(([stream, lane]) => (stream >= APART_STREAM ? [lane] : [])));
  }

  restart(): void {
    this.goingTo.clear();
    this.begun.clear();
  }

  /** Text that stands apart belongs to the titles that lay it beside theirs: of others nothing is shown. */
  isOfOtherTitle(lane: Lane): boolean {
    return lane.track.kind === 'subtitle' && lane.track.source.apart != null && !this.textLanes.has(lane);
  }

  /** The lane that a fault in a stream is told of; null where nothing of it is taken. */
  laneOf(pid: number): Lane | null {
    if (pid < 0) return null;
    if (pid === this.videoPid) return this.lanes[0] ?? null;
    return this.byPid.get(pid) ?? this.cores.get(pid) ?? null;
  }

  /** All lanes that packets of a stream may go to. After a missing one it must be seen anew which. */
  lose(pid: number): ReadonlySet<Lane> {
    this.goingTo.delete(pid);
    return new Set([this.laneOf(pid), this.cores.get(pid) ?? null].filter((lane) => lane !== null));
  }

  /** A TrueHD stream carries AC-3 frames between its own: each packet holds only one of them, and its beginning tells which. */
  laneFor(pid: number, data: Uint8Array, from: number, to: number, starts: boolean): Lane | null {
    const core = this.cores.get(pid);
    const main = this.byPid.get(pid);
    const mixed = core !== undefined || (main?.track.kind === 'audio' && main.track.source.codec === 'TrueHD');
    if (!mixed) return main ?? null;
    if (starts) this.goingTo.set(pid, (readAc3Header(data, from, to) ? core : main) ?? null);
    return this.goingTo.get(pid) ?? null;
  }

  /**
   * LPCM packets begin with four bytes that say their layout; they are no samples. A file may begin inside one: nobody knows where a
   * sample begins in the rest of it.
   * @returns where samples begin. @throws DiscError `unsupported` where the layout changes.
   */
  soundStart(lane: Lane, data: Uint8Array, from: number, to: number, starts: boolean): number {
    const { track } = lane;
    if (track.kind !== 'audio' || !track.lpcm) return from;
    if (!starts) return this.begun.has(lane) ? from : to;
    this.begun.add(lane);
    const layout = to - from >= HDMV_LPCM_HEAD_BYTES ? readHdmvLpcm(data, from) : null;
    const { lpcm } = track;
    if (!layout || layout.bitDepth !== lpcm.bitDepth || layout.channels !== lpcm.channels || layout.sampleRateHz !== lpcm.sampleRateHz)
      throw lpcmChanges(this.label);
    return from + HDMV_LPCM_HEAD_BYTES;
  }
}
