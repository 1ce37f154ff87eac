import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { Assembly, planReel } from '@/core/assembly';
import { readExactly } from '@/core/bytes';
import { readDisc, titleSetName, type Reading, type Title } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import type { MasterPromise } from '@/core/proof';
import type { Reel } from '@/core/reels';
import { SECTOR_BYTES } from '@/core/volume';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { openFileSink } from '@/node/library';
import { openVolume, type OpenedVolume } from '@/node/open-volume';

/** The proving discs: made by DVD authoring tools, so that what they hold is known independently of our reader. */
export const PROVING = path.join(process.cwd(), '.cache', 'fixtures', 'proving', 'discs');
export const QUAY = path.join(PROVING, 'QUAY.iso');
/** Blu-ray discs by our own author, over streams by FFmpeg's encoders and multiplexer. */
export const HAVEN = path.join(PROVING, 'HAVEN');
export const TWIN = path.join(PROVING, 'TWIN.iso');
export const WATCH = path.join(PROVING, 'WATCH');
export const BESIDE = path.join(PROVING, 'BESIDE');
export const CADENCE = path.join(PROVING, 'CADENCE.iso');
export const SLIDES = path.join(PROVING, 'SLIDES.iso');
export const LOCKS = path.join(PROVING, 'LOCKS.iso');

/** What streams of CADENCE and SLIDES held before they were multiplexed, by the name of the work. */
export function oddTruths<T>(): Readonly<Record<string, T>> {
  const of = (disc: string) => JSON.parse(readFileSync(path.join(PROVING, '..', `truth-odd-${disc}.json`), 'utf8')) as Record<string, T>;
  return { ...of('cadence'), ...of('slides') };
}

const folders: string[] = [];

/** A folder that is gone when the test file is done. */
export function temporaryFolder(): string {
  const folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-test-'));
  folders.push(folder);
  return folder;
}
/** Outside of tests, whoever asks for a folder takes it away. */
if (typeof afterAll === 'function')
  afterAll(() => {
    for (const folder of folders.splice(0)) if (existsSync(folder)) rmSync(folder, { recursive: true, force: true });
  });

export interface OpenDisc {
  readonly opened: OpenedVolume;
  readonly reading: Reading;
}

export async function openDisc(image: string): Promise<OpenDisc> {
  const kind = image.endsWith('.iso') ? 'image' : 'folder';
  const opened = await openVolume({ kind, path: image, label: path.basename(image) });
  return { opened, reading: await readDisc(opened.volume) };
}

export function titleOf(reading: Reading, number: number): Title {
  const title = reading.titles.find((t) => t.number === number);
  if (!title) throw new Error(`no title ${number}`);
  return title;
}

/** The program stream of a title as it lies on the disc: what any other program would be given. */
export async function writeProgramStream({ opened, reading }: OpenDisc, number: number, file: string): Promise<void> {
  const title = titleOf(reading, number);
  const content = await opened.content(titleSetName(title.titleSet ?? 1));
  const parts: Uint8Array[] = [];
  for (const { segment: id } of title.parts) {
    const segment = reading.segments.find((s) => s.id === id);
    if (!segment) throw new Error(`no segment ${id}`);
    parts.push(
      await readExactly(content, segment.firstSector * SECTOR_BYTES, (segment.lastSector - segment.firstSector + 1) * SECTOR_BYTES, id),
    );
  }
  writeFileSync(file, Buffer.concat(parts));
}

/** Writes a reel as a master, as a runner does. */
export async function writeMasterFile(
  { opened, reading }: OpenDisc,
  reel: Reel,
  file: string,
): Promise<{ promise: MasterPromise; assembly: Assembly }> {
  const hashes = new TrackHashes(createPayloadHash);
  const content = (name: string) => opened.content(name);
  const assembly = new Assembly(reading, reel, content, { tap: hashes.tap, pieces: await planReel(reading, reel, content) });
  const sink = await openFileSink(file);
  try {
    const promise = await writeMaster(assembly, hashes, reading, reel, sink, {
      application: 'test',
      seed: 'test',
      createHash: createPayloadHash,
      crc32: fastCrc32,
    });
    return { promise, assembly };
  } finally {
    await sink.close();
  }
}
