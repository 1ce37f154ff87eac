import { existsSync, readFileSync } from 'node:fs';
import { open, readFile, stat, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { DiscError, type ByteSource } from '@/core/bytes';
import { ReadingCurve, RescueMap, fillSector, mappedSource, samePressing, takeImage, type TakeStep } from '@/core/rescue';
import { SECTOR_BYTES } from '@/core/volume';
import {
  ImageRecordSchema,
  MOST_JOINED,
  WorkError,
  type ImageProgress,
  type ImageRecord,
  type ImageSource,
  type JobSource,
} from '@/contract';
import { writeDurably } from './durable';
import { deviceBytes, openFileSource, sysfsOf, type FileSource } from './files';
import { digestFile, fasterDigest } from './hash';
import { mapOf, readMap } from './image-map';
import { openRaw, type VolumeSource } from './open-volume';
import { readDisc } from '@/core/reading';
import { openImage } from '@/core/volume';
import { APPLICATION } from './version';

/** The three files of an image: its bytes, the map of what was read of it, and the record of how it was taken. */
export interface ImageFiles {
  readonly image: string;
  readonly map: string;
  readonly record: string;
}

/** Files of a finished image. */
export const imageFiles = (image: string): ImageFiles => ({ image, map: mapOf(image), record: `${image}.record` });
/** Files of one that is being taken, in a folder of its own. */
export const unfinishedImage = (folder: string): ImageFiles => ({
  image: path.join(folder, 'disc.iso.part'),
  map: path.join(folder, 'disc.map'),
  record: path.join(folder, 'disc.json'),
});

/** @returns null where there is none that could be read. */
export function readImageRecord(file: string): ImageRecord | null {
  try {
    return ImageRecordSchema.parse(JSON.parse(readFileSync(file, 'utf8')));
  } catch {
    return null;
  }
}

/** A disc, or an image of one: what is read sector by sector. */
export type DiscSource = Exclude<VolumeSource, { kind: 'folder' }>;

export interface TakeOrder {
  readonly source: DiscSource;
  readonly spunUp: boolean;
  readonly files: ImageFiles;
  readonly label: string;
  readonly fill: ImageRecord['fill'];
  readonly retries: number;
}

export interface TakeWatch {
  readonly signal?: AbortSignal;
  readonly opened: () => void;
  readonly progress: (progress: ImageProgress) => void;
  /** All passes are over; what is left is its digest. */
  readonly finishing: () => void;
}

/** Between two times that image and map are flushed, in milliseconds: as much is read again after a power cut. */
const FLUSH_MS = 2000;
const TELL_MS = 250;
/** As much is read anew where it tells too little of the disc. */
const ANEW_BYTES = 4 * 1024 * 1024;

/**
 * Takes an image of a disc, or goes on with one. Image and map are flushed every two seconds, in that order, so that it can be ended at
 * any moment. @returns the record as it stands beside the image.
 * @throws DiscError `other-disc` where this is no copy of what the image is of, `source-gone`, `scrambled`; WorkError; system errors.
 */
export async function takeDiscImage(order: TakeOrder, watch: TakeWatch): Promise<ImageRecord> {
  const source = await openRaw(order.source, { spunUp: order.spunUp, ...(watch.signal ? { signal: watch.signal } : {}) });
  let work: ImageWork | null = null;
  try {
    watch.opened();
    await refuseProtected(source);
    work = await ImageWork.open(order, source, watch);
    await work.run();
  } catch (error) {
    // What was read is kept, whatever ended it.
    await work?.flush().catch(() => undefined);
    throw error;
  } finally {
    await work?.close();
    await source.close();
  }
  watch.finishing();
  return finish(order, watch.signal);
}

/** A disc with protected titles is not copied, whole or in part. One whose tables can not be read says nothing of that here; its image will. */
async function refuseProtected(source: ByteSource): Promise<void> {
  const reading = await openImage(source)
    .then((volume) => readDisc(volume))
    .catch((error: unknown) => {
      if (error instanceof DiscError && error.code === 'cancelled') throw error;
      return null;
    });
  const title = reading?.titles.find((t) => t.state === 'scrambled');
  if (title)
    throw new DiscError('scrambled', { source: source.name, byteOffset: 0 }, `Title ${title.number} is copy protected: no image is taken`);
}

class ImageWork {
  private flushedAt = performance.now();
  private toldAt = 0;
  private lastBytes = 0;
  private failed = 0;
  private speed = 0;

  private constructor(
    private readonly order: TakeOrder,
    private readonly watch: TakeWatch,
    private readonly source: FileSource,
    private readonly handle: FileHandle,
    private readonly map: RescueMap,
    private record: ImageRecord,
    private readonly own: { name: string; begunAt: string; endedAt: string | null; bytes: number; joined: [number, number][] },
    private readonly curve: ReadingCurve,
    private readonly signature: string,
  ) {}

  static async open(order: TakeOrder, source: FileSource, watch: TakeWatch): Promise<ImageWork> {
    const { files } = order;
    const isNew = !existsSync(files.image);
    const handle = await open(files.image, isNew ? 'wx+' : 'r+');
    try {
      const sizeBytes = isNew ? source.sizeBytes : (await handle.stat()).size;
      if (isNew) await handle.truncate(sizeBytes);
      const known = (await readMap(files.map, sizeBytes)) ?? RescueMap.untouched(sizeBytes);
      const isBegun = known.bytesOf('read') > 0;
      if (!isBegun && source.sizeBytes !== sizeBytes) throw notTheSame(source.name);
      // Of what was stopped as soon as it had begun nothing can be told: all of it is read anew, then nothing is mixed either.
      const isAnew = isBegun && !(await isMoreOf(source, files.image, known));
      const map = isAnew ? RescueMap.untouched(sizeBytes) : known;
      const before = isAnew ? null : readImageRecord(files.record);
      // What failed by itself before is tried again, block by block: by another drive, or on another copy, it may come.
      if (map.of('not tried', 'edge not found', 'not searched').length === 0)
        for (const { from, to } of map.of('unreadable')) map.set(from, to, 'not searched');
      const own = { name: order.source.label, begunAt: new Date().toISOString(), endedAt: null, bytes: 0, joined: [] };
      const record: ImageRecord = before ?? {
        version: 1,
        application: APPLICATION,
        label: order.label,
        sizeBytes,
        fill: order.fill,
        sources: [],
        curve: [],
        lostBytes: sizeBytes,
        digest: null,
        fingerprint: null,
      };
      const curve = new ReadingCurve(sizeBytes, record.curve);
      const signature = await signatureOf(order.source.path);
      const work = new ImageWork(order, watch, source, handle, map, { ...record, digest: null }, own, curve, signature);
      await work.flush();
      return work;
    } catch (error) {
      await handle.close();
      throw error;
    }
  }

  async run(): Promise<void> {
    await takeImage(this.source, this.map, {
      write: async (offset, data) => {
        for (let done = 0; done < data.byteLength;)
          done += (await this.handle.write(data, done, data.byteLength - done, offset + done)).bytesWritten;
      },
      onStep: (step) => this.step(step),
      isThere: async () => (await signatureOf(this.order.source.path)) === this.signature,
      retries: this.order.retries,
      now: () => performance.now(),
      signal: this.watch.signal,
    });
    await this.fillGaps();
    this.own.endedAt = new Date().toISOString();
    await this.flush();
  }

  private async step(step: TakeStep): Promise<void> {
    this.curve.add(step);
    const { own } = this;
    if (step.read) {
      own.bytes += step.bytes;
      const last = own.joined.at(-1);
      if (this.record.sources.length > 0) {
        if (last?.[1] === step.from) last[1] = step.from + step.bytes;
        else if (own.joined.length < MOST_JOINED) own.joined.push([step.from, step.from + step.bytes]);
      }
    } else this.failed++;
    const now = performance.now();
    if (now - this.toldAt >= TELL_MS) {
      const speed = ((own.bytes - this.lastBytes) / (now - this.toldAt)) * 1000;
      if (this.toldAt > 0) this.speed = this.speed === 0 ? speed : this.speed * 0.8 + speed * 0.2;
      this.lastBytes = own.bytes;
      this.toldAt = now;
      this.watch.progress({
        pass: step.pass,
        atByte: step.from,
        readBytes: this.map.bytesOf('read'),
        lostBytes: this.map.bytesOf('unreadable', 'edge not found', 'not searched'),
        bytesPerSecond: Math.round(this.speed),
        failed: this.failed,
      });
    }
    if (now - this.flushedAt >= FLUSH_MS) await this.flush();
  }

  /** In this order: what the map calls read is in the image by then. */
  async flush(): Promise<void> {
    await this.handle.datasync();
    const { files } = this.order;
    writeDurably(files.map, this.map.toText([`Map of the disc image “${this.record.label}”. ${APPLICATION}`]));
    const sources: ImageSource[] = [...this.record.sources, this.own].slice(-100);
    const lostBytes = this.map.sizeBytes - this.map.bytesOf('read');
    writeDurably(files.record, `${JSON.stringify({ ...this.record, sources, curve: this.curve.all, lostBytes }, null, 2)}\n`);
    this.flushedAt = performance.now();
  }

  private async fillGaps(): Promise<void> {
    for (const { from, to } of this.map.gaps(0, this.map.sizeBytes))
      for (let at = from; at < to; at += SECTOR_BYTES) {
        const sector = fillSector(this.record.fill, Math.min(SECTOR_BYTES, to - at));
        await this.handle.write(sector, 0, sector.byteLength, at);
      }
  }

  close(): Promise<void> {
    return this.handle.close();
  }
}

const notTheSame = (name: string) =>
  new DiscError('other-disc', { source: name, byteOffset: 0 }, 'This disc is no copy of the one that the image was taken from');

/**
 * Is a disc a copy of what an image was taken from? @returns false where so little was taken that nothing can be told, all of it the same.
 * @throws DiscError `other-disc`, `read-failed` where the disc gives too little to be compared.
 */
async function isMoreOf(source: ByteSource, image: string, map: RescueMap): Promise<boolean> {
  const taken = await openFileSource(image);
  try {
    const { isSame, compared, different, silent } = await samePressing(source, taken, map);
    if (isSame) return true;
    if (different === 0 && silent === 0 && map.bytesOf('read') <= ANEW_BYTES && source.sizeBytes === taken.sizeBytes) return false;
    // Of a disc that gives next to nothing, nothing can be said; what it gives must not be mixed in.
    if (different === 0 && source.sizeBytes === taken.sizeBytes && compared < 8)
      throw new DiscError('read-failed', { source: source.name, byteOffset: 0 }, 'Too little of it can be read to know that it is a copy');
    throw notTheSame(source.name);
  } finally {
    await taken.close();
  }
}

/** Changes when another disc lies there: the kernel numbers discs since 5.15; a stand-in is a file. */
async function signatureOf(place: string): Promise<string> {
  const info = await stat(place).catch(() => null);
  if (!info) return 'gone';
  if (!info.isBlockDevice()) return `file ${info.ino}`;
  const number = await readFile(`${sysfsOf(info.rdev)}/diskseq`, 'utf8').catch(() => '');
  return `${number.trim()} ${await deviceBytes(info.rdev)}`;
}

/** All passes are over: what the image is, as it stands on the disk. */
async function finish({ files }: TakeOrder, signal: AbortSignal | undefined): Promise<ImageRecord> {
  const record = readImageRecord(files.record);
  if (!record) throw new WorkError('work-lost', 'The record of the image can not be read');
  const digest = await digestFile(files.image, fasterDigest(), signal);
  const file = await openFileSource(files.image);
  try {
    const map = await readMap(files.map, file.sizeBytes);
    const source = map ? mappedSource(file, map) : file;
    const reading = await openImage(source)
      .then((volume) => readDisc(volume))
      .catch(() => null);
    const whole: ImageRecord = { ...record, digest, fingerprint: reading?.fingerprint ?? null, label: reading?.label || record.label };
    writeDurably(files.record, `${JSON.stringify(whole, null, 2)}\n`);
    return whole;
  } finally {
    await file.close();
  }
}

/** What a source is an image of: everything but folders and plain files. */
export function isImageable(source: JobSource): source is DiscSource {
  return source.kind === 'drive' || source.kind === 'image';
}
