import { readFileSync } from 'node:fs';
import path from 'node:path';
import { Assembly } from '@/core/assembly';
import { parseClipInfo, parseDiscMetadata, parseIndexTable, parseMovieObjects, parsePlaylist } from '@/core/bluray';
import { DiscError, memorySource } from '@/core/bytes';
import { parseParentalTable, parseTitleSet, parseVideoManager } from '@/core/dvd';
import { readMatroska, readMatroskaStream } from '@/core/matroska';
import { findVideoFolder, readDisc } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import { wholeTitleReel } from '@/core/reels';
import {
  TransportDemux,
  pgsSegmentBytes,
  readAc3Header,
  readDtsHdUnit,
  readEac3Unit,
  readH264Sequence,
  readHdr10,
  readHevcSequence,
  readMenuButtons,
  readMpegAudioHeader,
  readNavigationPack,
  readPack,
  readPgsComposition,
  readSequenceHeader,
  readSubpicture,
  readTextSubtitles,
  readTrueHdSync,
  readVc1Sequence,
} from '@/core/streams';
import { openImage } from '@/core/volume';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { openVolume } from '@/node/open-volume';
import { damaged, seeded } from '@/test-support/random';

/**
 * Every parser of foreign bytes, fed with damaged structures: it must answer with a value or a typed error. The seeds are
 * the same in every run; a failure names its own.
 */
const MUTATIONS = Number(process.argv[2] ?? 10_000);
const ONLY = process.argv[3] ?? '';
/** Whole discs are slower by far than single structures: a share of the mutations is spent on them. */
const DISC_SHARE = 1 / 40;
const MOST_MEMORY_MB = 900;

const proving = path.resolve('.cache/fixtures/proving/discs');
const haven = (...inside: string[]) => new Uint8Array(readFileSync(path.join(proving, 'HAVEN/BDMV', ...inside)));

interface Subject {
  readonly name: string;
  readonly whole: Uint8Array;
  readonly parse: (data: Uint8Array) => unknown;
  readonly share?: number;
}

const ignore = () => undefined;

/** A master of a few frames, made in memory. */
async function smallMaster(): Promise<Uint8Array> {
  const opened = await openVolume({ kind: 'folder', path: path.join(proving, 'HAVEN'), label: 'HAVEN' });
  const reading = await readDisc(opened.volume);
  const title = reading.titles.find((t) => t.playlist === 4);
  if (!title) throw new Error('the proving disc has changed');
  const reel = wholeTitleReel(title, 'fuzz');
  const hashes = new TrackHashes(createPayloadHash);
  let file = new Uint8Array(0);
  const sink = {
    write: (data: Uint8Array) => {
      file = Uint8Array.from([...file, ...data]);
      return Promise.resolve();
    },
    writeAt: (offset: number, data: Uint8Array) => {
      file.set(data, offset);
      return Promise.resolve();
    },
  };
  const assembly = new Assembly(reading, reel, (name) => opened.content(name), { tap: hashes.tap });
  await writeMaster(assembly, hashes, reading, reel, sink, { application: 'fuzz', seed: 'fuzz', createHash: createPayloadHash });
  await opened.close();
  return file;
}

/** Reads a file as it would come through a pipe: in chunks of changing size. */
async function streamed(data: Uint8Array): Promise<void> {
  async function* chunks(): AsyncGenerator<Uint8Array> {
    for (let at = 0, size = 700; at < data.byteLength; at += size, size = (size * 7) % 4099) {
      yield data.subarray(at, at + Math.max(1, size));
      await Promise.resolve();
    }
  }
  let parts = 0;
  for await (const part of readMatroskaStream(chunks(), 'x')) if (part.kind === 'cluster') parts += part.blocks.length;
  if (parts > data.byteLength) throw new Error('more blocks than bytes');
}

/** A style and some dialogues. */
function textPayload(): Uint8Array {
  const segment = (type: number, body: readonly number[]) => [type, body.length >> 8, body.length & 0xff, ...body];
  const dialog = (n: number) => segment(0x82, [0, 0, n, 0, 0, 0, 0, n, 9, 9, 0, 1, 0x80, 0, 0, 5, 0x1b, 1, 2, 65, 66]);
  return Uint8Array.from([
    ...segment(
      0x81,
      Array.from({ length: 40 }, (_, i) => i),
    ),
    ...Array.from({ length: 30 }, (_, i) => dialog(i)).flat(),
  ]);
}

function parentalTable(): Uint8Array {
  const data = new Uint8Array(16 + 8 * 4 * 2);
  const view = new DataView(data.buffer);
  view.setUint16(0, 1);
  view.setUint16(2, 3);
  view.setUint16(12, 16);
  return data;
}

async function subjects(): Promise<Subject[]> {
  const quay = new Uint8Array(readFileSync(path.join(proving, 'QUAY.iso')));
  const twin = new Uint8Array(readFileSync(path.join(proving, 'TWIN.iso')));
  const volume = await openImage(memorySource('QUAY', quay));
  const folder = (await findVideoFolder(volume)) ?? '';
  const dvd = async (name: string) => {
    const file = await volume.open(`${folder}/${name}`);
    const data = new Uint8Array(file?.sizeBytes ?? 0);
    await file?.read(0, data);
    return data;
  };
  const vob = await dvd('VTS_02_1.VOB');
  const clip = haven('STREAM', '00001.m2ts').subarray(0, 192 * 600);
  const elementary = (data: Uint8Array) => {
    for (let at = 0; at < data.byteLength; at += 97) {
      const end = data.byteLength;
      for (const read of [readAc3Header, readMpegAudioHeader, readDtsHdUnit, readEac3Unit, readTrueHdSync, readSequenceHeader])
        read(data, at, end);
      pgsSegmentBytes(data, at, end);
      readPgsComposition(data, at, end);
    }
    for (const read of [readH264Sequence, readHevcSequence, readVc1Sequence, readSubpicture]) read(data.subarray(0, 4096));
    readHdr10([data.subarray(0, 512)]);
  };
  const packs = (data: Uint8Array) => {
    for (let at = 0; at < data.byteLength; at += 2048) {
      readNavigationPack(data, at);
      readMenuButtons(data, at);
      readPack(data, at, Math.min(data.byteLength, at + 2048), { payload: ignore, scrambled: ignore });
    }
  };
  const transport = (data: Uint8Array) => {
    const demux = new TransportDemux({ transport: ignore, scrambled: ignore });
    for (const pid of [0x1011, 0x1100, 0x1200]) demux.want(pid);
    demux.feed(data, 0, data.byteLength);
  };
  const disc = async (data: Uint8Array) => readDisc(await openImage(memorySource('damaged', data)));
  return [
    { name: 'video manager', whole: await dvd('VIDEO_TS.IFO'), parse: (d) => parseVideoManager(d, 'x') },
    { name: 'title set', whole: await dvd('VTS_02_0.IFO'), parse: (d) => parseTitleSet(d, 2, 'x') },
    { name: 'packs', whole: vob.subarray(0, 2048 * 24), parse: packs },
    { name: 'index', whole: haven('index.bdmv'), parse: (d) => parseIndexTable(d, 'x') },
    { name: 'movie objects', whole: haven('MovieObject.bdmv'), parse: (d) => parseMovieObjects(d, 'x') },
    { name: 'playlist', whole: haven('PLAYLIST/00002.mpls'), parse: (d) => parsePlaylist(d, 'x') },
    { name: 'clip information', whole: haven('CLIPINF/00001.clpi'), parse: (d) => parseClipInfo(d, 'x') },
    { name: 'library card', whole: haven('META/DL/bdmt_eng.xml'), parse: (d) => parseDiscMetadata(d, 'eng') },
    { name: 'transport stream', whole: clip.subarray(0, 192 * 60), parse: transport },
    { name: 'elementary streams', whole: clip.subarray(0, 6000), parse: elementary },
    { name: 'matroska', whole: await smallMaster(), parse: (d) => readMatroska(memorySource('x', d), {}, { crc32: fastCrc32 }) },
    { name: 'matroska stream', whole: await smallMaster(), parse: streamed },
    { name: 'text subtitles', whole: textPayload(), parse: readTextSubtitles },
    { name: 'parental table', whole: parentalTable(), parse: (d) => parseParentalTable(d, { source: 'x', byteOffset: 0 }) },
    { name: 'DVD image', whole: quay, parse: disc, share: DISC_SHARE },
    { name: 'Blu-ray image', whole: twin, parse: disc, share: DISC_SHARE },
  ];
}

/** Damage to an image is put where structures are: in its first megabyte. */
function mutate({ whole, share }: Subject, seed: number): Uint8Array {
  const random = seeded(seed);
  if (share === undefined) return damaged(whole, random);
  const copy = whole.slice();
  for (let n = 1 + random.int(6); n > 0; n--) {
    const at = Math.min(copy.byteLength - 2048, random.int(512) * 2048);
    copy.set(damaged(copy.subarray(at, at + 2048), random), at);
  }
  return copy;
}

let failures = 0;
for (const subject of await subjects()) {
  if (ONLY !== '' && subject.name !== ONLY) continue;
  let refused = 0;
  const count = Math.ceil(MUTATIONS * (subject.share ?? 1));
  for (let seed = 0; seed < count; seed++) {
    try {
      await subject.parse(mutate(subject, seed));
    } catch (error) {
      refused++;
      if (error instanceof DiscError) continue;
      failures++;
      console.error(`${subject.name}, seed ${seed}:`, error);
      if (failures > 5) process.exit(1);
    }
  }
  console.log(`  ${subject.name.padEnd(20)} ${String(count).padStart(6)} damaged, ${String(refused).padStart(6)} refused, the others read`);
}
const memory = process.memoryUsage.rss() / 1e6;
if (memory > MOST_MEMORY_MB) {
  console.error(`more memory was taken than is believable: ${memory.toFixed(0)} MB`);
  failures++;
}
process.exitCode = failures > 0 ? 1 : 0;
