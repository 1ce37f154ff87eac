import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { decodedFrames, decodedSamples, elementary } from '@/test-support/ffmpeg';
import {
  LOCKS,
  PROVING,
  openDisc,
  temporaryFolder,
  titleOf,
  writeMasterFile,
  writeProgramStream,
  type OpenDisc,
} from '@/test-support/discs';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { memorySource } from '../bytes';
import { proveMaster } from '../proof';
import { wholeTitleReel, type Piece } from '../reels';

/** Masters against what their streams held before any disc was authored of them, by FFmpeg's reading of it: our own reader is not asked. */

interface Truth {
  readonly pictures: readonly string[];
  readonly sound: readonly string[];
}
const folder = temporaryFolder();
const sha = (data: Uint8Array) => createHash('sha256').update(data).digest('hex');
const truths = (disc: string) =>
  JSON.parse(readFileSync(path.join(PROVING, '..', `truth-${disc}.json`), 'utf8')) as Readonly<Record<string, Truth>>;

async function master(disc: OpenDisc, title: number, name: string, pieces?: readonly Piece[]) {
  const file = path.join(folder, `${name}.mkv`);
  const reel = wholeTitleReel(titleOf(disc.reading, title), name);
  const made = await writeMasterFile(disc, pieces ? { ...reel, pieces } : reel, file);
  const source = memorySource('x', new Uint8Array(readFileSync(file)));
  return { file, ...made, proof: await proveMaster(source, made.promise, { createHash: createPayloadHash, crc32: fastCrc32 }) };
}

describe('over a seamless join of two clips, sound of the end stands at the head of the second', () => {
  let seam: OpenDisc;
  beforeAll(async () => {
    seam = await openDisc(path.join(PROVING, 'SEAM.iso'));
  });
  afterAll(() => seam.opened.close());

  test.each([
    ['on one clock', 1, '00051'],
    ['on two clocks', 2, '00052'],
  ])('%s: not one frame or sample goes, of TrueHD, its core, AC-3 and LPCM', async (name, title, clip) => {
    const truth = truths('seam')[clip];
    const { file, promise, proof } = await master(seam, title, name);
    expect(decodedFrames(file, 'v:0')).toEqual(truth?.pictures);
    const kinds = ['truehd', 'ac3', 'ac3', 's24le'];
    expect(kinds.map((kind, i) => sha(elementary(file, `a:${i}`, kind)))).toEqual(truth?.sound);
    expect(promise.tracks.map((t) => t.left)).toEqual(promise.tracks.map(() => []));
    expect(proof).toMatchObject({ passed: true, exceptions: [] });
  });
});

describe('a play-all of three, whose clocks restart', () => {
  let locks: OpenDisc;
  beforeAll(async () => {
    locks = await openDisc(LOCKS);
  });
  afterAll(() => locks.opened.close());

  const samples = async (title: number) => {
    const source = path.join(folder, `lock-${title}.vob`);
    await writeProgramStream(locks, title, source);
    return decodedSamples(source, 'a:1');
  };

  test('has every sample of its LPCM, and no other: as a title, and merged of its parts', async () => {
    const parts = Buffer.concat(await Promise.all([2, 3, 4].map(samples)));
    const whole = await master(locks, 1, 'all');
    expect(decodedSamples(whole.file, 'a:1').equals(parts)).toBe(true);
    const pieces = [2, 3, 4].map((title) => ({ title, angle: 1, fromChapter: 1, toChapter: 2 }));
    const merged = await master(locks, 2, 'merged', pieces);
    expect(decodedSamples(merged.file, 'a:1').equals(parts)).toBe(true);
    expect(merged.proof.passed && whole.proof.passed).toBe(true);
  });
});
