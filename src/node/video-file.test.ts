import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { TrackHashes, writeMaster } from '@/core/master';
import type { MasterPromise } from '@/core/proof';
import type { Reading } from '@/core/reading';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { ReadingSchema } from '@/contract';
import { temporaryFolder } from '@/test-support/discs';
import { complaints, decodedFrames } from '@/test-support/ffmpeg';
import { createPayloadHash, fastCrc32 } from './payload-hash';
import { openFileSink } from './library';
import { openSource } from './open-source';
import { proveMasterFile } from './prove-file';

/** Files that FFmpeg made, taken as sources: what comes out must decode to what went in. */

const folder = temporaryFolder();
const chapters = path.join(folder, 'chapters.txt');

function make(name: string, ...args: string[]): string {
  const file = path.join(folder, name);
  const { status, stderr } = spawnSync(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=320x180:r=25:d=12',
      '-f',
      'lavfi',
      '-i',
      'sine=frequency=330:d=12',
      '-i',
      chapters,
      '-map_metadata',
      '2',
      ...args,
      file,
    ],
    { encoding: 'utf8' },
  );
  if (status !== 0) throw new Error(stderr);
  return file;
}

beforeAll(() => {
  const chapter = (from: number, to: number, title: string) => `[CHAPTER]\nTIMEBASE=1/1000\nSTART=${from}\nEND=${to}\ntitle=${title}\n`;
  writeFileSync(
    chapters,
    `;FFMETADATA1\ntitle=Nets at Dawn\n${chapter(0, 4000, 'Casting off')}${chapter(4000, 8000, 'The first haul')}${chapter(8000, 12000, 'Home')}`,
  );
});

/** The sound as a stream of its own: compressed as it is, PCM as samples. */
function sound(file: string, format: string): Buffer {
  const codec = format.startsWith('s') ? [] : ['-c', 'copy'];
  const { stdout, status } = spawnSync('ffmpeg', ['-v', 'error', '-i', file, '-map', '0:a:0', ...codec, '-f', format, '-'], {
    maxBuffer: 1 << 28,
  });
  expect([status, stdout.byteLength > 10_000]).toEqual([0, true]);
  return stdout;
}

const H264 = ['-c:v', 'libx264', '-g', '25', '-bf', '2', '-x264-params', 'open-gop=0', '-pix_fmt', 'yuv420p'];

async function examine(file: string): Promise<Reading> {
  const opened = await openSource({ kind: 'file', path: file, label: path.basename(file) });
  return ReadingSchema.parse(await opened.examine());
}

async function master(file: string, reading: Reading, reel: Reel, name: string): Promise<{ out: string; promise: MasterPromise }> {
  const out = path.join(folder, name);
  const opened = await openSource({ kind: 'file', path: file, label: name });
  const sink = await openFileSink(out);
  const hashes = new TrackHashes(createPayloadHash);
  const assembly = await opened.assemble(reading, reel, { tap: hashes.tap });
  const promise = await writeMaster(assembly, hashes, reading, reel, sink, {
    application: 'test',
    seed: 'test',
    createHash: createPayloadHash,
    crc32: fastCrc32,
  });
  await sink.close();
  const { proof } = await proveMasterFile(out, promise, 'SHA-256', new AbortController().signal);
  expect(proof.checks.filter((c) => !c.passed)).toEqual([]);
  return { out, promise };
}

const reelOf = (reading: Reading): Reel => {
  const [title] = reading.titles;
  if (!title) throw new Error('no title');
  return wholeTitleReel(title, 'Nets at Dawn');
};

test.each([
  [
    'film.mp4',
    [...H264, '-c:a', 'aac', '-map', '0', '-map', '1', '-map_chapters', '2', '-metadata:s:a:0', 'language=nob'],
    'H.264',
    'AAC',
    3,
    'adts',
  ],
  [
    'film.mkv',
    ['-c:v', 'libx265', '-x265-params', 'log-level=error', '-c:a', 'flac', '-map', '0', '-map', '1', '-map_chapters', '2'],
    'HEVC',
    'FLAC',
    3,
    's32le',
  ],
  ['film.ts', [...H264, '-c:a', 'ac3', '-map', '0', '-map', '1'], 'H.264', 'AC-3', 1, 'ac3'],
  ['film.mpg', ['-c:v', 'mpeg2video', '-bf', '2', '-c:a', 'mp2', '-map', '0', '-map', '1', '-f', 'vob'], 'MPEG-2', 'MPEG audio', 1, 'mp2'],
  ['film.mov', ['-c:v', 'prores_ks', '-c:a', 'pcm_s24be', '-map', '0', '-map', '1'], 'ProRes', 'PCM', 3, 's24le'],
])('%s becomes a master that decodes to the same', async (name, args, video, audio, count, format) => {
  const file = make(name, ...args);
  const reading = await examine(file);
  const [title] = reading.titles;
  expect([title?.video.codec, title?.audio[0]?.codec, title?.chapters.length]).toEqual([video, audio, count]);
  expect(title?.durationMs).toBeGreaterThan(11_900);
  const { out, promise } = await master(file, reading, reelOf(reading), `${name}.master.mkv`);
  expect(promise.frames).toBe(300);
  expect(decodedFrames(out, 'v:0')).toEqual(decodedFrames(file, 'v:0'));
  expect(sound(out, format).equals(sound(file, format))).toBe(true);
  expect(complaints(out)).toEqual([]);
});

test('chapters are cut at the pictures that stand alone, in any order, and keep their names', async () => {
  const file = make('parts.mkv', ...H264, '-c:a', 'ac3', '-map', '0', '-map', '1', '-map_chapters', '2');
  const reading = await examine(file);
  expect(reading.label).toBe('Nets at Dawn');
  const whole = reelOf(reading);
  const piece = (n: number) => ({ title: 1, angle: 1, fromChapter: n, toChapter: n });
  const { out, promise } = await master(file, reading, { ...whole, pieces: [piece(3), piece(1)] }, 'swapped.mkv');
  expect(promise.chapters).toEqual([
    { startMs: 0, name: 'Home' },
    { startMs: 4000, name: 'Casting off' },
  ]);
  const source = decodedFrames(file, 'v:0');
  expect(decodedFrames(out, 'v:0')).toEqual([...source.slice(200), ...source.slice(0, 100)]);
  expect(promise.tracks[1]?.left.every((l) => l.reason === 'outside the cut')).toBe(true);
});

test('what is no video, or is cut off, is said', async () => {
  const text = path.join(folder, 'notes.mkv');
  writeFileSync(text, 'no film at all');
  await expect(examine(text)).rejects.toMatchObject({ code: 'not-a-disc' });
  const noPicture = make('sound.mp4', '-map', '1', '-c:a', 'aac');
  await expect(examine(noPicture)).rejects.toMatchObject({ code: 'not-a-disc' });
});

test('a play list that calls itself a film opens no other file', async () => {
  const film = make('other.ts', ...H264, '-map', '0');
  const list = path.join(folder, 'list.mkv');
  writeFileSync(list, `#EXTM3U\n#EXT-X-TARGETDURATION:12\n#EXTINF:12,\nfile:${film}\n#EXT-X-ENDLIST\n`);
  await expect(examine(list)).rejects.toMatchObject({ code: 'not-a-disc' });
  const joined = path.join(folder, 'joined.mov');
  writeFileSync(joined, `ffconcat version 1.0\nfile '${film}'\n`);
  await expect(examine(joined)).rejects.toMatchObject({ code: 'not-a-disc' });
});
