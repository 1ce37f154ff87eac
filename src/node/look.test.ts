import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { MeasureOptions } from './measure';
import type { Eyes } from '@/contract';
import { takeAudio, takeSubtitle } from '@/core/reels';
import { looksPacked, type TitleMeasure } from '@/core/reading';
import { HAVEN, LOCKS, QUAY, TWIN, temporaryFolder, titleOf } from '@/test-support/discs';
import { measureTitle } from './measure';
import { openSource } from './open-source';
import { picturesAt, startPreview } from './pictures';

/** What is shown and measured of a title: asked of discs and files whose content is known. */

const folder = temporaryFolder();
const place = (at: string) => ({
  kind: at.endsWith('.iso') ? ('image' as const) : at.endsWith('.mkv') ? ('file' as const) : ('folder' as const),
  path: at,
  label: path.basename(at),
});

async function onTitle<T>(at: string, number: number, use: (...given: Parameters<typeof look>) => Promise<T>): Promise<T> {
  const opened = await openSource(place(at));
  try {
    const reading = await opened.examine();
    return await use(opened, reading, titleOf(reading, number));
  } finally {
    await opened.close();
  }
}
const look = async (
  ...given: [Awaited<ReturnType<typeof openSource>>, Parameters<typeof measureTitle>[1], Parameters<typeof measureTitle>[2]]
) => Promise.resolve(given);

const measure = (at: string, title: number, everything = false): Promise<TitleMeasure> =>
  onTitle(at, title, (opened, reading, t) => {
    const options: MeasureOptions = { everything, signal: new AbortController().signal, onProgress: () => undefined };
    return measureTitle(opened, reading, t, options);
  });

/** Middle grey value of a picture: enough to tell that it is one of the film and not black. */
function pictureFacts(jpeg: Uint8Array): { width: number; height: number; bright: number } {
  const args = ['-v', 'error', '-f', 'mjpeg', '-i', '-', '-f', 'rawvideo', '-pix_fmt', 'gray', '-'];
  const raw = spawnSync('ffmpeg', args, { input: jpeg, maxBuffer: 1 << 26 });
  const size = spawnSync('ffprobe', ['-v', 'error', '-f', 'mjpeg', '-show_entries', 'stream=width,height', '-of', 'csv=p=0', '-i', '-'], {
    input: jpeg,
  });
  const [width = 0, height = 0] = size.stdout.toString().trim().split(',').map(Number);
  return { width, height, bright: raw.stdout.reduce((sum, v) => sum + v, 0) / Math.max(1, raw.stdout.byteLength) };
}

const FIRST = { eyes: 'first', firstEye: 'left' } as const;

test.each([
  ['MPEG-2', QUAY, 2, [0, 3000, 6000, 8900], 192],
  ['H.264 with open groups', HAVEN, 1, [0, 1500, 2900, 4100, 5500, 6900], 192],
  ['H.264, interlaced', HAVEN, 3, [0, 1900, 3900], 192],
  ['HEVC', HAVEN, 4, [0, 1100, 2900], 192],
  ['two views', TWIN, 1, [0, 2000], 192],
])('pictures at moments: %s', async (_what, at, title, moments, width) => {
  const found = await onTitle(at, title, (opened, reading, t) => picturesAt(opened, reading, t, { angle: 1, width, ...FIRST }, moments));
  expect([...found.keys()].sort((a, b) => a - b)).toEqual(moments.map((_, i) => i));
  for (const jpeg of found.values()) {
    const facts = pictureFacts(jpeg);
    expect([facts.width, facts.height]).toEqual([192, 108]);
    expect(facts.bright).toBeGreaterThan(20);
  }
  expect(new Set([...found.values()].map((v) => Buffer.from(v).toString('base64'))).size).toBe(moments.length);
});

test.each([
  ['DVD with sound and subtitles', QUAY, 2, 3000],
  ['Blu-ray with sound and subtitles', HAVEN, 1, 2000],
])('a preview that a browser plays: %s', async (_what, at, title, startMs) => {
  const data = await onTitle(at, title, async (opened, reading, t) => {
    const audio = t.audio.find((a) => a.codec === 'AC-3') ?? t.audio[0];
    const [subtitle] = t.subtitles;
    if (!audio || !subtitle) throw new Error('no tracks');
    const wish = { angle: 1, startMs, audio: takeAudio(audio, true), subtitle: takeSubtitle(subtitle), width: 320, ...FIRST };
    const { program, fed } = startPreview(opened, reading, t, wish, new AbortController().signal);
    const chunks: Buffer[] = [];
    for await (const chunk of program.stdout) chunks.push(chunk as Buffer);
    await fed;
    return Buffer.concat(chunks);
  });
  const probe = spawnSync('ffprobe', ['-v', 'error', '-show_entries', 'stream=codec_name', '-of', 'csv=p=0', '-i', '-'], { input: data });
  expect(probe.stdout.toString().trim().split('\n')).toEqual(['h264', 'aac']);
  expect(data.byteLength).toBeGreaterThan(10_000);
});

describe('two views', () => {
  /** Brightness of a picture, row by row. */
  const gray = (jpeg: Uint8Array | undefined): Buffer =>
    spawnSync('ffmpeg', ['-v', 'error', '-f', 'mjpeg', '-i', '-', '-f', 'rawvideo', '-pix_fmt', 'gray', '-'], {
      input: jpeg,
      maxBuffer: 1 << 26,
    }).stdout;
  const apart = (a: Buffer, b: Buffer) => a.reduce((sum, v, i) => sum + Math.abs(v - (b[i] ?? 0)), 0) / Math.max(1, a.byteLength);
  const picture = (eyes: Eyes, firstEye: 'left' | 'right', width = 192) =>
    onTitle(TWIN, 1, async (opened, reading, t) =>
      (await picturesAt(opened, reading, t, { angle: 1, width, eyes, firstEye }, [2100])).get(0),
    );

  test('each eye alone, both, and for glasses; which one is first can be said', async () => {
    const first = gray(await picture('first', 'left'));
    const [left, right] = [gray(await picture('left', 'left')), gray(await picture('right', 'left'))];
    // What stands before the screen moves between the eyes; the rest of the sea does too, the other way.
    expect([apart(first, left) < 2, apart(left, right) > 2]).toEqual([true, true]);
    expect(apart(gray(await picture('left', 'right')), right)).toBeLessThan(2);
    const both = await picture('both', 'left', 384);
    expect(pictureFacts(both ?? new Uint8Array(0))).toMatchObject({ width: 384, height: 108 });
    const rows = gray(both);
    const half = (from: number) =>
      Buffer.concat(Array.from({ length: 108 }, (_, y) => rows.subarray(y * 384 + from, y * 384 + from + 192)));
    expect([apart(half(0), left) < 3, apart(half(192), right) < 3]).toEqual([true, true]);
    expect(pictureFacts((await picture('glasses', 'left')) ?? new Uint8Array(0))).toMatchObject({ width: 192, height: 108 });
  });

  test('eyes are looked at in samples: all of this sea is equally far, which says nothing; of one view nothing is asked', async () => {
    // Of 320 columns the disc's author moved the sea by 8 to one side for the right eye, and the words below by 14 to the other.
    const below = { nearest: (-14 / 320) * 100, farthest: (8 / 320) * 100 };
    expect((await measure(TWIN, 1)).picture?.eyes).toEqual({ told: 0, swapped: 0, below });
    expect((await measure(TWIN, 2)).picture?.eyes).toBeNull();
  });

  test('both views that can not be decoded as one are told with the reason, before anything is encoded', async () => {
    // Every sequence set of the second view says of its colours what the first view's does not: chroma_format_idc 2 for 1 (H.264 7.3.2.1.1).
    const disc = path.join(folder, 'twin of two colours.iso');
    const bytes = readFileSync(TWIN);
    let changed = 0;
    for (let at = 0; (at = bytes.indexOf('0000016f', at, 'hex')) >= 0; at += 4, changed++) {
      // Behind profile and level: number 0 of the set (1), chroma_format_idc 1 (010), which becomes 2 (011).
      expect((bytes[at + 7] ?? 0) >> 4).toBe(0b1010);
      bytes[at + 7] = (bytes[at + 7] ?? 0) | 0x10;
    }
    expect(changed).toBeGreaterThan(0);
    writeFileSync(disc, bytes);
    const { picture } = await measure(disc, 1);
    expect(picture?.eyes).toMatchObject({ told: 0, swapped: 0 });
    expect(picture?.eyes?.refused).toContain('Both views differ');
    expect(picture?.scan).toBe('progressive');
  });

  test('a preview of both', async () => {
    const data = await onTitle(TWIN, 1, async (opened, reading, t) => {
      const wish = { angle: 1, startMs: 1500, audio: null, subtitle: null, width: 320, eyes: 'both', firstEye: 'left' } as const;
      const { program, fed } = startPreview(opened, reading, t, wish, new AbortController().signal);
      const chunks: Buffer[] = [];
      for await (const chunk of program.stdout) chunks.push(chunk as Buffer);
      await fed;
      return Buffer.concat(chunks);
    });
    const probe = spawnSync(
      'ffprobe',
      ['-v', 'error', '-count_frames', '-show_entries', 'stream=width,height,nb_read_frames', '-of', 'csv=p=0', '-i', '-'],
      { input: data },
    );
    const [width, height, frames] = probe.stdout.toString().trim().split(',').map(Number);
    expect([width, height]).toEqual([320, 90]);
    // From the entry point before the moment to the end of four seconds.
    expect(frames).toBeGreaterThanOrEqual(60);
    expect(frames).toBeLessThanOrEqual(96);
  });
});

describe('measurements', () => {
  test('how a picture was made: progressive, interlaced', async () => {
    expect((await measure(HAVEN, 1)).picture).toMatchObject({
      scan: 'progressive',
      combed: 0,
      bars: { top: 0, bottom: 0, left: 0, right: 0 },
    });
    expect((await measure(HAVEN, 3)).picture?.scan).toBe('interlaced');
    expect((await measure(LOCKS, 2)).picture?.trueAspect).toBeCloseTo(4 / 3, 1);
  });

  test('sound that is there, sound that is silence, and the same sound twice; bars on all sides; film on a video carrier', async () => {
    const file = path.join(folder, 'made.mkv');
    const tone = ['-f', 'lavfi', '-i', 'sine=frequency=300:duration=16:sample_rate=48000'];
    const { status, stderr } = spawnSync('ffmpeg', [
      ...['-v', 'error', '-y', '-f', 'lavfi', '-i', 'testsrc2=s=480x216:r=24000/1001:d=16', ...tone],
      ...['-f', 'lavfi', '-i', 'anullsrc=r=48000:cl=stereo:d=16'],
      ...['-filter_complex', '[0:v]pad=640:360:80:72,telecine=pattern=23[v]', '-map', '[v]', '-map', '1:a', '-map', '2:a', '-map', '1:a'],
      ...['-c:v', 'mpeg2video', '-flags', '+ilme+ildct', '-b:v', '6M', '-c:a', 'ac3', file],
    ]);
    if (status !== 0) throw new Error(stderr.toString());
    const found = await measure(file, 1);
    expect(found.picture).toMatchObject({ scan: 'film with pulldown', bars: { top: 72, bottom: 72, left: 80, right: 80 } });
    expect(found.picture?.trueAspect).toBeCloseTo(480 / 216, 1);
    expect(found.audio.map((a) => [a.silent, a.sameAs])).toEqual([
      [false, null],
      [true, null],
      [false, 1],
    ]);
    expect(found.audio[0]?.meanDb).toBeGreaterThan(-30);
    expect(found.audio[0]?.overTimeDb.length).toBeGreaterThan(20);
  });

  test('a few frames that look combed do not speak for a film that tells nothing else', async () => {
    const file = path.join(folder, 'still.mkv');
    const few = 'testsrc2=s=320x240:r=50:d=0.2,tinterlace=mode=interleave_top,split[a][b]';
    const still = '[b]trim=end_frame=1,loop=400:1,setpts=N/25/TB[c];[a]setpts=N/25/TB[d];[d][c]concat';
    const { status } = spawnSync('ffmpeg', [
      '-v',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      `${few};${still}`,
      '-c:v',
      'mpeg2video',
      '-q:v',
      '2',
      file,
    ]);
    expect(status).toBe(0);
    const said = spawnSync('ffmpeg', ['-hide_banner', '-i', file, '-vf', 'idet', '-f', 'null', '-']).stderr.toString();
    expect(said).toMatch(/Multi frame detection: TFF: *40\d BFF: *0 Progressive: *0/);
    const { picture } = await measure(file, 1);
    expect(picture?.scan).toBe('progressive');
    expect(picture?.combed).toBeLessThan(9);
  });

  test('everything: forced subtitles with their times', async () => {
    const found = await measure(HAVEN, 1, true);
    expect(found.picture).toBeNull();
    // A line is forced in each of the two clips.
    expect(found.subtitles[0]?.forcedAtMs.map((ms) => Math.round(ms / 100))).toEqual([16, 56]);
    expect(found.subtitles[1]?.forcedAtMs).toEqual([]);
    expect(found.subtitles[0]?.events).toBeGreaterThan(3);
  });
});

test.each([
  ['side by side', 'split[a][b];[a]crop=640:360:0:0,scale=320:360[l];[b]crop=640:360:14:0,scale=320:360[r];[l][r]hstack', 'beside'],
  ['over-under', 'split[a][b];[a]crop=640:360:0:0[l];[b]crop=640:360:14:0[r];[l][r]vstack', 'below'],
  ['one view', 'crop=640:360:0:0', null],
  ['next to nothing', 'crop=640:360:0:0,drawbox=w=640:h=350:color=black:t=fill', null],
])('a picture that holds both eyes is seen as one: %s', async (name, pack, expected) => {
  const file = path.join(folder, `${name.replaceAll(' ', '-')}.mkv`);
  const source = ['-f', 'lavfi', '-i', 'mandelbrot=s=680x360:r=24:start_scale=1.2'];
  const { status } = spawnSync('ffmpeg', ['-y', '-v', 'error', ...source, '-vf', pack, '-t', '3', '-c:v', 'mpeg2video', '-q:v', '4', file]);
  expect(status).toBe(0);
  const measured = await measure(file, 1);
  expect([looksPacked({ measured }), measured.picture?.halves]).toEqual([expected, expect.anything()]);
});

test.each([
  [QUAY, 2],
  [HAVEN, 1],
  [HAVEN, 3],
  [LOCKS, 1],
])('films of one view do not look like two: %s, title %i', async (at, number) => {
  const measured = await measure(at, number);
  expect([looksPacked({ measured }), measured.picture?.halves]).toEqual([null, expect.anything()]);
});
