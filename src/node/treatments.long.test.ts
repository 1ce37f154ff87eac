import { spawnSync } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { proveCopy, type MasterPromise } from '@/core/proof';
import { CONTAINER_ENDING, SHIPPED, expectationOf, planEncode, type EncodeFacts, type Recipe } from '@/core/recipes';
import { copyOf, type CopyWish } from '@/test-support/copies';
import { temporaryFolder } from '@/test-support/discs';
import { changed, factsOf, ffmpeg, luma } from '@/test-support/encodes';
import { decodedFrames, likeness, packetTimes, probed } from '@/test-support/ffmpeg';
import { withPulldown } from '../../demo/pulldown';
import { encodeCopy } from './encode-pieces';
import { brightnessFigures, examineCopy } from './ffmpeg';
import { nearnessToMaster } from './outcome';

/** What is done to a film's time, light and surface, on content whose right answer is known before it is touched. FFmpeg makes it and judges it. */

const folder = temporaryFolder();
const shipped = SHIPPED[0] as Recipe;
// As fast as its encoder can: what is tried is what is done to the film before it.
const access: Recipe = { ...shipped, video: { ...shipped.video, effort: 'little' } };
const preservation = SHIPPED.find((r) => r.id === 'preservation') as Recipe;
let count = 0;
const name = (extension: string) => path.join(folder, `${++count}.${extension}`);
const SECONDS = 8;
const CHAPTERS = [
  { startMs: 0, name: 'The quay' },
  // More than half of a second has passed: rounded, it would be another one.
  { startMs: 3720, name: 'Rope; wood = 2' },
];

type Wish = Omit<CopyWish, 'output' | 'chapters'>;

async function made(master: string, { facts, ...wish }: Wish) {
  const output = name(CONTAINER_ENDING[wish.recipe.container].slice(1));
  const { proof, ...copy } = await copyOf(master, { ...wish, facts, output, chapters: facts.chapters > 0 ? CHAPTERS : [] });
  expect(proof.checks.filter((c) => !c.passed)).toEqual([]);
  return { output, ...copy };
}

/** Samples of a track as FFmpeg decodes it, one channel of 16 bits. @param from options of the input. */
function heard(file: string, from: readonly string[], filter: string, stream = 0): Int16Array {
  const how = ['-map', `0:a:${stream}`, '-af', filter, '-ac', '1', '-ar', '48000', '-f', 's16le', '-'];
  const { stdout } = spawnSync('ffmpeg', ['-v', 'error', ...from, '-i', file, ...how], { maxBuffer: 2 ** 26 });
  return new Int16Array(stdout.buffer, stdout.byteOffset, Math.floor(stdout.byteLength / 2));
}

/** Milliseconds of the middle of every click in a track. */
function clicks(file: string): number[] {
  const samples = heard(file, [], 'aresample=async=1:first_pts=0');
  // Where each one's energy lies: its edges are softened by codecs.
  const found: number[] = [];
  for (let i = 0; i < samples.length; i++) {
    if (Math.abs(samples[i] ?? 0) <= 4000) continue;
    let [energy, moment] = [0, 0];
    for (let k = Math.max(0, i - 960); k < Math.min(samples.length, i + 1920); k++) {
      const e = (samples[k] ?? 0) ** 2;
      energy += e;
      moment += e * k;
    }
    found.push(moment / energy / 48);
    i += 20_000;
  }
  return found;
}

const PAL_PICTURE = { heightPixels: 288, widthPixels: 352, frameTicks: 1_080_000 };

/** Eight seconds of 25 pictures, sound that begins half a second late and clicks every second, a subtitle and two chapters. */
function spedUp(): { file: string; facts: EncodeFacts } {
  const [sound, text, chapters, file] = [name('wav'), name('srt'), name('txt'), name('mkv')];
  ffmpeg([
    '-f',
    'lavfi',
    '-i',
    `aevalsrc='if(between(mod(t,1),0.5,0.506),0.8*sin(2*PI*1500*t),0)':s=48000:d=${SECONDS - 0.5}`,
    '-ac',
    '2',
    sound,
  ]);
  writeFileSync(text, '1\n00:00:02,000 --> 00:00:04,000\nHello there\n');
  writeFileSync(
    chapters,
    ';FFMETADATA1\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=0\nEND=3720\ntitle=The quay\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=3720\nEND=8000\ntitle=Rope\\; wood \\= 2\n',
  );
  ffmpeg([
    ...['-f', 'lavfi', '-i', `testsrc2=s=352x288:r=25:d=${SECONDS}`, '-itsoffset', '0.5', '-i', sound, '-i', text, '-i', chapters],
    ...[
      '-map',
      '0:v',
      '-map',
      '1:a',
      '-map',
      '2:s',
      '-map_chapters',
      '3',
      '-c:v',
      'mpeg2video',
      '-q:v',
      '3',
      '-g',
      '12',
      '-bf',
      '2',
      '-c:a',
      'flac',
      '-c:s',
      'srt',
      file,
    ],
  ]);
  const facts = factsOf(PAL_PICTURE, { scan: 'progressive', combed: 0 });
  return {
    file,
    facts: {
      ...facts,
      durationMs: SECONDS * 1000,
      chapters: 2,
      audio: [{ codec: 'FLAC', channels: 2, name: '' }],
      subtitles: [{ codec: 'SubRip', forced: false }],
    },
  };
}

describe('film that was sped up for television', () => {
  const { file, facts } = spedUp();
  const slower = 25 / 24;

  test.each<[string, Partial<Recipe>, number]>([
    ['MP4', {}, 1e6],
    ['MP4 in pieces', {}, 2000],
    ['Matroska, its pitch falling', { container: 'Matroska', audio: { ...access.audio, pitch: 'falls' } }, 1e6],
  ])('runs at its own speed again, and all that belongs to it: %s', async (_name, more, pieceMs) => {
    const { output, plan, pieces } = await made(file, { recipe: { ...access, ...more, speed: '24' }, facts, pieceMs });
    expect(pieces > 1).toBe(pieceMs < 1e6);
    // Every picture, none twice, each a 24th of a second after the other.
    const times = packetTimes(output, 'v:0')
      .flatMap(({ pts }) => (pts === null ? [] : [pts]))
      .sort((a, b) => a - b);
    expect(times).toHaveLength(SECONDS * 25);
    for (const [i, t] of times.entries()) expect(Math.abs(t - (times[0] ?? 0) - i / 24)).toBeLessThan(0.0011);
    // Clicks of the source begin at 1.0, 2.0 … and last 6 ms, in sound that began at 0.5.
    const found = clicks(output);
    expect(found).toHaveLength(7);
    // Where pitch is kept, an onset is placed to a millisecond or two; it does not drift.
    for (const [i, ms] of found.entries()) expect(Math.abs(ms - (times[0] ?? 0) * 1000 - ((i + 1) * 1000 + 3) * slower)).toBeLessThan(2.2);
    const { chapters } = probed(output);
    expect(chapters.map((c) => c.tags?.['title'])).toEqual(CHAPTERS.map((c) => c.name));
    expect(chapters.map((c) => Math.round(Number(c.start_time) * 1000))).toEqual([0, Math.round(3720 * slower)]);
    const said = packetTimes(output, 's:0')
      .filter(({ size }) => size > 4)
      .map(({ pts }) => pts ?? 0);
    expect(said.map((t) => Math.abs(t - 2 * slower) < 0.002)).toEqual([true]);
    const near = await nearnessToMaster(plan, output, file, facts.durationMs);
    expect(near?.frames).toBeGreaterThan(100);
    expect(near?.worstSsim).toBeGreaterThan(0.88);
  });

  test('pitch is kept, or falls as it rose', async () => {
    const tone = name('mkv');
    ffmpeg([
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=352x288:r=25:d=4',
      '-f',
      'lavfi',
      '-i',
      'sine=f=1000:r=48000:d=4',
      '-c:v',
      'mpeg2video',
      '-c:a',
      'flac',
      tone,
    ]);
    const short = { ...facts, durationMs: 4000, chapters: 0, subtitles: [] };
    const hertz = async (pitch: Recipe['audio']['pitch']) => {
      const plain: Recipe = { ...access, container: 'Matroska', speed: '24', audio: { ...access.audio, codec: 'PCM', pitch } };
      const plan = planEncode(plain, short);
      const output = name('mkv');
      await encodeCopy(
        { plan, master: tone, masterMs: 4000, output, folder: `${output}.p`, application: 't', pieceMs: 1e6 },
        { progress: () => undefined, note: () => undefined },
      );
      const samples = heard(output, ['-ss', '1', '-t', '2'], 'anull');
      const crossings = samples.reduce((sum, v, i) => sum + (v >= 0 && (samples[i - 1] ?? 0) < 0 ? 1 : 0), 0);
      return crossings / 2;
    };
    expect(Math.abs((await hertz('kept')) - 1000)).toBeLessThan(4);
    expect(Math.abs((await hertz('falls')) - 960)).toBeLessThan(4);
  });
});

/** Film by flags only: pictures stand for three fields and for two. */
function flaggedFilm(): { file: string; facts: EncodeFacts } {
  const [stream, packed, file] = [name('m2v'), name('mpg'), name('mkv')];
  ffmpeg([
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=352x240:r=24000/1001:d=4',
    '-frames:v',
    '72',
    '-c:v',
    'mpeg2video',
    '-q:v',
    '2',
    '-g',
    '12',
    '-bf',
    '2',
    stream,
  ]);
  writeFileSync(stream, withPulldown(readFileSync(stream)));
  ffmpeg(['-v', 'error', '-i', stream, '-c', 'copy', '-f', 'dvd', packed]);
  ffmpeg(['-fflags', '+genpts', '-i', packed, '-c', 'copy', file]);
  const facts = factsOf({ widthPixels: 352, heightPixels: 240 }, { scan: 'film with pulldown', combed: 0.02 });
  return { file, facts: { ...facts, durationMs: (72 * 1001) / 24 } };
}
const sorted = (file: string) =>
  packetTimes(file, 'v:0')
    .flatMap(({ pts }) => (pts === null ? [] : [pts]))
    .sort((a, b) => a - b);

describe('film that is only flagged to be spread over video', () => {
  const { file, facts } = flaggedFilm();
  const shown = sorted(file);

  test.each<[string, Partial<Recipe>, Recipe['video']['codec'], number]>([
    ['H.264 in MP4', {}, 'H.264', 1e6],
    ['H.264 in Matroska, in pieces', { container: 'Matroska' }, 'H.264', 1000],
    ['HEVC', {}, 'HEVC', 1e6],
    ['AV1', { container: 'Matroska' }, 'AV1', 1e6],
    ['VP9', { container: 'WebM' }, 'VP9', 1e6],
    ['FFV1', { container: 'Matroska' }, 'FFV1', 1e6],
    ['MPEG-4', {}, 'MPEG-4', 1e6],
  ])('has its pictures when the disc shows them: %s', async (_name, more, codec, pieceMs) => {
    const recipe: Recipe = { ...access, ...more, video: { ...access.video, codec, quality: null, effort: 'little' } };
    const times = sorted((await made(file, { recipe, facts, pieceMs })).output);
    expect(times).toHaveLength(shown.length);
    for (const [i, t] of times.entries()) expect(Math.abs(t - (times[0] ?? 0) - (shown[i] ?? 0) + (shown[0] ?? 0))).toBeLessThan(0.0016);
  });

  test('says its rate in its own head, in pieces too, and does not say that of its clock', async () => {
    for (const pieceMs of [1e6, 1000]) {
      const { output } = await made(file, { recipe: access, facts, pieceMs });
      const said = ffmpeg(['-i', output, '-map', '0:v:0', '-c', 'copy', '-bsf:v', 'trace_headers', '-f', 'null', '-']);
      const of = (field: string) => [
        ...new Set([...said.matchAll(new RegExp(`${field}\\s+[01]+ = (\\d+)`, 'g'))].map((m) => Number(m[1]))),
      ];
      // Two ticks for each picture of 24000/1001.
      expect([of('num_units_in_tick'), of('time_scale')]).toEqual([[1001], [48_000]]);
    }
  });

  test('has its own rate in a codec that knows no times', async () => {
    const recipe: Recipe = { ...access, container: 'MPEG transport stream', video: { ...access.video, codec: 'MPEG-2', quality: null } };
    const times = sorted((await made(file, { recipe, facts })).output);
    expect(Math.abs(times.length - 72)).toBeLessThanOrEqual(1);
    for (const [i, t] of times.entries()) expect(Math.abs(t - (times[0] ?? 0) - (i * 1001) / 24_000)).toBeLessThan(0.0016);
  });
});

test('a constant rate has every picture as long as every other, where the source pauses too', async () => {
  const file = name('mkv');
  // A second is missing after two.
  ffmpeg([
    '-f',
    'lavfi',
    '-i',
    "testsrc2=s=352x288:r=25:d=4,select='not(between(t,2,2.999))'",
    '-fps_mode',
    'passthrough',
    '-c:v',
    'mpeg2video',
    '-q:v',
    '3',
    '-g',
    '12',
    file,
  ]);
  const facts = { ...factsOf(PAL_PICTURE, { scan: 'progressive', combed: 0 }), durationMs: 4000 };
  const gaps = (output: string) => {
    const times = packetTimes(output, 'v:0')
      .map(({ pts }) => pts ?? 0)
      .sort((a, b) => a - b);
    return new Set(times.slice(1).map((t, i) => Math.round((t - (times[i] ?? 0)) * 1000)));
  };
  const kept = await made(file, { recipe: access, facts });
  expect(gaps(kept.output).size).toBe(2);
  const even = await made(file, { recipe: { ...access, video: { ...access.video, frameRate: 'constant' } }, facts });
  expect([...gaps(even.output)]).toEqual([40]);
  expect(packetTimes(even.output, 'v:0')).toHaveLength(100);
});

describe('more light than usual screens have', () => {
  const figures = {
    display: { primaries: [13250, 34500, 7500, 3000, 34000, 16000, 15635, 16450], least: 50, most: 10_000_000 },
    light: { content: 1000, picture: 400 },
  };
  const file = name('mkv');
  const [g, b, r, w] = [0, 2, 4, 6].map((i) => figures.display.primaries.slice(i, i + 2).join(','));
  const x265 = `log-level=error:hdr10=1:repeat-headers=1:colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc:master-display=G(${g})B(${b})R(${r})WP(${w})L(10000000,50):max-cll=1000,400`;
  // Bars from black to the brightest, in ST 2084.
  ffmpeg([
    ...['-f', 'lavfi', '-i', "color=s=352x288:r=25:d=1,format=yuv420p10le,geq=lum='64+floor(X/44)*109':cb=512:cr=512"],
    ...[
      '-color_primaries',
      'bt2020',
      '-color_trc',
      'smpte2084',
      '-colorspace',
      'bt2020nc',
      '-c:v',
      'libx265',
      '-crf',
      '10',
      '-x265-params',
      x265,
      file,
    ],
  ]);
  const facts = {
    ...factsOf({ ...PAL_PICTURE, codec: 'HEVC', bitDepth: 10, dynamicRange: 'HDR10' }, { scan: 'progressive', combed: 0 }),
    durationMs: 1000,
  };
  const colour = (output: string) =>
    spawnSync(
      'ffprobe',
      [
        '-v',
        'error',
        '-select_streams',
        'v:0',
        '-show_entries',
        'stream=pix_fmt,color_space,color_transfer,color_primaries',
        '-of',
        'csv=p=0',
        output,
      ],
      { encoding: 'utf8' },
    ).stdout.trim();

  test('stays so in ten bits, with the figures of its author', async () => {
    expect(await brightnessFigures(file)).toEqual(figures);
    const known = { ...facts, video: { ...facts.video, brightness: figures } };
    const deep: Recipe = { ...access, video: { ...access.video, codec: 'HEVC, 10 bit' } };
    const { output } = await made(file, { recipe: deep, facts: known });
    expect(await brightnessFigures(output)).toEqual(figures);
    expect(colour(output)).toBe('yuv420p10le,bt2020nc,smpte2084,bt2020');
    const level = spawnSync('ffprobe', ['-v', 'error', '-show_entries', 'stream=level', '-of', 'csv=p=0', output], { encoding: 'utf8' });
    // H.265 A.4: thirty times the number of the level, 4.1 here.
    expect(level.stdout.trim()).toBe('123');
    // AV1 keeps them in fractions of its own: to a step of its sources, that is.
    const other: Recipe = { ...access, container: 'Matroska', video: { ...access.video, codec: 'AV1', quality: null, effort: 'little' } };
    const { output: av1 } = await made(file, { recipe: other, facts: known });
    const kept = await brightnessFigures(av1);
    expect(kept?.light).toEqual(figures.light);
    expect(kept?.display?.most).toBe(figures.display.most);
    for (const [i, p] of figures.display.primaries.entries())
      expect(Math.abs((kept?.display?.primaries[i] ?? 0) - p)).toBeLessThanOrEqual(1);
    expect(colour(av1)).toBe('yuv420p10le,bt2020nc,smpte2084,bt2020');
  });

  test('is brought within their range, step by step as it was', async () => {
    const { output } = await made(file, { recipe: { ...access, picture: { ...access.picture, range: 'standard' } }, facts });
    expect(colour(output)).toBe('yuv420p,bt709,bt709,bt709');
    const [picture = Buffer.alloc(0)] = luma(output, 352, 288);
    const bars = Array.from({ length: 8 }, (_, i) => picture[144 * 352 + i * 44 + 22] ?? 0);
    for (const [i, bar] of bars.entries()) if (i > 0) expect(bar).toBeGreaterThanOrEqual(bars[i - 1] ?? 0);
    expect(bars[0]).toBeLessThan(24);
    expect(bars[7]).toBeGreaterThan(200);
    // ST 2084 at a half is about 100 cd/m²: as bright as white on a usual screen, and not there before half of the range.
    expect((bars[3] ?? 0) - (bars[0] ?? 0)).toBeGreaterThan(40);
  });
});

test('noise is less after filtering by likeness and edges stay; colours turned half round are the opposite ones', async () => {
  const [clean, noisy] = [name('mkv'), name('mkv')];
  ffmpeg(['-f', 'lavfi', '-i', 'testsrc2=s=176x144:r=25:d=0.4', '-c:v', 'ffv1', clean]);
  ffmpeg(['-i', clean, '-vf', 'noise=alls=12:allf=t:all_seed=7', '-c:v', 'ffv1', noisy]);
  const facts = {
    ...factsOf({ widthPixels: 176, heightPixels: 144, frameTicks: 1_080_000 }, { scan: 'progressive', combed: 0 }),
    durationMs: 400,
  };
  const of = async (picture: Partial<Recipe['picture']>, from: string) =>
    (await made(from, { recipe: { ...preservation, picture: { ...preservation.picture, ...picture } }, facts })).output;
  const near = (file: string) => Math.min(...likeness(clean, file));
  const [before, after] = [near(noisy), near(await of({ denoise: 'thorough' }, noisy))];
  expect(after).toBeGreaterThan(before + 0.02);
  const mean = (file: string, plane: 'u' | 'v') => {
    const { stdout } = spawnSync('ffmpeg', [
      '-v',
      'error',
      '-i',
      file,
      '-vf',
      `extractplanes=${plane}`,
      '-frames:v',
      '1',
      '-f',
      'rawvideo',
      '-',
    ]);
    return stdout.reduce((sum, v) => sum + v, 0) / stdout.length;
  };
  const red = name('mkv');
  ffmpeg(['-f', 'lavfi', '-i', 'color=red:s=176x144:r=25:d=0.4', '-c:v', 'ffv1', '-pix_fmt', 'yuv420p', red]);
  const turned = await of({ hue: 180 }, red);
  for (const plane of ['u', 'v'] as const) expect(Math.abs(mean(red, plane) + mean(turned, plane) - 256)).toBeLessThan(3);
});

describe('over the picture', () => {
  const [width, height] = [352, 288];
  const file = name('mkv');
  ffmpeg(['-f', 'lavfi', '-i', `color=c=0x405060:s=${width}x${height}:r=25:d=2`, '-c:v', 'ffv1', file]);
  const text = name('srt');
  writeFileSync(text, '1\n00:00:00,600 --> 00:00:01,200\nA line of text\n');
  const withText = name('mkv');
  ffmpeg(['-i', file, '-i', text, '-map', '0:v', '-map', '1:s', '-c:v', 'copy', '-c:s', 'srt', withText]);
  const facts = {
    ...factsOf({ ...PAL_PICTURE, codec: 'MPEG-2', displayAspect: [11, 9] }, { scan: 'progressive', combed: 0 }),
    durationMs: 2000,
  };
  const plain = luma(file, width, height);
  const boxes = (output: string) => luma(output, width, height).map((picture, i) => changed(plain[i] ?? picture, picture, width));
  const lossless = (more: Partial<Recipe>): Recipe => ({ ...preservation, ...more });

  test.each([
    ['bottom right', { left: [250, 352], top: [230, 288] }],
    ['top left', { left: [0, 40], top: [0, 30] }],
    ['middle', { left: [100, 200], top: [110, 160] }],
  ] as const)('a text stands %s on every picture, and nothing else is touched', async (corner, { left, top }) => {
    const mark = { kind: 'text', text: "Archive's: 50 %, [a];", corner, heightPercent: 8, opacityPercent: 100 } as const;
    const short = { ...mark, text: 'Hof' };
    const { output } = await made(file, {
      recipe: lossless({ picture: { ...preservation.picture, mark: corner === 'middle' ? mark : short } }),
      facts,
    });
    const found = boxes(output);
    expect(found).toHaveLength(50);
    for (const box of found) {
      expect(box).not.toBeNull();
      if (!box) continue;
      expect(box.top).toBeGreaterThanOrEqual(top[0]);
      expect(box.top).toBeLessThan(top[1]);
      expect(box.bottom - box.top).toBeLessThanOrEqual(0.1 * height);
      if (corner !== 'middle') expect(box.left).toBeGreaterThanOrEqual(left[0]);
      if (corner !== 'middle') expect(box.left).toBeLessThan(left[1]);
    }
  });

  test('a picture stands where and as high as was wished, as faint as was wished', async () => {
    const sign = name('png');
    ffmpeg(['-f', 'lavfi', '-i', 'color=c=white:s=60x30', '-frames:v', '1', sign]);
    const png = `data:image/png;base64,${readFileSync(sign).toString('base64')}`;
    const mark = { kind: 'picture', png, corner: 'top left', heightPercent: 10, opacityPercent: 50 } as const;
    const { output } = await made(file, { recipe: lossless({ picture: { ...preservation.picture, mark } }), facts });
    const margin = Math.round(0.04 * height);
    for (const box of boxes(output)) {
      // Its edges are soft, as it was scaled.
      expect(Math.abs((box?.top ?? 0) - margin)).toBeLessThanOrEqual(2);
      expect(Math.abs((box?.left ?? 0) - margin)).toBeLessThanOrEqual(2);
      expect(Math.abs((box?.bottom ?? 0) - (box?.top ?? 0) + 1 - 0.1 * height)).toBeLessThanOrEqual(4);
    }
    // Half of white and half of what is below.
    const at = (margin + 12) * width + margin + 20;
    const [below = 0, above = 0] = [plain[10]?.[at], luma(output, width, height)[10]?.[at]];
    expect(Math.abs(above - (below + 255) / 2)).toBeLessThan(6);
  });

  test.each([1e6, 500])('text of a track is drawn while it is shown, and only then, pieces of %d ms', async (pieceMs) => {
    const first = lossless({ subtitles: { kept: 'all', drawn: 'first' } });
    const { output, pieces } = await made(withText, {
      recipe: first,
      facts: { ...facts, subtitles: [{ codec: 'SubRip', forced: false }] },
      pieceMs,
    });
    expect(pieces > 1).toBe(pieceMs === 500);
    const found = boxes(output);
    // 25 pictures a second: from the 15th to before the 30th.
    expect(found.flatMap((box, i) => (box ? [i] : []))).toEqual(Array.from({ length: 15 }, (_, i) => i + 15));
    expect(found.every((box) => !box || box.top > height / 2)).toBe(true);
  });
});

test('the cover goes along as its author made it', async () => {
  const { file, facts } = spedUp();
  const jpeg = name('jpg');
  ffmpeg(['-f', 'lavfi', '-i', 'testsrc=s=120x160', '-frames:v', '1', jpeg]);
  const cover = `data:image/jpeg;base64,${readFileSync(jpeg).toString('base64')}`;
  for (const container of ['MP4', 'Matroska'] as const)
    for (const pieceMs of [1e6, 2000]) {
      const { output } = await made(file, { recipe: { ...access, container }, facts: { ...facts, cover: true }, cover, pieceMs });
      expect(probed(output).streams.filter((s) => s.disposition['attached_pic'] === 1)).toHaveLength(1);
      const out = name('jpg');
      ffmpeg(['-i', output, '-map', '0:v:1', '-c', 'copy', '-f', 'image2', '-update', '1', out]);
      expect(readFileSync(out).equals(readFileSync(jpeg))).toBe(true);
    }
});

test('thorough deinterlacing asks for its weights, and does every picture where they are', async () => {
  const file = name('mkv');
  ffmpeg([
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=352x288:r=50:d=1,tinterlace=mode=interleave_top',
    '-c:v',
    'mpeg2video',
    '-q:v',
    '2',
    '-flags',
    '+ilme+ildct',
    '-top',
    '1',
    file,
  ]);
  const facts = { ...factsOf(PAL_PICTURE, { scan: 'interlaced', combed: 0.9 }), durationMs: 1000 };
  const recipe: Recipe = { ...access, picture: { ...access.picture, deinterlacer: 'thorough' } };
  delete process.env['CAREFUL_VAULT_NNEDI_WEIGHTS'];
  await expect(made(file, { recipe, facts })).rejects.toMatchObject({ code: 'encoder-missing' });
  // Weights that know nothing are as large as true ones: what is tried is that they are found and every picture comes out.
  const weights = path.join(folder, "odd 'name', [of]; weights.bin");
  writeFileSync(weights, Buffer.alloc(13_574_928));
  process.env['CAREFUL_VAULT_NNEDI_WEIGHTS'] = weights;
  const { output } = await made(file, { recipe, facts });
  expect(decodedFrames(output, 'v:0')).toHaveLength(decodedFrames(file, 'v:0').length);
  rmSync(weights);
});

describe('a surround track that says how it is to be mixed down', () => {
  /** Root of the mean square of the left channel, of a tone in one channel of 5.1. */
  const level = async (channel: 'FL' | 'FC' | 'SL', audio: Partial<Recipe['audio']>, stream: number): Promise<number> => {
    const file = name('mkv');
    const place = { FL: 0, FC: 2, SL: 4 }[channel];
    const channels = Array.from({ length: 6 }, (_, i) => (i === place ? '0.25*sin(2*PI*440*t)' : '0')).join('|');
    ffmpeg([
      ...['-f', 'lavfi', '-i', 'testsrc2=s=64x64:r=25:d=3', '-f', 'lavfi', '-i', `aevalsrc='${channels}':c=5.1(side):s=48000:d=3`],
      ...['-c:v', 'mpeg2video', '-c:a', 'ac3', '-b:a', '448k', '-center_mixlev', '0.5', '-surround_mixlev', '0.0', file],
    ]);
    const facts = factsOf({ widthPixels: 64, heightPixels: 64, frameTicks: 1_080_000 }, { scan: 'progressive', combed: 0 });
    const recipe: Recipe = { ...access, container: 'Matroska', audio: { ...access.audio, codec: 'PCM', ...audio } };
    const { output } = await made(file, {
      recipe,
      facts: { ...facts, durationMs: 3000, audio: [{ codec: 'AC-3', channels: 6, name: '' }] },
    });
    const samples = heard(output, ['-ss', '1', '-t', '1'], 'pan=mono|c0=FL', stream);
    return Math.sqrt(samples.reduce((sum, v) => sum + v * v, 0) / Math.max(1, samples.length));
  };

  test.each([
    ['alone', { mostChannels: 2 } as const, 0],
    ['beside the whole of it', { stereoBeside: true } as const, 1],
  ])('is mixed in its own proportions: %s', async (_name, audio, stream) => {
    const [left, centre, surround] = [await level('FL', audio, stream), await level('FC', audio, stream), await level('SL', audio, stream)];
    // Its author: the centre at a half, nothing of the surround. Without that FFmpeg takes 0.71 of both.
    expect(Math.abs(centre / left - 0.5)).toBeLessThan(0.02);
    expect(surround / left).toBeLessThan(0.02);
    // And the surround track beside it is as it was.
    if (stream === 1) expect(await level('FC', audio, 0)).toBeLessThan(left * 0.02);
  });
});

describe('sound alone', () => {
  const { file, facts } = spedUp();
  const jpeg = name('jpg');
  ffmpeg(['-f', 'lavfi', '-i', 'testsrc=s=120x120', '-frames:v', '1', jpeg]);
  const cover = `data:image/jpeg;base64,${readFileSync(jpeg).toString('base64')}`;
  const sound = (container: Recipe['container'], codec: Recipe['audio']['codec']): Recipe => ({
    ...access,
    container,
    audio: { ...access.audio, codec },
  });

  test('without loss it is the samples of the disc, beginning when they do; it says what it is, and has its cover', async () => {
    const { output } = await made(file, {
      recipe: sound('FLAC', 'FLAC'),
      facts: { ...facts, chapters: 0, cover: true },
      cover,
      tags: { title: 'Hauling song', album: 'Harbour night', track: '3' },
    });
    // Half a second of silence, and then every sample.
    const [before, after] = [heard(file, [], 'anull'), heard(output, [], 'anull')];
    expect(after.length).toBe(before.length + 24_000);
    expect(after.subarray(0, 24_000).every((v) => v === 0)).toBe(true);
    expect(Buffer.from(after.slice(24_000).buffer).equals(Buffer.from(before.slice().buffer))).toBe(true);
    const { format, streams } = probed(output);
    const tags = Object.fromEntries(Object.entries(format.tags ?? {}).map(([k, v]) => [k.toLowerCase(), v]));
    expect(tags).toMatchObject({ title: 'Hauling song', album: 'Harbour night', track: '3' });
    expect(streams.map((s) => [s.codec_name, s.disposition['attached_pic']])).toEqual([
      ['flac', 0],
      ['mjpeg', 1],
    ]);
  });

  test('sound that ends long before its picture is whole at its own length, later or earlier too; half of it is not', async () => {
    const short = name('mkv');
    ffmpeg([
      ...['-f', 'lavfi', '-i', `testsrc2=s=64x64:r=25:d=${SECONDS}`, '-f', 'lavfi', '-i', 'sine=d=5'],
      ...['-c:v', 'libx264', '-c:a', 'libmp3lame', short],
    ]);
    const own: EncodeFacts = { ...facts, chapters: 0, audio: [{ codec: 'MP3', channels: 1, name: '' }] };
    for (const container of ['FLAC', 'MP3', 'Ogg'] as const)
      for (const delayMs of [0, -700, 700]) {
        const codec = container === 'Ogg' ? 'Opus' : container;
        const recipe = { ...sound(container, codec), audio: { ...sound(container, codec).audio, delayMs } };
        const { output, plan } = await made(short, { recipe, facts: own });
        expect([container, delayMs, Number(probed(output).format.duration)]).toEqual([
          container,
          delayMs,
          expect.closeTo(5 + delayMs / 1000, 0),
        ]);
        // Of sound that went on for as long as the film this would be a part.
        const tracks = [{ kind: 'audio', fromMs: 0, toMs: 7976 }];
        const longer = { frames: 200, durationMs: 8000, chapters: [], wholeness: null, tracks } as unknown as MasterPromise;
        const proof = proveCopy(await examineCopy(output), expectationOf(plan, longer), longer);
        expect(proof.checks.filter((c) => !c.passed).map((c) => c.what)).toEqual(['duration']);
      }
  });

  test('chapters of a file of sound stand where they stand in the film', async () => {
    for (const [container, codec] of [
      ['MP3', 'MP3'],
      ['Ogg', 'Opus'],
    ] as const) {
      const { output } = await made(file, { recipe: sound(container, codec), facts });
      const { chapters } = probed(output);
      expect([container, chapters.map((c) => [Math.round(Number(c.start_time) * 1000), c.tags?.['title']])]).toEqual([
        container,
        CHAPTERS.map((c) => [c.startMs, c.name]),
      ]);
    }
  });

  test.each([
    ['MP3', 'MP3', 'mp3'],
    ['Ogg', 'Opus', 'opus'],
  ] as const)('%s: one track of the length of the film, its sound in its place', async (container, codec, called) => {
    const { output } = await made(file, {
      recipe: sound(container, codec),
      facts: { ...facts, audio: [...facts.audio, ...facts.audio] },
    });
    expect(probed(output).streams.map((s) => s.codec_name)).toEqual([called]);
    const found = clicks(output);
    expect(found).toHaveLength(7);
    // Encoders of MP3 put a little before the first sample; what players skip of it FFmpeg skips too.
    for (const [i, ms] of found.entries()) expect(Math.abs(ms - (i + 1) * 1000 - 3)).toBeLessThan(3);
  });
});
