import path from 'node:path';
import { BESIDE, openDisc, temporaryFolder, titleOf, writeMasterFile, type OpenDisc } from '@/test-support/discs';
import { complaints, decodedFrames, heldFrames, packetTimes } from '@/test-support/ffmpeg';
import { findRoles } from '../../findings';
import { wholeTitleReel, type Piece } from '../../reels';

/**
 * What plays beside a title. What comes out is compared with the clips as FFmpeg reads them, and with the places that the author was
 * told; see demo/bluray/proving.ts.
 */
let disc: OpenDisc;
beforeAll(async () => {
  disc = await openDisc(BESIDE);
});
afterAll(() => disc.opened.close());

const folder = temporaryFolder();
const clip = (name: string) => path.join(BESIDE, 'BDMV', 'STREAM', `${name}.m2ts`);
let count = 0;
async function made(title: number, change: { audio?: number; range?: Piece['range'] } = {}) {
  const whole = wholeTitleReel(titleOf(disc.reading, title), 'test');
  const audio = change.audio === undefined ? whole.audio : whole.audio.slice(change.audio, change.audio + 1);
  const file = path.join(folder, `${++count}.mkv`);
  const reel = { ...whole, audio, pieces: whole.pieces.map((p) => ({ ...p, range: change.range ?? null })) };
  const { assembly } = await writeMasterFile(disc, reel, file);
  return { file, faults: assembly.wholeness().faults };
}
const first = (file: string, stream: string) => packetTimes(file, stream)[0]?.pts ?? Number.NaN;

test('sound in clips of its own is a track of the title; second pictures are titles of their own', () => {
  const { titles, remarks } = disc.reading;
  expect(titles.map((t) => [t.number, t.playlist, t.over])).toEqual([
    [1, 1, null],
    [2, 2, null],
    [3, 1, 1],
    [4, 1, 1],
  ]);
  expect(titleOf(disc.reading, 1).audio.map((a) => [a.codec, a.language, a.purpose, a.apart?.map((run) => [run.clip, run.atMs])])).toEqual([
    ['AC-3', 'en', null, undefined],
    ['E-AC-3', 'no', null, [['00086', 0]]],
    [
      'AC-3',
      'en',
      'commentary',
      [
        ['00083', 0],
        ['00085', expect.closeTo(4004 + 2000, -1)],
      ],
    ],
  ]);
  expect(titles.slice(2).map((t) => [t.video.widthPixels, t.video.heightPixels, Math.round(t.durationMs / 100), t.audio.length])).toEqual([
    [160, 96, 20, 0],
    [160, 96, 30, 1],
  ]);
  expect(remarks.filter((r) => r.code === 'beside-title').map((r) => [r.severity, r.title])).toEqual([['note', 1]]);
});

test('a second picture is nothing that competes with the title it is laid over', () => {
  const findings = findRoles(disc.reading);
  expect(findings.mainTitle).toBe(1);
  expect(findings.titles.slice(2).map((t) => [t.role, t.evidence[0]?.kind, t.evidence[0]?.titles])).toEqual([
    ['extra', 'laid over', [1]],
    ['extra', 'laid over', [1]],
  ]);
  // What a title's sound or second picture stands in is not content that nothing leads to.
  expect(disc.reading.loose).toEqual([]);
});

test('a track of one clip is that clip’s sound, frame by frame, over a join of the title', async () => {
  const { file, faults } = await made(1);
  const own = heldFrames(clip('00086'), 'a:0');
  const taken = heldFrames(file, 'a:1');
  // The picture is over a little before the sound.
  expect(taken).toEqual(own.slice(0, taken.length));
  expect(own.length - taken.length).toBeLessThan(0.3 / 0.032);
  expect(Math.abs(first(file, 'a:1') - first(file, 'v:0'))).toBeLessThan(0.017);
  expect(faults.filter((f) => f.kind !== 'no sound')).toEqual([]);
  expect(complaints(file)).toEqual([]);
});

test('sound of two clips comes at the moments that the playlist gives, with silence between', async () => {
  const { file } = await made(1, { audio: 2 });
  const [one, two] = [heldFrames(clip('00083'), 'a:0'), heldFrames(clip('00085'), 'a:0')];
  const taken = heldFrames(file, 'a:0');
  const ofOne = Math.ceil(5 / 0.032);
  expect(taken.slice(0, ofOne)).toEqual(one.slice(0, ofOne));
  expect(taken.slice(ofOne)).toEqual(two);
  const at = packetTimes(file, 'a:0')[ofOne]?.pts ?? 0;
  expect(at - first(file, 'v:0')).toBeCloseTo(6.004, 1);
});

test('a range takes what is heard in it', async () => {
  const { file } = await made(1, { audio: 1, range: { fromMs: 5100, toMs: 6400 } });
  const own = heldFrames(clip('00086'), 'a:0');
  const taken = heldFrames(file, 'a:0');
  const at = own.indexOf(taken[0] ?? '');
  expect(taken).toEqual(own.slice(at, at + taken.length));
  // Decoding begins with the group of pictures: a second long, from the join at 4.004 s on.
  expect(at * 0.032).toBeCloseTo(5.005, 1);
  expect(taken.length * 0.032).toBeCloseTo(packetTimes(file, 'v:0').length * (1001 / 24000), 1);
});

test('a second picture inside the title’s clip, and one in a clip of its own', async () => {
  const inside = await made(3);
  const all = decodedFrames(clip('00081'), 'v:1');
  expect(decodedFrames(inside.file, 'v:0')).toEqual(all.slice(24, 72));
  expect(inside.faults).toEqual([]);
  const apart = await made(4);
  expect(decodedFrames(apart.file, 'v:0')).toEqual(decodedFrames(clip('00084'), 'v:0'));
  expect(heldFrames(apart.file, 'a:0')).toEqual(heldFrames(clip('00084'), 'a:0').slice(0, heldFrames(apart.file, 'a:0').length));
  expect(apart.faults).toEqual([]);
});
