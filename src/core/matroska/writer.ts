import { concatBytes } from '../bytes';
import {
  CRC_ELEMENT_BYTES,
  ID,
  UNKNOWN_SIZE,
  binary,
  checkedMaster,
  crcElement,
  float64,
  master,
  sizeBytes,
  uint,
  utf8,
  voidElement,
  type Crc32,
} from './ebml';
import { PLACED_HEAD_BYTES, putBlockHead, putHead } from './block-head';
import { crc32 as plainCrc32 } from './crc32';
import {
  attachmentsContent,
  chaptersContent,
  tagsContent,
  trackEntry,
  type MatroskaAttachment,
  type MatroskaChapter,
  type MatroskaTag,
  type MatroskaTrack,
} from './tracks';

/** Where the file goes. `writeAt` is only used on files that can be written at any place. */
export interface MatroskaSink {
  /** Appends. The bytes may be reused once the promise has settled. */
  write(data: Uint8Array): Promise<void>;
  /** Overwrites at a place already written; null where the sink is a pipe. */
  readonly writeAt: ((offset: number, data: Uint8Array) => Promise<void>) | null;
  /**
   * Appends, and puts the CRC-32 of what stands from a place on into four bytes before that, little-endian; where this is absent both are
   * done one after the other. The buffer is given away. @param data begins its buffer. @returns all of that buffer, to be filled again.
   */
  readonly writeSealed?: (data: Uint8Array, sumAt: number, from: number) => Promise<Uint8Array>;
}

export interface MatroskaDescription {
  readonly title: string;
  readonly application: string;
  /** Makes identifiers: the same input gives the same file. */
  readonly seed: string;
  readonly tracks: readonly MatroskaTrack[];
  readonly chapters: readonly MatroskaChapter[];
  readonly tags: readonly MatroskaTag[];
  readonly attachments?: readonly MatroskaAttachment[];
  /** Nanoseconds; an estimate in a pipe. */
  readonly durationNs: number;
  /** Unit of the blocks' timestamps, 10,000 to 1,000,000 ns; a millisecond where absent. Frames shorter than it would share a time. */
  readonly timestampScaleNs?: number;
}

/** One frame to be written. Times in 27 MHz ticks. */
export interface MatroskaFrame {
  readonly track: number;
  readonly ticks: number;
  readonly durationTicks: number | null;
  readonly key: boolean;
  readonly discardable: boolean;
  readonly data: Uint8Array;
}

/** Timestamps of blocks count milliseconds where nothing else is asked for: half a millisecond is inaudible. */
const TIMESTAMP_SCALE_NS = 1_000_000;
const CLUSTER_BYTES = 1024 * 1024;
const CLUSTER_ROOM_BYTES = 2048 * 1024;
const CLUSTER_MS = 5000;
/** A block's time is 16 bits, signed, from its cluster's. */
const MAX_BLOCK_UNITS = 30_000;
/** Room in the head for what is only known at the end: a sequence header, and names and places of chapters. */
const HEAD_SLACK_BYTES = 2048;
const CHAPTER_SLACK_BYTES = 64;
const CLUSTER_HEAD_BYTES = 4 + 8 + CRC_ELEMENT_BYTES;

/** FNV-1a over the text, widened to 64 bits: identifiers only have to differ inside one file. */
export function identifier(seed: string, label: string): bigint {
  let hash = 0xcbf29ce484222325n;
  for (const byte of new TextEncoder().encode(`${seed}\n${label}`)) hash = ((hash ^ BigInt(byte)) * 0x100000001b3n) & 0xffffffffffffffffn;
  return hash === 0n ? 1n : hash;
}

/**
 * Writes a Matroska file front to back: head, clusters, cues, tags. A cluster is built in memory and written once its
 * size is known; only the head is written again at the end, in the room kept for it.
 * Spec: RFC 9559; checksums on all top-level elements (RFC 8794 section 11.3.1).
 */
export class MatroskaWriter {
  private offset = 0;
  private headBytes = 0;
  private segmentAt = 0;
  /** One cluster is filled, the one before is complete, the one before that may still be on its way to the disk. */
  private cluster: Uint8Array;
  private readonly spares: Uint8Array[];
  private closed: Uint8Array | null = null;
  private writing: Promise<void> = Promise.resolve();
  private overflow: Uint8Array | null = null;
  /** Where a frame is put together that has no place in the cluster. */
  private apart = new Uint8Array(0);
  private placed: Uint8Array | null = null;
  private clusterEnd = 0;
  private clusterTime: number | null = null;
  private readonly cues: { time: number; track: number; cluster: number; relative: number }[] = [];
  private readonly videoTrack: number;
  private lastCueTime = Number.NEGATIVE_INFINITY;

  /** Of all but clusters: it is small. */
  private readonly crc32: Crc32;
  /** Sums clusters and writes them elsewhere. */
  private readonly seal: MatroskaSink['writeSealed'] | null;

  constructor(
    private readonly sink: MatroskaSink,
    private readonly tracks: number,
    videoTrack: number,
    /** Null for a stream that is read as it is written: its clusters have no checksums. */
    private readonly clusterCrc32: Crc32 | null = plainCrc32,
    /** Room for a cluster: less where tracks are thin. A frame that is larger gets room of its own. */
    private readonly roomBytes = CLUSTER_ROOM_BYTES,
  ) {
    this.videoTrack = videoTrack;
    this.crc32 = clusterCrc32 ?? plainCrc32;
    this.seal = clusterCrc32 && sink.writeSealed;
    this.cluster = new Uint8Array(roomBytes);
    this.spares = [new Uint8Array(roomBytes), new Uint8Array(roomBytes)];
  }

  /** Bytes written so far. */
  get writtenBytes(): number {
    return this.offset;
  }

  private scaleNs = TIMESTAMP_SCALE_NS;
  private unitsPerMs = 1;

  /** 27 MHz ticks in units of the file's timestamps. */
  private unitsOf(ticks: number): number {
    return Math.max(0, Math.round((ticks / 27_000) * this.unitsPerMs));
  }

  /** Writes the head with what is known now. Call once, before any frame. */
  async begin(description: MatroskaDescription): Promise<void> {
    this.scaleNs = description.timestampScaleNs ?? TIMESTAMP_SCALE_NS;
    this.unitsPerMs = 1_000_000 / this.scaleNs;
    const header = master(ID.EBML, [
      uint(ID.EBMLVersion, 1),
      uint(ID.EBMLReadVersion, 1),
      uint(ID.EBMLMaxIDLength, 4),
      uint(ID.EBMLMaxSizeLength, 8),
      utf8(ID.DocType, 'matroska'),
      uint(ID.DocTypeVersion, 4),
      uint(ID.DocTypeReadVersion, 2),
    ]);
    this.segmentAt = header.byteLength;
    const head = this.head(description, null);
    const slackBytes = HEAD_SLACK_BYTES + description.chapters.length * CHAPTER_SLACK_BYTES;
    this.headBytes = head.byteLength + slackBytes;
    await this.append(concatBytes([header, Uint8Array.of(0x18, 0x53, 0x80, 0x67), UNKNOWN_SIZE, head, voidElement(slackBytes)]));
  }

  /** SeekHead, Info, Tracks, Chapters: as long whether or not the places of Cues and Tags are known. */
  private head(d: MatroskaDescription, tail: { readonly cues: number; readonly tags: number } | null): Uint8Array {
    const uidOf = (label: string) => identifier(d.seed, label);
    const uuid = new Uint8Array(16);
    const view = new DataView(uuid.buffer);
    view.setBigUint64(0, uidOf('segment'));
    view.setBigUint64(8, uidOf('segment, second half'));
    const info = checkedMaster(
      ID.Info,
      [
        binary(ID.SegmentUUID, uuid),
        uint(ID.TimestampScale, this.scaleNs),
        float64(ID.Duration, d.durationNs / this.scaleNs),
        utf8(ID.Title, d.title),
        utf8(ID.MuxingApp, d.application),
        utf8(ID.WritingApp, d.application),
      ],
      this.crc32,
    );
    const tracks = checkedMaster(
      ID.Tracks,
      d.tracks.map((t, i) => trackEntry(t, i + 1)),
      this.crc32,
    );
    const chapters = d.chapters.length ? checkedMaster(ID.Chapters, [chaptersContent(d.chapters, uidOf)], this.crc32) : new Uint8Array(0);
    const files = d.attachments ?? [];
    const attachments = files.length ? checkedMaster(ID.Attachments, attachmentsContent(files, uidOf), this.crc32) : new Uint8Array(0);
    const seek = (id: number, position: number) => {
      const name = Uint8Array.from([24, 16, 8, 0].map((s) => (id >>> s) & 0xff));
      return master(ID.Seek, [binary(ID.SeekID, name), uint(ID.SeekPosition, position, 8)]);
    };
    const entries = (base: number) => [
      seek(ID.Info, base),
      seek(ID.Tracks, base + info.byteLength),
      ...(d.chapters.length ? [seek(ID.Chapters, base + info.byteLength + tracks.byteLength)] : []),
      ...(files.length ? [seek(ID.Attachments, base + info.byteLength + tracks.byteLength + chapters.byteLength)] : []),
      seek(ID.Cues, tail?.cues ?? 0),
      seek(ID.Tags, tail?.tags ?? 0),
    ];
    const seekBytes = checkedMaster(ID.SeekHead, entries(0), this.crc32).byteLength;
    // In a pipe the places stay unknown: a SeekHead that points nowhere would be worse than none.
    const first = tail || this.sink.writeAt ? checkedMaster(ID.SeekHead, entries(seekBytes), this.crc32) : voidElement(seekBytes);
    return concatBytes([first, info, tracks, chapters, attachments]);
  }

  /**
   * Adds a frame. Where this fills a cluster, `pending` is true and `flush` must be awaited before the next frame.
   * @throws RangeError for a frame larger than any cluster.
   */
  add(frame: MatroskaFrame): void {
    // Another frame would be written over the one that stands there: better no file than a wrong one.
    if (this.placed && frame.data.buffer !== this.placed.buffer) throw new Error('a frame was placed, and another one added');
    this.placed = null;
    const time = this.unitsOf(frame.ticks);
    const startsCluster = frame.key && frame.track === this.videoTrack;
    if (this.clusterTime !== null && this.mustClose(time, frame.data.byteLength, startsCluster)) this.closeCluster();
    if (this.clusterTime === null) this.openCluster(time, frame.data.byteLength);
    const target = this.overflow ?? this.cluster;
    if ((startsCluster && this.videoTrack >= 0) || (this.videoTrack < 0 && time - this.lastCueTime >= this.unitsPerMs * 1000)) {
      this.cues.push({
        time,
        track: frame.track + 1,
        cluster: this.offset + (this.closed?.byteLength ?? 0) - this.segmentAt - 12,
        relative: this.clusterEnd - 12,
      });
      this.lastCueTime = time;
    }
    const relative = time - (this.clusterTime ?? 0);
    if (frame.durationTicks !== null && frame.track !== this.videoTrack && this.wantsDuration.has(frame.track))
      this.blockGroup(target, frame.data.buffer === target.buffer ? { ...frame, data: frame.data.slice() } : frame, relative);
    else this.simpleBlock(target, frame, relative);
  }

  /** Tracks whose blocks carry their duration: subtitles. */
  readonly wantsDuration = new Set<number>();

  private mustClose(time: number, bytes: number, startsCluster: boolean): boolean {
    const used = this.clusterEnd;
    const age = time - (this.clusterTime ?? 0);
    if (age > MAX_BLOCK_UNITS || age < -MAX_BLOCK_UNITS || used + bytes + 64 > this.cluster.byteLength) return true;
    return (
      (startsCluster || this.videoTrack < 0) &&
      (used > CLUSTER_BYTES / 2 || age >= Math.min(MAX_BLOCK_UNITS, (CLUSTER_MS / 2) * this.unitsPerMs))
    );
  }

  private openCluster(time: number, bytes: number): void {
    this.overflow = bytes + 4096 > this.cluster.byteLength ? new Uint8Array(bytes + 8192) : null;
    const timestamp = uint(ID.Timestamp, time);
    (this.overflow ?? this.cluster).set(timestamp, CLUSTER_HEAD_BYTES);
    this.clusterEnd = CLUSTER_HEAD_BYTES + timestamp.byteLength;
    this.clusterTime = time;
  }

  /**
   * Room for the next frame where it will stand in the cluster: `add` then copies nothing. Where the cluster has no such room, or is
   * closed before the frame is added, the frame is copied like any other. It must be the next that is added.
   */
  place(bytes: number): Uint8Array {
    const from = this.clusterEnd + PLACED_HEAD_BYTES;
    if (this.clusterTime !== null && !this.overflow && from + bytes + 64 <= this.cluster.byteLength)
      return (this.placed = this.cluster.subarray(from, from + bytes));
    if (this.apart.byteLength < bytes) this.apart = new Uint8Array(Math.ceil(bytes * 1.5));
    return this.apart;
  }

  private simpleBlock(target: Uint8Array, { key, discardable, track, data }: MatroskaFrame, relative: number): void {
    const flags = (key ? 0x80 : 0) | (discardable ? 0x01 : 0);
    const stands = data.buffer === target.buffer && data.byteOffset === target.byteOffset + this.clusterEnd + PLACED_HEAD_BYTES;
    let at = putHead(target, this.clusterEnd, ID.SimpleBlock, data.byteLength + 4, stands);
    at = putBlockHead(target, at, track + 1, relative, flags);
    if (!stands) target.set(data, at);
    this.clusterEnd = at + data.byteLength;
  }

  private blockGroup(target: Uint8Array, frame: MatroskaFrame, relative: number): void {
    const duration = uint(ID.BlockDuration, Math.max(1, this.unitsOf(frame.durationTicks ?? 0)));
    const blockHead = [ID.Block, ...sizeBytes(frame.data.byteLength + 4)];
    const size = blockHead.length + 4 + frame.data.byteLength + duration.byteLength;
    let at = putHead(target, this.clusterEnd, ID.BlockGroup, size);
    target.set(blockHead, at);
    at = putBlockHead(target, at + blockHead.length, frame.track + 1, relative, 0);
    target.set(frame.data, at);
    target.set(duration, at + frame.data.byteLength);
    this.clusterEnd = at + frame.data.byteLength + duration.byteLength;
  }

  private closeCluster(): void {
    if (this.clusterTime === null) return;
    const bytes = this.overflow ?? this.cluster;
    const sum = this.seal ? 0 : this.clusterCrc32?.(bytes.subarray(CLUSTER_HEAD_BYTES, this.clusterEnd));
    bytes.set(sum === undefined ? voidElement(CRC_ELEMENT_BYTES) : crcElement(sum), 12);
    bytes.set([0x1f, 0x43, 0xb6, 0x75, ...sizeBytes(this.clusterEnd - 12, 8)]);
    if (this.closed) throw new Error('flush was not awaited');
    this.closed = bytes.subarray(0, this.clusterEnd);
    if (!this.overflow) {
      // One that is given away comes back when it is written.
      if (!this.seal) this.spares.push(this.cluster);
      this.cluster = this.spares.shift() ?? new Uint8Array(this.roomBytes);
    }
    this.overflow = null;
    this.clusterTime = null;
  }

  /** True where a finished cluster waits to be written. */
  get pending(): boolean {
    return this.closed !== null;
  }

  /** Starts to write the finished cluster, once the one before is written. An error of a write surfaces here, or in `finish`. */
  async flush(): Promise<void> {
    await this.writing;
    if (!this.closed) return;
    const bytes = this.closed;
    this.closed = null;
    this.offset += bytes.byteLength;
    const sealed = this.seal?.(bytes, CLUSTER_HEAD_BYTES - 4, CLUSTER_HEAD_BYTES);
    this.writing = sealed
      ? sealed.then((room) => {
          if (room.byteLength === this.roomBytes) this.spares.push(room);
        })
      : this.sink.write(bytes);
    this.writing.catch(() => undefined); // looked at by the next `flush`
  }

  /** Writes what is left, Cues and Tags, and the head again with its final values. */
  async finish(description: MatroskaDescription): Promise<void> {
    this.closeCluster();
    await this.flush();
    await this.writing;
    const cuesAt = this.offset;
    const points = this.cues.map((c) =>
      master(ID.CuePoint, [
        uint(ID.CueTime, c.time),
        master(ID.CueTrackPositions, [
          uint(ID.CueTrack, c.track),
          uint(ID.CueClusterPosition, c.cluster),
          uint(ID.CueRelativePosition, c.relative),
        ]),
      ]),
    );
    await this.append(checkedMaster(ID.Cues, points, this.crc32));
    const tagsAt = this.offset;
    await this.append(checkedMaster(ID.Tags, [tagsContent(description.tags)], this.crc32));
    if (!this.sink.writeAt) return;
    const contentAt = this.segmentAt + 12;
    const head = this.head(description, { cues: cuesAt - contentAt, tags: tagsAt - contentAt });
    const room = this.headBytes - head.byteLength;
    if (room < 2) throw new Error('the head has outgrown the room kept for it');
    await this.sink.writeAt(contentAt, concatBytes([head, voidElement(room)]));
    await this.sink.writeAt(this.segmentAt + 4, Uint8Array.from(sizeBytes(this.offset - contentAt, 8)));
  }

  private async append(data: Uint8Array): Promise<void> {
    await this.sink.write(data);
    this.offset += data.byteLength;
  }

  /** Number of tracks declared. */
  get trackCount(): number {
    return this.tracks;
  }
}
