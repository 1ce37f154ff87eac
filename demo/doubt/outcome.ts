import { createHash } from 'node:crypto';
import { Assembly, planReel } from '@/core/assembly';
import { DiscError, memorySource, type ByteSource } from '@/core/bytes';
import type { MatroskaSink } from '@/core/matroska';
import { proveMaster, type Proof, type ProofOptions, type MasterPromise } from '@/core/proof';
import { openContent, readDisc, type Fault, type Reading } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { SECTOR_BYTES, openImage } from '@/core/volume';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';

/** A master that was made and proven in memory, and all that was said on the way. */
export interface Outcome {
  /** Code and message where nothing was made. */
  readonly refused: string | null;
  /** What decides whether two masters are the same: payload and time of every packet, chapters. */
  readonly digest: string;
  readonly faults: readonly Fault[];
  /** What the reading says of the disc, and the proof of the file where it did not pass. */
  readonly words: readonly string[];
  readonly reading: Reading | null;
  readonly made: Made | null;
}

export interface Made {
  readonly file: Uint8Array;
  readonly promise: MasterPromise;
  readonly proof: Proof;
}

const options = { createHash: createPayloadHash, crc32: fastCrc32 };

/** A file in memory that grows. */
class MemorySink implements MatroskaSink {
  private bytes = new Uint8Array(4 * 1024 * 1024);
  private end = 0;

  write(data: Uint8Array): Promise<void> {
    if (this.end + data.byteLength > this.bytes.byteLength) {
      const larger = new Uint8Array(2 * this.bytes.byteLength + data.byteLength);
      larger.set(this.bytes);
      this.bytes = larger;
    }
    this.bytes.set(data, this.end);
    this.end += data.byteLength;
    return Promise.resolve();
  }

  readonly writeAt = (offset: number, data: Uint8Array): Promise<void> => {
    this.bytes.set(data, offset);
    return Promise.resolve();
  };

  get data(): Uint8Array {
    return this.bytes.slice(0, this.end);
  }
}

export const prove = (file: Uint8Array, promise: MasterPromise, more: Partial<ProofOptions> = {}): Promise<Proof> =>
  proveMaster(memorySource('master', file), promise, { ...options, ...more });

const wordsOf = (reading: Reading, title: number): string[] => {
  const found = reading.titles.find((t) => t.number === title);
  return [
    `${reading.titles.length} titles, ${found?.state ?? 'gone'}`,
    ...reading.remarks.map((r) => `${r.code} ${r.detail}`),
    ...reading.damage.map((d) => `${d.cause} ${d.content} ${d.firstSector}`),
  ];
};

/** Where in the image the tables stand that decide what a title is: those with a backup copy, and others. */
export async function structuresOf(image: Uint8Array): Promise<readonly (readonly [from: number, to: number])[]> {
  const volume = await openImage(memorySource('image', image));
  const found: (readonly [number, number])[] = [];
  for (const folder of ['VIDEO_TS', 'BDMV/PLAYLIST', 'BDMV/CLIPINF']) {
    for (const { name } of (await volume.list(folder)) ?? []) {
      if (!/^(VTS_\d+_0\.IFO|\d{5}\.(mpls|clpi))$/.test(name)) continue;
      const file = await volume.open(`${folder}/${name}`);
      if (file?.firstSector) found.push([file.firstSector * SECTOR_BYTES, file.firstSector * SECTOR_BYTES + file.sizeBytes]);
    }
  }
  return found;
}

/** Reads an image, makes a master of one of its titles around all damage, and proves it. */
export async function outcomeOf(image: Uint8Array, title: number, pieces?: Reel['pieces']): Promise<Outcome> {
  const nothing = { digest: '', faults: [], words: [], reading: null, made: null };
  let reading: Reading;
  try {
    const volume = await openImage(memorySource('image', image));
    reading = await readDisc(volume);
    const found = reading.titles.find((t) => t.number === title);
    if (!found) return { ...nothing, refused: `no title ${title}`, reading };
    const opened = new Map<string, Promise<ByteSource>>();
    const content = (name: string) => {
      const known = opened.get(name) ?? openContent(volume, name);
      opened.set(name, known);
      return known;
    };
    const reel: Reel = { ...wholeTitleReel(found, 'x', 'around'), ...(pieces ? { pieces } : {}) };
    const hashes = new TrackHashes(createPayloadHash);
    const assembly = new Assembly(reading, reel, content, { tap: hashes.tap, pieces: await planReel(reading, reel, content) });
    const times = createHash('sha256');
    const take = assembly.take.bind(assembly);
    assembly.take = () => {
      const packet = take();
      if (packet) times.update(`${packet.track} ${Math.round(packet.ticks)} ${packet.data.byteLength},`);
      return packet;
    };
    const sink = new MemorySink();
    const promise = await writeMaster(assembly, hashes, reading, reel, sink, { application: 'doubt', seed: 'doubt', ...options });
    const proof = await prove(sink.data, promise);
    const digest = JSON.stringify([times.digest('hex'), promise.tracks.map((t) => [t.codecId, t.language, t.hash]), promise.chapters]);
    const failed = proof.checks.filter((c) => !c.passed).map((c) => `proof: ${c.what} ${c.found}`);
    return {
      refused: null,
      digest,
      faults: proof.exceptions,
      words: [...wordsOf(reading, title), ...failed],
      reading,
      made: { file: sink.data, promise, proof },
    };
  } catch (error) {
    if (error instanceof DiscError) return { ...nothing, refused: `${error.code}: ${error.message}` };
    throw error;
  }
}
