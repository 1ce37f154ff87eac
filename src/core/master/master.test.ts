import path from 'node:path';
import { complaints, decodedFrames, decodedSamples, packetTimes, probed } from '@/test-support/ffmpeg';
import { LOCKS, QUAY, openDisc, temporaryFolder, titleOf, writeMasterFile, writeProgramStream, type OpenDisc } from '@/test-support/discs';
import { wholeTitleReel, type Reel } from '@/core/reels';

/** Made masters against the disc's own streams, FFmpeg decoding both. */

interface Made {
  readonly source: string;
  readonly master: string;
  readonly made: Awaited<ReturnType<typeof writeMasterFile>>;
}

const folder = temporaryFolder();
let quay: OpenDisc;
let locks: OpenDisc;
const made = new Map<string, Promise<Made>>();

beforeAll(async () => {
  [quay, locks] = [await openDisc(QUAY), await openDisc(LOCKS)];
});
afterAll(async () => {
  await quay.opened.close();
  await locks.opened.close();
});

/** Makes a title, or chapters of it, once per test run. */
function make(disc: OpenDisc, title: number, chapters: { from: number; to: number } | null = null): Promise<Made> {
  const name = `${disc.reading.label}-${title}-${chapters ? `${chapters.from}-${chapters.to}` : 'whole'}`;
  const known = made.get(name);
  if (known) return known;
  const work = (async () => {
    const whole = wholeTitleReel(titleOf(disc.reading, title), 'Test');
    const reel: Reel = chapters ? { ...whole, pieces: [{ title, angle: 1, fromChapter: chapters.from, toChapter: chapters.to }] } : whole;
    const source = path.join(folder, `${disc.reading.label}-${title}.vob`);
    const master = path.join(folder, `${name}.mkv`);
    await writeProgramStream(disc, title, source);
    return { source, master, made: await writeMasterFile(disc, reel, master) };
  })();
  made.set(name, work);
  return work;
}

/** Place at which `part` stands in `whole` without a gap; -1 where it does not. */
function placeOf(whole: readonly string[], part: readonly string[]): number {
  return whole.findIndex((_, at) => part.every((hash, i) => whole[at + i] === hash));
}

describe.each([
  {
    name: 'PAL, 16:9, 5.1 AC-3, 16-bit LPCM and DTS',
    disc: () => quay,
    title: 2,
    rate: '25/1',
    aspect: '16:9',
    audio: ['ac3', 'pcm_s16le', 'dts'],
  },
  { name: 'PAL with MPEG audio', disc: () => quay, title: 1, rate: '25/1', aspect: '16:9', audio: ['mp2'] },
  { name: 'NTSC, 4:3, AC-3 and 24-bit LPCM', disc: () => locks, title: 2, rate: '30000/1001', aspect: '4:3', audio: ['ac3', 'pcm_s24le'] },
])('a whole title: $name', ({ disc, title, rate, aspect, audio }) => {
  test('decodes to the same pictures and samples as the disc', async () => {
    const { source, master } = await make(disc(), title);
    const pictures = decodedFrames(master, 'v');
    expect(pictures.length).toBeGreaterThan(40);
    expect(pictures).toEqual(decodedFrames(source, 'v'));
    for (const i of audio.keys()) {
      const samples = decodedSamples(master, `a:${i}`);
      expect(samples.byteLength).toBeGreaterThan(48_000 * 8);
      expect(samples.equals(decodedSamples(source, `a:${i}`))).toBe(true);
    }
  });

  test('is a file that FFmpeg has nothing to say against', async () => {
    const { master } = await make(disc(), title);
    expect(complaints(master)).toEqual([]);
    const facts = probed(master);
    const [video, ...others] = facts.streams;
    expect(video).toMatchObject({ codec_name: 'mpeg2video', r_frame_rate: rate, display_aspect_ratio: aspect });
    expect(others.filter((s) => s.codec_type === 'audio').map((s) => s.codec_name)).toEqual(audio);
  });

  test('has every picture at its time, one frame apart', async () => {
    const { master } = await make(disc(), title);
    const [n = 1, d = 1] = rate.split('/').map(Number);
    const times = packetTimes(master, 'v')
      .map((p) => p.pts ?? -1)
      .sort((a, b) => a - b);
    const first = times[0] ?? 0;
    // Matroska counts milliseconds here: each time is the true one, rounded.
    times.forEach((time, i) => {
      expect(Math.abs(time - first - (i * d) / n)).toBeLessThan(0.0011);
    });
    const { format } = probed(master);
    expect(Math.abs(Number(format.duration) - first - (times.length * d) / n)).toBeLessThan(d / n);
  });

  test('keeps sound at the distance from the picture that it has on the disc', async () => {
    const { source, master } = await make(disc(), title);
    const firstOf = (file: string, stream: string) => packetTimes(file, stream).find((p) => p.pts !== null)?.pts ?? Number.NaN;
    const displayedFirst = (file: string) => Math.min(...packetTimes(file, 'v').flatMap((p) => (p.pts === null ? [] : [p.pts])));
    for (const i of audio.keys()) {
      const onDisc = firstOf(source, `a:${i}`) - displayedFirst(source);
      expect(Math.abs(firstOf(master, `a:${i}`) - displayedFirst(master) - onDisc)).toBeLessThan(0.0011);
    }
  });
});

describe('tracks say what the disc says of them', () => {
  test('languages, commentary, forced and default flags, chapters and tags', async () => {
    const { master, made: result } = await make(quay, 2);
    const { streams, chapters, format } = probed(master);
    expect(streams.map((s) => s.tags?.['language'])).toEqual([undefined, 'eng', 'gla', 'eng', 'eng', 'gla']);
    expect(streams.filter((s) => s.codec_type === 'audio').map((s) => s.disposition['default'])).toEqual([1, 0, 0]);
    expect(streams[3]?.disposition['comment']).toBe(1);
    expect(streams[5]?.disposition['forced']).toBe(1);
    expect(streams[4]?.codec_name).toBe('dvd_subtitle');
    expect(chapters.map((c) => c.tags?.['title'])).toEqual(['Chapter 1', 'Chapter 2', 'Chapter 3']);
    const lead = Number(streams[0]?.start_time ?? 0);
    titleOf(quay.reading, 2).chapters.forEach(({ startMs }, i) => {
      expect(Math.abs(Number(chapters[i]?.start_time) - (i === 0 ? 0 : startMs / 1000 + lead))).toBeLessThan(0.002);
    });
    expect(format.tags?.['ORIGINAL_MEDIA_TYPE']).toBe('DVD');
    expect(result.promise.interlaced).toBe(true);
    expect(result.assembly.forcedUnits(4)).toBe(1);
    expect(streams[0]?.field_order).toBe('tt');
  });

  test('every byte of every stream is taken or accounted for', async () => {
    for (const [disc, title] of [
      [quay, 2],
      [locks, 1],
    ] as const) {
      const { assembly, promise } = (await make(disc, title)).made;
      promise.tracks.forEach((track, i) => {
        const left = [...assembly.account(i).left.values()].reduce((sum, l) => sum + l.bytes, 0);
        expect(track.bytes + left).toBe(track.seenBytes);
        expect(track.bytes).toBeGreaterThan(0);
      });
    }
  });
});

describe('chapters of a title', () => {
  test.each([
    { from: 1, to: 1 },
    { from: 2, to: 2 },
    { from: 2, to: 3 },
  ])('chapters $from to $to hold exactly the pictures of that stretch', async (chapters) => {
    const { source, master, made: result } = await make(quay, 2, chapters);
    const all = decodedFrames(source, 'v');
    const part = decodedFrames(master, 'v');
    // The author put the chapters at the group of pictures before the time asked for; its tables say where that is.
    const starts = [...titleOf(quay.reading, 2).chapters.map((c) => Math.round(c.startMs / 40)), all.length];
    const place = placeOf(all, part);
    // Pictures that need some from before the cut can not be shown and are counted; at most one group of B pictures.
    const lost = place - (starts[chapters.from - 1] ?? 0);
    expect(lost).toBeGreaterThanOrEqual(0);
    expect(lost).toBeLessThanOrEqual(2);
    expect(place + part.length).toBe(starts[chapters.to]);
    const left = result.assembly.account(0).left.get('needs pictures before the cut');
    expect(left?.frames ?? 0).toBe(lost);
    expect(complaints(master)).toEqual([]);
  });

  test('sound of a stretch is cut to it, sample for sample', async () => {
    const { source, master } = await make(quay, 2, { from: 2, to: 2 });
    const all = decodedSamples(source, 'a:1');
    const part = decodedSamples(master, 'a:1');
    const at = all.indexOf(part.subarray(0, 4096));
    expect(at).toBeGreaterThan(0);
    expect(all.subarray(at, at + part.byteLength).equals(part)).toBe(true);
    const bytesPerSecond = 48_000 * 8;
    const chapter = titleOf(quay.reading, 2).chapters[1];
    expect(Math.abs(at / bytesPerSecond - (chapter?.startMs ?? 0) / 1000)).toBeLessThan(0.1);
    expect(Math.abs(part.byteLength / bytesPerSecond - (chapter?.durationMs ?? 0) / 1000)).toBeLessThan(0.1);
    const { streams } = probed(master);
    for (const stream of streams.filter((s) => s.codec_type === 'audio'))
      expect(Math.abs(Number(stream.start_time) - Number(streams[0]?.start_time))).toBeLessThan(0.035);
  });
});

describe('a title of several parts whose clocks restart', () => {
  test('has all pictures of all parts, and no hole between them', async () => {
    const { master } = await make(locks, 1);
    const parts = await Promise.all([2, 3, 4].map(async (n) => decodedFrames((await make(locks, n)).source, 'v')));
    expect(decodedFrames(master, 'v')).toEqual(parts.flat());
    const times = packetTimes(master, 'v')
      .map((p) => p.pts ?? -1)
      .sort((a, b) => a - b);
    const steps = times.slice(1).map((t, i) => t - (times[i] ?? 0));
    // At a join the picture stands until the sound is over, which lasts less than one frame of it longer.
    expect(steps.filter((step) => step > 0.035).length).toBeLessThan(4);
    expect(Math.max(...steps)).toBeLessThan(0.034 + 0.032);
    expect(Math.min(...steps)).toBeGreaterThan(0.032);
    expect(complaints(master)).toEqual([]);
  });

  test('keeps sound in step in every part: what overlaps is left out and said', async () => {
    const { made: result, master } = await make(locks, 1);
    const times = packetTimes(master, 'a:1').map((p) => ({ pts: p.pts ?? -1, seconds: p.size / (48_000 * 6) }));
    for (let i = 1; i < times.length; i++) {
      const before = times[i - 1];
      const now = times[i];
      if (before && now) expect(now.pts).toBeGreaterThan(before.pts + before.seconds - 0.0021);
    }
    const pictures = probed(master).format.duration;
    const last = times.at(-1);
    expect(Math.abs((last?.pts ?? 0) + (last?.seconds ?? 0) - Number(pictures))).toBeLessThan(0.06);
    expect(result.promise.tracks[2]?.left.every((l) => l.reason === 'overlaps the part before')).toBe(true);
  });
});

test('the same reel of the same disc gives the same file', async () => {
  const { readFileSync } = await import('node:fs');
  const first = await make(quay, 1);
  const again = path.join(folder, 'again.mkv');
  await writeMasterFile(quay, wholeTitleReel(titleOf(quay.reading, 1), 'Test'), again);
  expect(readFileSync(again).equals(readFileSync(first.master))).toBe(true);
});
