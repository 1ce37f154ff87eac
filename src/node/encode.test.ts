import { spawnSync } from 'node:child_process';
import { readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { SHIPPED, encoderArguments, expectationOf, planEncode, type EncodeFacts, type EncodePlan, type Recipe } from '@/core/recipes';
import { encodeFacts, wholeTitleReel } from '@/core/reels';
import { QUAY, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { NO_BARS, changed, factsOf, ffmpeg, luma } from '@/test-support/encodes';
import { decodedFrames, likeness, packetTimes } from '@/test-support/ffmpeg';
import { withPulldown } from '../../demo/pulldown';
import { encodeCopy } from './encode-pieces';
import { examineCopy } from './ffmpeg';

/**
 * Every treatment on content whose right answer is known before it is touched: FFmpeg makes the source, other parts of it judge the copy.
 */

const folder = temporaryFolder();
const shipped = SHIPPED[0] as Recipe;
// As fast as its encoder can: what is tried is what is done to the picture before it.
const access: Recipe = { ...shipped, video: { ...shipped.video, effort: 'little' } };
const recipe = (picture: object, more: Partial<Recipe> = {}): Recipe => ({
  ...access,
  ...more,
  picture: { ...access.picture, ...picture },
});

let count = 0;
const name = (extension: string) => path.join(folder, `${++count}.${extension}`);

/** A source in Matroska, as the assembly gives it. */
function source(input: string, encode: readonly string[]): string {
  const file = name('mkv');
  ffmpeg(['-f', 'lavfi', '-i', input, ...encode, file]);
  return file;
}

function encode(file: string, r: Recipe, facts: EncodeFacts): string {
  const out = name(r.container === 'Matroska' ? 'mkv' : 'mp4');
  const { status, stderr } = spawnSync('ffmpeg', encoderArguments(planEncode(r, facts), file, out), { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return out;
}

/** How alike two files are: the worst picture, and all. */
function alike(a: string, b: string, before = ''): { worst: number; mean: number; frames: number } {
  const values = likeness(a, b, before);
  return { worst: Math.min(...values), mean: values.reduce((s, v) => s + v, 0) / values.length, frames: values.length };
}

/** Frames that FFmpeg's own detector calls interlaced, of all that it could tell. */
function combing(file: string): { combed: number; whole: number } {
  const said = ffmpeg(['-i', file, '-vf', 'idet', '-f', 'null', '-']);
  const [, top, bottom, progressive] = /Multi frame detection: TFF:\s*(\d+) BFF:\s*(\d+) Progressive:\s*(\d+)/.exec(said) ?? [];
  return { combed: Number(top) + Number(bottom), whole: Number(progressive) };
}

/** Where the size is not the point. */
const SMALL = { widthPixels: 352, heightPixels: 240 } as const;
const MOVING = (rate: string, seconds: number) => `testsrc2=s=352x240:r=${rate}:d=${seconds}`;
const MPEG2 = ['-c:v', 'mpeg2video', '-q:v', '2', '-g', '12'];

test('after deinterlacing nothing is combed, whatever the flags say; no picture is lost, and fields become twice as many', () => {
  const fields = ['-vf', 'tinterlace=mode=interleave_top', ...MPEG2, '-flags', '+ilme+ildct', '-top', '1'];
  const file = source(MOVING('60000/1001', 3), fields);
  expect(combing(file).combed).toBeGreaterThan(60);
  const facts = factsOf(SMALL, { scan: 'interlaced', combed: 0.9, bars: NO_BARS });
  const frames = decodedFrames(file, 'v:0').length;
  const single = encode(file, recipe({}), facts);
  // What the detector says of the same pictures as they are drawn, without fields: its own error.
  const drawn = combing(source(MOVING('30000/1001', 3), ['-c:v', 'ffv1'])).combed;
  expect(combing(single).combed).toBeLessThanOrEqual(drawn + 4);
  expect(decodedFrames(single, 'v:0')).toHaveLength(frames);
  const double = encode(file, recipe({ deinterlace: 'fields' }), facts);
  expect(Math.abs(decodedFrames(double, 'v:0').length - 2 * frames)).toBeLessThanOrEqual(1);
});

test('film restored from video is the film, frame by frame', () => {
  const film = source(MOVING('24000/1001', 4), ['-c:v', 'ffv1']);
  const video = source(MOVING('24000/1001', 4), ['-vf', 'telecine=pattern=23', ...MPEG2, '-flags', '+ilme+ildct', '-top', '1']);
  expect(combing(video).combed).toBeGreaterThan(20);
  // Without loss, so that only what the restoring does is judged.
  const lossless: Partial<Recipe> = { container: 'Matroska', video: { ...access.video, codec: 'FFV1', quality: null } };
  const restored = encode(video, recipe({}, lossless), factsOf(SMALL, { scan: 'film with pulldown', combed: 0.4, bars: NO_BARS }));
  const count = decodedFrames(film, 'v:0').length;
  expect(Math.abs(decodedFrames(restored, 'v:0').length - count)).toBeLessThanOrEqual(1);
  const { worst, frames } = alike(film, restored);
  expect(frames).toBeGreaterThan(90);
  expect(worst).toBeGreaterThan(0.97);
});

test('film of which a part is spread over video and a part only says so by flags is the film, frame by frame, in step', () => {
  const drawn = (seconds: number, hue: number) => `testsrc2=s=352x240:r=24000/1001:d=${seconds},hue=h=${hue}`;
  const coded = [...MPEG2, '-bf', '2'];
  const part = (input: string, frames: number, how: readonly string[], extension: string) => {
    const file = name(extension);
    ffmpeg(['-f', 'lavfi', '-i', input, ...how, '-frames:v', String(frames), file]);
    return file;
  };
  const flagged = withPulldown(readFileSync(part(drawn(6, 0), 96, coded, 'm2v')));
  const spread = readFileSync(
    part(drawn(6, 90), 120, ['-vf', 'telecine=pattern=23', ...coded, '-flags', '+ilme+ildct', '-top', '1'], 'm2v'),
  );
  const [stream, packed, video, film, list] = [name('m2v'), name('mpg'), name('mkv'), name('mkv'), name('txt')];
  writeFileSync(stream, Buffer.concat([flagged, spread]));
  // By way of a program stream: FFmpeg gives times to the pictures there, as their flags say.
  ffmpeg(['-v', 'error', '-i', stream, '-c', 'copy', '-f', 'dvd', packed]);
  ffmpeg(['-fflags', '+genpts', '-i', packed, '-c', 'copy', video]);
  const whole = [part(drawn(6, 0), 96, ['-c:v', 'ffv1'], 'mkv'), part(drawn(6, 90), 96, ['-c:v', 'ffv1'], 'mkv')];
  writeFileSync(list, whole.map((file) => `file '${file}'\n`).join(''));
  ffmpeg(['-f', 'concat', '-safe', '0', '-i', list, '-c', 'copy', film]);

  const lossless: Partial<Recipe> = { container: 'Matroska', video: { ...access.video, codec: 'FFV1', quality: null } };
  const facts = factsOf(SMALL, { scan: 'film with pulldown', combed: 0.2, bars: NO_BARS });
  const restored = encode(video, recipe({}, lossless), facts);
  const { worst, frames } = alike(film, restored);
  expect(frames).toBe(192);
  expect(worst).toBeGreaterThan(0.97);
  const times = packetTimes(restored, 'v:0').flatMap(({ pts }) => (pts === null ? [] : [pts]));
  for (const [i, pts] of times.entries()) expect(Math.abs(pts - (i * 1001) / 24000)).toBeLessThan(0.003);
  const { leastFrames, mostFrames } = expectationOf(planEncode(recipe({}, lossless), facts), {
    frames: 96 + 120,
    durationMs: 8008,
    chapters: [],
    tracks: [],
  });
  expect([leastFrames <= 192, mostFrames >= 192, leastFrames > 180, mostFrames < 205]).toEqual([true, true, true, true]);
});

test('bars go to the pixel, and what was between them stays where it was', () => {
  const inside = 'testsrc2=s=352x176:r=30000/1001:d=1';
  const plain = source(inside, ['-c:v', 'ffv1']);
  const barred = source(inside, ['-vf', 'pad=352:240:0:32:black', ...MPEG2]);
  const facts = factsOf(SMALL, { scan: 'progressive', combed: 0, bars: { top: 32, bottom: 32, left: 0, right: 0 } });
  const cropped = encode(barred, recipe({ bars: 'crop' }), facts);
  const { worst } = alike(plain, cropped);
  expect(worst).toBeGreaterThan(0.97);
});

test('square pixels have the shape that the source was shown in', async () => {
  const file = source('testsrc2=s=720x576:r=25:d=1', ['-vf', 'setsar=64/45', ...MPEG2]);
  const facts = factsOf(
    { heightPixels: 576, displayAspect: [16, 9], frameTicks: 1_080_000 },
    { scan: 'progressive', combed: 0, bars: NO_BARS },
  );
  const squared = encode(file, recipe({ pixels: 'square' }), facts);
  const { stdout } = spawnSync(
    'ffprobe',
    ['-v', 'error', '-show_entries', 'stream=width,height,sample_aspect_ratio', '-of', 'csv=p=0', squared],
    {
      encoding: 'utf8',
    },
  );
  expect(stdout.trim()).toBe('1024,576,1:1');
  expect((await examineCopy(squared)).decodeErrors).toEqual([]);
});

test('frames without loss are the decoded frames, every one', () => {
  const file = source(MOVING('30000/1001', 1), MPEG2);
  const preservation = SHIPPED.find((r) => r.id === 'preservation') as Recipe;
  const copy = encode(file, preservation, factsOf(SMALL, null));
  expect(decodedFrames(copy, 'v:0')).toEqual(decodedFrames(file, 'v:0'));
  // Colour at every row, as tapes have it, stays so.
  const full = source(MOVING('30000/1001', 1), ['-c:v', 'ffv1', '-pix_fmt', 'yuv422p']);
  expect(decodedFrames(encode(full, preservation, factsOf(SMALL, null)), 'v:0')).toEqual(decodedFrames(full, 'v:0'));
});

test('what is shown even while subtitles are off is in the picture when and where its author put it, and nothing else is', async () => {
  const disc = await openDisc(QUAY);
  try {
    const whole = wholeTitleReel(titleOf(disc.reading, 2), 'Drawn');
    // Its author: the second track is forced, one line from 1.0 to 1.8 s of the first chapter.
    const reel = {
      ...whole,
      pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 1, toChapter: 1 })),
      subtitles: whole.subtitles.map((t, i) => ({ ...t, isForced: i === 1 })),
    };
    const master = name('mkv');
    const { promise } = await writeMasterFile(disc, reel, master);
    const facts = encodeFacts(disc.reading, reel, promise.interlaced) as EncodeFacts;
    const lossless: Partial<Recipe> = { container: 'Matroska', video: { ...access.video, codec: 'FFV1', quality: null } };
    const make = (drawn: 'none' | 'forced', picture: object) =>
      encode(master, recipe({ deinterlace: 'never', ...picture }, { ...lossless, subtitles: { kept: 'none', drawn } }), facts);
    const compare = (picture: object, width: number, height: number) => {
      const [plain, drawn] = [luma(make('none', picture), width, height), luma(make('forced', picture), width, height)];
      expect(drawn).toHaveLength(plain.length);
      return plain.map((frame, i) => changed(frame, drawn[i] as Buffer, width));
    };
    const boxes = compare({}, 720, 576);
    const shown = boxes.flatMap((box, i) => (box ? [i / 25] : []));
    expect(shown[0]).toBeCloseTo(1, 1);
    expect(shown.at(-1)).toBeCloseTo(1.8 - 1 / 25, 1);
    expect(shown).toHaveLength(Math.round(((shown.at(-1) ?? 0) - (shown[0] ?? 0)) * 25) + 1);
    const box = boxes.find((b) => b !== null);
    if (!box) throw new Error('nothing was drawn');
    // A line of text in the lower half, in the middle.
    expect(box.top).toBeGreaterThan(288);
    expect(Math.abs((box.left + box.right) / 2 - 360)).toBeLessThan(20);
    // Scaled with the picture, it is where it was.
    const small = compare({ mostRows: 288 }, 360, 288).find((b) => b !== null);
    if (!small) throw new Error('nothing was drawn');
    for (const side of ['top', 'bottom', 'left', 'right'] as const) expect(Math.abs(small[side] * 2 - box[side])).toBeLessThanOrEqual(4);
  } finally {
    await disc.opened.close();
  }
});

const made = async (plan: EncodePlan, master: string, masterMs: number): Promise<string> => {
  const output = name('out');
  const order = { plan, master, masterMs, output, folder: `${output}.pieces`, application: 'test', pieceMs: 1e6 };
  await encodeCopy(order, { progress: () => undefined, note: () => undefined });
  return output;
};

/** A still film with a tone in two tracks: soft, and soft with a loud moment. */
const sounding = () => {
  const file = name('mkv');
  // So short a click is hardly heard, and yet a peak.
  const tones = ['sine=f=997:r=48000:d=12,volume=-25dB', "aevalsrc='0.1*sin(2*PI*997*t)*if(between(t,5,5.002),9,1)':s=48000:d=12"];
  ffmpeg([
    ...['-f', 'lavfi', '-i', 'testsrc2=s=64x64:r=25:d=12', ...tones.flatMap((t) => ['-f', 'lavfi', '-i', t])],
    ...['-map', '0', '-map', '1', '-map', '2', '-c:v', 'mpeg2video', '-c:a', 'flac', file],
  ]);
  return file;
};
const soundFacts = (): EncodeFacts => ({
  ...factsOf({ widthPixels: 64, heightPixels: 64, frameTicks: 1_080_000 }, null),
  audio: [
    { codec: 'FLAC', channels: 1, name: '' },
    { codec: 'FLAC', channels: 1, name: '' },
  ],
  durationMs: 12_000,
});

/** How loud a track is by FFmpeg's meter. */
function loudness(file: string, track: number): { lufs: number; peak: number } {
  const said = ffmpeg(['-i', file, '-map', `0:a:${track}`, '-af', 'ebur128=peak=true:framelog=verbose', '-f', 'null', '-']);
  const last = (pattern: RegExp) => Number([...said.matchAll(pattern)].at(-1)?.[1]);
  return { lufs: last(/I:\s*(-?[\d.]+) LUFS/g), peak: last(/Peak:\s*(-?[\d.]+) dBFS/g) };
}

test('tracks are as loud as was wished within half a unit, and none clips', async () => {
  const master = sounding();
  const at = recipe({ deinterlace: 'never' }, { container: 'Matroska', audio: { ...access.audio, codec: 'FLAC', loudness: -18 } });
  const copy = await made(planEncode(at, soundFacts()), master, 12_000);
  expect(Math.abs(loudness(copy, 0).lufs + 18)).toBeLessThan(0.5);
  const loud = loudness(copy, 1);
  expect(loud.peak).toBeLessThanOrEqual(-0.9);
  expect(loud.lufs).toBeLessThan(-18.5);
  // A gain is a gain, and later is later: by FFmpeg's own ear for silence.
  const later = recipe(
    { deinterlace: 'never' },
    { container: 'Matroska', audio: { ...access.audio, codec: 'FLAC', gainDb: -6, delayMs: 400 } },
  );
  const moved = await made(planEncode(later, soundFacts()), master, 12_000);
  expect(Math.abs(loudness(moved, 0).lufs - (loudness(master, 0).lufs - 6))).toBeLessThan(0.5);
  const silence = ffmpeg(['-i', moved, '-map', '0:a:0', '-af', 'silencedetect=n=-60dB:d=0.1', '-f', 'null', '-']);
  expect(Number(/silence_end: ([\d.]+)/.exec(silence)?.[1])).toBeCloseTo(0.4, 2);
});

test.each([
  ['H.264', 'MP4'],
  ['HEVC', 'Matroska'],
  ['VP9', 'WebM'],
  ['MPEG-2', 'MPEG transport stream'],
] as const)('a file of a wished size is of that size: %s in %s', async (codec, container) => {
  // Noise that no encoder makes small by itself.
  const master = source('testsrc2=s=160x128:r=25:d=10,noise=alls=24:allf=t', MPEG2);
  const facts = { ...factsOf({ widthPixels: 160, heightPixels: 128, frameTicks: 1_080_000 }, null), durationMs: 10_000 };
  const sized = recipe(
    {},
    { container, video: { ...access.video, codec, quality: null, effort: 'little', rate: { kind: 'size', megabytes: 1 } } },
  );
  const copy = await made(planEncode(sized, facts), master, 10_000);
  expect(statSync(copy).size / 1e6).toBeGreaterThan(0.85);
  expect(statSync(copy).size / 1e6).toBeLessThan(1.06);
});

test('turned and mirrored is what FFmpeg’s own turning of the source is', () => {
  const file = source('testsrc2=s=160x120:r=25:d=1', ['-c:v', 'ffv1', '-pix_fmt', 'yuv420p']);
  const lossless: Partial<Recipe> = { container: 'Matroska', video: { ...access.video, codec: 'FFV1', quality: null } };
  const facts = factsOf({ widthPixels: 160, heightPixels: 120, frameTicks: 1_080_000 }, { scan: 'progressive', combed: 0, bars: NO_BARS });
  for (const [turn, mirror, wanted] of [
    ['right', false, 'rotate=PI/2:ow=ih:oh=iw'],
    ['left', false, 'rotate=-PI/2:ow=ih:oh=iw'],
    ['half', false, 'rotate=PI'],
    ['none', true, 'hflip'],
  ] as const) {
    const copy = encode(file, recipe({ turn, mirror }, lossless), facts);
    const expected = name('mkv');
    ffmpeg(['-i', file, '-vf', wanted, '-c:v', 'ffv1', expected]);
    expect([turn, alike(copy, expected).worst > 0.98]).toEqual([turn, true]);
  }
});
