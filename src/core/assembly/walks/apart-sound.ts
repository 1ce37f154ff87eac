import { DiscError, throwIfCancelled } from '../../bytes';
import type { EntryPoint } from '../../bluray';
import type { ApartRun } from '../../reading';
import { SOURCE_PACKET, TransportDemux, type TransportFault } from '../../streams';
import { PACKETS, ReadAhead } from './read-ahead';
import { ptsBetween } from '../timeline';
import type { WalkSurroundings } from './walk';

/** Source packets looked at in one go: sound is read this far beyond what is wanted, at the most. */
const STEP_PACKETS = 32;
/** Before a moment, what may hold a frame that is heard at it. */
const EARLY_MS = 500;
/** A stretch of sound may begin this much before its own moment: half of the longest frame there is. */
const EARLY_FRAME_MS = 16;

/** Receives pieces of the stream, each with the time of the title at which what begins in it is heard; null where nothing does. */
export type HearPiece = (data: Uint8Array, from: number, to: number, titleMs: number | null, starts: boolean) => void;

/**
 * Reads sound that a playlist lays beside its title, in clips of its own, in step with the title's own clips.
 * Spec: BD-ROM part 3, SubPlayItem: SubPlayItem_IN_time, sync_start_PTS_of_PlayItem.
 */
export class ApartSound {
  private run = -1;
  private reader: ReadAhead | null = null;
  private chunk: Uint8Array | null = null;
  private at = 0;
  private latestMs = Number.NEGATIVE_INFINITY;
  private notBefore = Number.NEGATIVE_INFINITY;
  private hearing = false;
  private readonly demux: TransportDemux;

  /**
   * @param rest told before what is heard after a silence that the playlist wants. @param lost told where something is missing: content and packet.
   */
  constructor(
    private readonly runs: readonly ApartRun[],
    private readonly around: Pick<WalkSurroundings, 'openContent' | 'signal' | 'around'>,
    private readonly entriesOf: (clip: string) => Promise<readonly EntryPoint[]>,
    private readonly hear: HearPiece,
    private readonly rest: () => void,
    private readonly lost: (kind: TransportFault | 'unreadable', clip: string, packet: number, packets: number) => void,
  ) {
    this.demux = new TransportDemux({
      transport: (_pid, data, from, to, pts90k, _dts, starts) => {
        this.piece(data, from, to, pts90k, starts);
      },
      fault: (kind, _pid, packet) => {
        this.lost(kind, this.runs[this.run]?.clip ?? '', packet, 1);
      },
      scrambled: () => {
        throw new DiscError('scrambled', { source: this.runs[this.run]?.clip ?? '', byteOffset: 0 }, 'A copy-protected packet was met');
      },
    });
    for (const { pid } of runs) this.demux.want(pid);
  }

  /** The title is taken from here on. */
  beginAt(titleMs: number): void {
    this.notBefore = titleMs - EARLY_MS;
    this.run = this.runs.findIndex((run) => endOf(run) > titleMs) - 1;
    if (this.run < -1) this.run = this.runs.length;
    this.reader = null;
    this.latestMs = Number.NEGATIVE_INFINITY;
  }

  /** Reads on until what is heard at a time of the title has come. @throws DiscError `read-failed`, `scrambled`, `cancelled`. */
  async readTo(titleMs: number): Promise<void> {
    while (this.latestMs < titleMs) {
      throwIfCancelled(this.around.signal, 'sound beside the title');
      const run = this.runs[this.run];
      if (!this.reader || !run || this.latestMs >= endOf(run)) {
        const next = this.runs[this.run + 1];
        if (!next || next.atMs > titleMs) return;
        await this.open(this.run + 1, next);
      }
      if (this.reader && !(await this.step(this.reader))) {
        this.reader = null;
        this.latestMs = Math.max(this.latestMs, run ? endOf(run) : this.latestMs);
      }
    }
  }

  private async open(index: number, run: ApartRun): Promise<void> {
    if (index > 0) this.rest();
    this.run = index;
    this.latestMs = Number.NEGATIVE_INFINITY;
    this.hearing = false;
    this.chunk = null;
    this.at = 0;
    this.demux.restart();
    const source = await this.around.openContent(run.clip);
    const wanted90k = run.in90k + Math.max(0, this.notBefore - run.atMs) * 90;
    const entry = (await this.entriesOf(run.clip)).findLast((e) => e.pts90k <= wanted90k);
    const unreadable = (packet: number, packets: number) => {
      this.lost('unreadable', run.clip, packet, packets);
    };
    this.reader = new ReadAhead(source, PACKETS, entry?.packet ?? 0, Math.floor(source.sizeBytes / SOURCE_PACKET), {
      unreadable: this.around.around ? unreadable : null,
    });
  }

  /** @returns false at the end of the clip. */
  private async step(reader: ReadAhead): Promise<boolean> {
    if (!this.chunk || this.at >= this.chunk.byteLength) {
      this.chunk = await reader.next();
      this.at = 0;
      if (!this.chunk) return false;
    }
    const to = Math.min(this.chunk.byteLength, this.at + STEP_PACKETS * SOURCE_PACKET);
    const packet = reader.record - (this.chunk.byteLength - this.at) / SOURCE_PACKET;
    this.demux.feed(this.chunk, this.at, to, packet);
    this.at = to;
    return true;
  }

  private piece(data: Uint8Array, from: number, to: number, pts90k: number, starts: boolean): void {
    const run = this.runs[this.run];
    if (!run) return;
    let titleMs: number | null = null;
    if (starts && pts90k >= 0) {
      const ms = ptsBetween(run.in90k, pts90k) / 90;
      titleMs = run.atMs + ms;
      this.latestMs = titleMs;
      this.hearing = ms >= -EARLY_FRAME_MS && titleMs >= this.notBefore && titleMs < endOf(run);
    }
    if (this.hearing) this.hear(data, from, to, titleMs, starts);
  }
}

const endOf = ({ atMs, in90k, out90k }: ApartRun) => atMs + (out90k - in90k) / 90;
