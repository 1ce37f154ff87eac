import path from 'node:path';
import { CADENCE, SLIDES, oddTruths, openDisc, temporaryFolder, writeMasterFile, type OpenDisc } from '@/test-support/discs';
import { decodedFrames, heldFrames, packetTimes } from '@/test-support/ffmpeg';
import { FAULT_WEIGHTS, type Fault } from '../../reading/fault';
import { wholeTitleReel, type Piece } from '../../reels';

/**
 * Pictures that do not simply follow each other. Judged by what the streams held before they were multiplexed, and by when the author
 * meant them to be shown: demo/odd-discs.ts.
 */
interface Truth {
  readonly pictures: readonly { readonly hash: string; readonly at: number }[];
  readonly sound: readonly string[];
}
let truths: Readonly<Record<string, Truth>>;
const truth = (id: string): Truth => truths[id] ?? { pictures: [], sound: [] };
let cadence: OpenDisc;
let slides: OpenDisc;
beforeAll(async () => {
  truths = oddTruths<Truth>();
  [cadence, slides] = [await openDisc(CADENCE), await openDisc(SLIDES)];
});
afterAll(async () => {
  await cadence.opened.close();
  await slides.opened.close();
});

const folder = temporaryFolder();
let count = 0;
async function made(disc: OpenDisc, title: number, change: Partial<Piece> = {}) {
  const found = disc.reading.titles.find((t) => t.number === title);
  if (!found) throw new Error('no title');
  const whole = wholeTitleReel(found, 'test');
  const file = path.join(folder, `${++count}.mkv`);
  const { assembly } = await writeMasterFile(disc, { ...whole, pieces: whole.pieces.map((p) => ({ ...p, ...change })) }, file);
  const times = packetTimes(file, 'v:0')
    .map((p) => p.pts ?? 0)
    .sort((a, b) => a - b);
  return { file, faults: assembly.wholeness().faults, times: times.map((t) => t - (times[0] ?? 0)), endMs: assembly.endTicks / 27_000 };
}
const damage = (faults: readonly Fault[]) => faults.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage');
const MS = 0.0011;
/** What a program stream's 90 kHz clock and FFmpeg's guess of the first picture's time may be off by. */
const FIRST = 0.02;

test('film that changes to video and back: every field in its time, and not a frame of sound missing or moved', async () => {
  const { pictures, sound } = truth('pulldown');
  const { file, faults, times } = await made(cadence, 1);
  expect(decodedFrames(file, 'v:0')).toEqual(pictures.map((p) => p.hash));
  expect(heldFrames(file, 'a:0')).toEqual(sound);
  expect(faults).toEqual([]);
  times.forEach((t, i) => {
    expect(Math.abs(t - (pictures[i]?.at ?? 0))).toBeLessThan(FIRST);
  });
  const heard = packetTimes(file, 'a:0').map((p) => p.pts ?? 0);
  for (let i = 1; i < heard.length; i++) expect(Math.abs((heard[i] ?? 0) - (heard[i - 1] ?? 0) - 0.032)).toBeLessThan(MS);
});

test('slides stand as long as their author meant, and their sound goes on beyond the last', async () => {
  const { pictures, sound } = truth('slides');
  const { file, faults, times, endMs } = await made(slides, 1);
  expect(decodedFrames(file, 'v:0')).toEqual(pictures.map((p) => p.hash));
  expect(heldFrames(file, 'a:0')).toEqual(sound);
  times.forEach((t, i) => {
    expect(Math.abs(t - (pictures[i]?.at ?? 0))).toBeLessThan(FIRST);
  });
  expect(damage(faults)).toEqual([]);
  expect(faults.map((f) => f.kind)).toContain('held');
  expect(endMs).toBeGreaterThan(10_000);
});

test('slides without sound', async () => {
  const { pictures } = truth('silent');
  const { file, faults, times } = await made(slides, 4);
  expect(decodedFrames(file, 'v:0')).toEqual(pictures.map((p) => p.hash));
  times.forEach((t, i) => {
    expect(Math.abs(t - (pictures[i]?.at ?? 0))).toBeLessThan(FIRST);
  });
  expect(damage(faults)).toEqual([]);
});

test('sound that outlasts the pictures of its part is heard to its end, and so is all of the next part’s', async () => {
  const [long, next] = [truth('long'), truth('next')];
  const { file, faults, times } = await made(slides, 2);
  expect(decodedFrames(file, 'v:0')).toEqual([...long.pictures, ...next.pictures].map((p) => p.hash));
  const heard = heldFrames(file, 'a:0');
  expect(heard.slice(0, long.sound.length)).toEqual(long.sound);
  // A frame that begins while the one before still sounds can not be heard.
  const missing = long.sound.length + next.sound.length - heard.length;
  expect(missing).toBeLessThanOrEqual(1);
  expect(heard.slice(long.sound.length)).toEqual(next.sound.slice(missing));
  expect(damage(faults)).toEqual([]);
  // The second part begins when the sound of the first is over.
  expect(times[50]).toBeGreaterThan(3.45);
  expect(times[50]).toBeLessThan(3.6);
});

test('each of two parts taken by itself has its own pictures and all of its own sound', async () => {
  const [long, next] = [truth('long'), truth('next')];
  const one = await made(slides, 2, { fromChapter: 1, toChapter: 1 });
  expect(decodedFrames(one.file, 'v:0')).toEqual(long.pictures.map((p) => p.hash));
  const heard = heldFrames(one.file, 'a:0');
  expect(heard).toEqual(long.sound.slice(0, heard.length));
  expect(long.sound.length - heard.length).toBeLessThanOrEqual(1);
  const two = await made(slides, 2, { fromChapter: 2, toChapter: 2 });
  expect(decodedFrames(two.file, 'v:0')).toEqual(next.pictures.map((p) => p.hash));
  expect(heldFrames(two.file, 'a:0')).toEqual(next.sound);
});
