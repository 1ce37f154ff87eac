import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { MatroskaWriter } from '@/core/matroska';
import { PairReader, Rewriter, type Met } from '@/core/stereo';
import { avcConfiguration } from '@/core/streams';
import { PROVING } from './discs';

/** Small true pairs of views, with the hash of each picture as their encoder reconstructed it: made before any of our code saw them. */
const FOLDER = path.join(import.meta.dirname, 'samples', 'two-views');
export const PAIRS = ['p-cabac', 'p-cavlc-slices', 'b-implicit', 'b-temporal-cavlc', 'needs-copies', 'pcm-cavlc'] as const;
export const PAIR_SIZE = { width: 160, height: 96 } as const;

/** Units of a stream with start codes. */
export function unitsOf(stream: Uint8Array): Uint8Array[] {
  const starts: number[] = [];
  for (let i = 0; i + 2 < stream.byteLength; i++) if (stream[i] === 0 && stream[i + 1] === 0 && stream[i + 2] === 1) starts.push(i + 3);
  return starts.map((from, i) => {
    let to = i + 1 < starts.length ? (starts[i + 1] as number) - 3 : stream.byteLength;
    while (to > from && stream[to - 1] === 0) to--;
    return stream.subarray(from, to);
  });
}

/** Units by access unit, each of which begins with a delimiter. */
export function accessUnits(stream: Uint8Array, delimiter: number): Uint8Array[][] {
  const found: Uint8Array[][] = [];
  for (const unit of unitsOf(stream)) {
    if (((unit[0] ?? 0) & 31) === delimiter) found.push([]);
    (found.at(-1) ?? found[found.push([]) - 1])?.push(unit);
  }
  return found;
}

export interface SamplePair {
  /** Of both views, the base view's units first. */
  readonly units: readonly (readonly Uint8Array[])[];
  /** Hashes of pictures in order of display, by view. */
  readonly sums: readonly [readonly string[], readonly string[]];
}

export function samplePair(name: (typeof PAIRS)[number]): SamplePair {
  const read = (what: string) => readFileSync(path.join(FOLDER, `${name}.${what}`));
  const [base, dependent] = [accessUnits(read('base.264'), 9), accessUnits(read('dep.264'), 24)];
  const sums = (what: string) => read(what).toString().trim().split('\n');
  return { units: base.map((units, i) => [...units, ...(dependent[i] ?? [])]), sums: [sums('base.md5'), sums('dep.md5')] };
}

/** Units behind lengths as a stream with start codes. */
export function annexB(units: Uint8Array): Buffer {
  const out: Uint8Array[] = [];
  for (let at = 0; at + 4 <= units.byteLength;) {
    const size = Buffer.from(units.subarray(at, at + 4)).readUInt32BE();
    out.push(Uint8Array.of(0, 0, 0, 1), units.slice(at + 4, at + 4 + size));
    at += 4 + size;
  }
  return Buffer.concat(out);
}

interface Rewritten {
  readonly stream: Buffer;
  readonly met: Met;
  /** What came out picture by picture, in order of coding. */
  readonly roles: readonly string[];
}

/** Both views as one stream. */
export function rewritten(units: SamplePair['units']): Rewritten {
  const [reader, rewriter] = [new PairReader(), new Rewriter()];
  const out: Buffer[] = [];
  const roles: string[] = [];
  for (const access of units) {
    const { base, dependent } = reader.read(access);
    const made = base && rewriter.accessUnit(base, dependent);
    if (!made) continue;
    out.push(annexB(made.units));
    roles.push(...made.pictures.map((p) => p.role));
  }
  return { stream: Buffer.concat(out), met: rewriter.met, roles };
}

/** What FFmpeg decodes of a stream, picture by picture in order of display, and what it complains of. */
export function decodedPictures(stream: Uint8Array, { width, height }: { readonly width: number; readonly height: number } = PAIR_SIZE) {
  const args = ['-v', 'error', '-f', 'h264', '-i', 'pipe:0', '-fps_mode', 'passthrough', '-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-'];
  const { stdout, stderr } = spawnSync('ffmpeg', args, { input: stream, maxBuffer: 2 ** 30 });
  const size = width * height * 1.5;
  const pictures = Array.from({ length: Math.floor(stdout.byteLength / size) }, (_, i) => stdout.subarray(i * size, (i + 1) * size));
  return { pictures, sums: pictures.map((p) => createHash('md5').update(p).digest('hex')), complaints: stderr.toString() };
}

/** Hashes of a part of each picture of a file, in order of display. @param crop as FFmpeg's filter takes it. */
export function sumsOf(file: string, crop: string): string[] {
  const [width = 0, height = 0] = crop.split(':').map(Number);
  const size = (width * height * 3) / 2;
  const args = ['-v', 'error', '-i', file, '-vf', `crop=${crop}`, '-fps_mode', 'passthrough', '-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-'];
  const { stdout } = spawnSync('ffmpeg', args, { maxBuffer: 2 ** 28 });
  return Array.from({ length: stdout.byteLength / size }, (_, i) =>
    createHash('md5')
      .update(stdout.subarray(i * size, (i + 1) * size))
      .digest('hex'),
  );
}

/** Of the disc TWIN: what the demo’s encoder of second views reconstructed, and FFmpeg decoded of the first, before the disc was authored. */
export function twinViews(): { readonly first: string[]; readonly second: string[] } {
  const known = JSON.parse(readFileSync(path.join(PROVING, '..', 'views-twin.json'), 'utf8')) as Record<
    string,
    ReturnType<typeof twinViews>
  >;
  const views = known['00012'];
  if (!views) throw new Error('nothing is known of the second view of TWIN');
  return views;
}

const FRAME_TICKS = 1_125_000;
/** How long a picture of the samples is shown: 24 a second. */
export const PAIR_FRAME_TICKS = FRAME_TICKS;

/** A pair as a master holds it: both views in each block, the second told by its configuration. */
export const pairMaster = (name: (typeof PAIRS)[number], file: string): Promise<void> => writePair(samplePair(name).units, PAIR_SIZE, file);

/** Access units of both views, 24 a second, as a master holds them. */
export async function writePair(
  units: SamplePair['units'],
  { width, height }: { readonly width: number; readonly height: number },
  file: string,
): Promise<void> {
  const reader = new PairReader();
  // When each is shown: by the order that the base view counts itself.
  let begun = 0;
  const orders = units.map((access, i) => {
    const header = reader.read(access).base?.slices[0]?.header;
    // Counts begin anew with every IDR picture.
    if (header?.unit.idr) begun = i;
    return header?.sequence.orderType === 0 ? begun * 4096 + header.orderLsb : i;
  });
  const shown = [...orders].sort((a, b) => a - b);
  const ofType = (type: number, within = units[0] ?? []) => within.filter((u) => ((u[0] ?? 0) & 31) === type);
  const isSecond = (units[0] ?? []).findIndex((u) => [15, 20, 24].includes((u[0] ?? 0) & 31));
  const chunks: Buffer[] = [];
  const writer = new MatroskaWriter(
    {
      write: (data) => {
        chunks.push(Buffer.from(data));
        return Promise.resolve();
      },
      writeAt: null,
    },
    1,
    0,
  );
  const description = {
    ...{
      title: 'pair',
      application: 'test',
      seed: 'pair',
      chapters: [],
      tags: [],
      durationNs: Math.round((units.length * FRAME_TICKS * 1000) / 27),
    },
    tracks: [
      {
        ...{ kind: 'video' as const, uid: 1n, codecId: 'V_MPEG4/ISO/AVC', name: '', language: null, isDefault: true, isForced: false },
        ...{ isHearingImpaired: false, isVisuallyImpaired: false, isOriginal: false, isCommentary: false },
        codecPrivate: avcConfiguration(ofType(7), ofType(8, units[0]?.slice(0, isSecond))),
        defaultDurationNs: Math.round((FRAME_TICKS * 1000) / 27),
        ...{ pixelWidth: width, pixelHeight: height, displayAspect: [width, height] as const },
        ...{ interlacing: 'progressive' as const, topFieldFirst: null, colour: null, packed: null },
        twoViews: { baseIsRight: false, configuration: avcConfiguration(ofType(15), ofType(8, units[0]?.slice(isSecond))) },
      },
    ],
  };
  await writer.begin(description);
  for (const [i, access] of units.entries()) {
    const data = Buffer.concat(access.flatMap((u) => [Buffer.from([u.length >>> 24, u.length >>> 16, u.length >>> 8, u.length]), u]));
    const ticks = shown.indexOf(orders[i] as number) * FRAME_TICKS;
    writer.add({ track: 0, ticks, durationTicks: null, key: i === 0, discardable: false, data });
    if (writer.pending) await writer.flush();
  }
  await writer.finish(description);
  writeFileSync(file, Buffer.concat(chunks));
}
