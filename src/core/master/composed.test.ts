import { spawnSync } from 'node:child_process';
import { readFileSync, statSync } from 'node:fs';
import path from 'node:path';
import { proveMasterFile } from '@/node/prove-file';
import { HAVEN, LOCKS, QUAY, TWIN, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { complaints, decodedFrames } from '@/test-support/ffmpeg';
import { NO_TAGS, estimateReel, mergeReels, readSubtitleFile, takeSubtitle, wholeTitleReel, type Reel } from '../reels';
import type { Reading } from '../reading';
import type { MasterPromise } from '../proof';

/** Reels as they are composed: names, chapters, tags, covers, tracks from elsewhere. FFmpeg's prober says what is in the file. */

const folder = temporaryFolder();
let count = 0;

async function make(
  image: string,
  compose: (reading: Reading) => Reel,
  change = (reading: Reading) => reading,
): Promise<{ file: string; promise: MasterPromise }> {
  const disc = await openDisc(image);
  try {
    const reading = change(disc.reading);
    const file = path.join(folder, `${++count}.mkv`);
    const { promise } = await writeMasterFile({ ...disc, reading }, compose(reading), file);
    const { proof } = await proveMasterFile(file, promise, 'SHA-256', new AbortController().signal);
    expect(proof.checks.filter((c) => !c.passed)).toEqual([]);
    return { file, promise };
  } finally {
    await disc.opened.close();
  }
}

interface Probed {
  streams: { codec_type: string; codec_name: string; disposition: Record<string, number>; tags?: Record<string, string> }[];
  chapters: { start_time: string; tags: { title: string } }[];
  format: { tags: Record<string, string> };
}
function probe(file: string): Probed {
  const { stdout } = spawnSync('ffprobe', ['-v', 'error', '-show_streams', '-show_chapters', '-show_format', '-of', 'json', file]);
  return JSON.parse(stdout.toString()) as Probed;
}
const text = (file: string, stream: string, format: string): string =>
  spawnSync('ffmpeg', ['-v', 'error', '-i', file, '-map', `0:${stream}`, '-f', format, '-']).stdout.toString();

/** A JPEG: made by FFmpeg. */
const jpeg = (): string => {
  const { stdout } = spawnSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=160x90', '-frames:v', '1', '-f', 'mjpeg', '-']);
  return `data:image/jpeg;base64,${stdout.toString('base64')}`;
};

test('tags by the official names, a cover, chapters of the reel’s own', async () => {
  const tags = {
    ...NO_TAGS,
    work: 'The Quay',
    year: '1987',
    series: 'Harbours',
    season: 2,
    episode: 5,
    notes: 'Gift of the crew',
    accession: 'HM 12',
    cover: jpeg(),
  };
  const chapters = [
    { startMs: 0, name: 'Morning' },
    { startMs: 4321, name: 'Ünd evening' },
  ];
  const { file, promise } = await make(QUAY, (r) => ({ ...wholeTitleReel(titleOf(r, 2), 'quay'), tags, chapters }));
  const found = probe(file);
  // The name of the work stands in one place: readers take every other for another title.
  expect(Object.entries(found.format.tags ?? {}).filter(([name]) => name.toLowerCase() === 'title')).toEqual([['title', 'The Quay']]);
  expect(found.format.tags).toMatchObject({
    'COLLECTION/TITLE': 'Harbours',
    DATE_RELEASED: '1987',
    SUMMARY: 'Gift of the crew',
    CATALOG_NUMBER: 'HM 12',
  });
  expect(found.chapters.map((c) => [Math.round(Number(c.start_time) * 1000), c.tags.title])).toEqual(
    chapters.map((c) => [c.startMs, c.name]),
  );
  expect(promise.chapters).toEqual(chapters);
  const cover = found.streams.find((s) => s.disposition['attached_pic'] === 1);
  expect([cover?.codec_name, cover?.tags?.['filename']]).toEqual(['mjpeg', 'cover.jpg']);
  expect(complaints(file)).toEqual([]);
});

test('subtitles from a file beside the disc, with an offset, behind the disc’s own', async () => {
  const srt = readSubtitleFile(
    '1\n00:00:01,000 --> 00:00:02,000\nFirst\n\n2\n00:00:05,000 --> 00:00:06,000\nSecond <i>line</i>\n\n3\n00:01:00,000 --> 00:01:01,000\nAfter the end',
  );
  const ass = readSubtitleFile(
    '[Script Info]\nScriptType: v4.00+\n[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\nDialogue: 0,0:00:03.00,0:00:04.00,Default,,0,0,0,,Drawn',
  );
  const flags = { isDefault: true, isForced: false };
  const { file, promise } = await make(QUAY, (r) => ({
    ...wholeTitleReel(titleOf(r, 2), 'quay'),
    added: [
      { ...srt, ...flags, name: 'From the museum', language: 'nb', offsetMs: 500 },
      { ...ass, ...flags, name: '', language: null, offsetMs: 0 },
    ],
  }));
  const found = probe(file).streams.filter((s) => s.codec_type === 'subtitle');
  expect(found.map((s) => [s.codec_name, s.tags?.['language'], s.tags?.['title']]).slice(-2)).toEqual([
    ['subrip', 'nob', 'From the museum'],
    ['ass', undefined, undefined],
  ]);
  const srtAgain = text(file, `s:${found.length - 2}`, 'srt');
  expect(srtAgain).toContain('00:00:01,500 --> 00:00:02,500\nFirst');
  expect(srtAgain).toContain('Second <i>line</i>');
  expect(srtAgain).not.toContain('After the end');
  expect(promise.tracks.at(-2)?.left).toEqual([{ reason: 'after the end', bytes: 13, frames: 1, ms: 0 }]);
  expect(text(file, `s:${found.length - 1}`, 'ass')).toContain('Drawn');
});

test.each([
  ['DVD', QUAY, 2, 0],
  ['Blu-ray', HAVEN, 1, 0],
])('forced subtitles as a track of their own beside the full one: %s', async (_what, image, number, place) => {
  const { promise } = await make(image, (r) => {
    const title = titleOf(r, number);
    const track = title.subtitles[place];
    if (!track) throw new Error('no subtitles');
    const full = takeSubtitle(track);
    return { ...wholeTitleReel(title, 'x'), subtitles: [full, { ...full, forcedOnly: true, isForced: true }] };
  });
  const [full, forced] = promise.tracks.slice(-2);
  expect(full?.forcedAtMs.length).toBeGreaterThan(0);
  expect(forced?.forcedAtMs).toEqual(full?.forcedAtMs);
  // On Blu-ray each forced picture is followed by what clears it.
  expect(forced?.packets).toBe((image === HAVEN ? 2 : 1) * (full?.forcedAtMs.length ?? 0));
  if (image === HAVEN) expect(full?.packets).toBeGreaterThan(forced?.packets ?? 0);
});

test('titles with other tracks are merged: sound goes on by language, what is not there leaves a gap', async () => {
  // The second title has its sound under other numbers, and not all of it.
  const renumbered = (reading: Reading): Reading => ({
    ...reading,
    titles: reading.titles.map((t) => (t.number === 3 ? { ...t, audio: t.audio.slice(0, 1) } : t)),
  });
  const { file, promise } = await make(
    LOCKS,
    (r) => {
      const [first, second] = [wholeTitleReel(titleOf(r, 2), 'two'), wholeTitleReel(titleOf(r, 3), 'three')];
      return mergeReels(first, second);
    },
    renumbered,
  );
  const alone = await make(LOCKS, (r) => wholeTitleReel(titleOf(r, 2), 'two'));
  expect(decodedFrames(file, 'v:0').slice(0, 20)).toEqual(decodedFrames(alone.file, 'v:0').slice(0, 20));
  expect(promise.frames).toBeGreaterThan(alone.promise.frames);
  promise.tracks.forEach((track, i) => {
    if (track.kind !== 'audio') return;
    const before = alone.promise.tracks[i]?.packets ?? 0;
    if (i === 1) expect(track.packets).toBeGreaterThan(before * 1.5);
    else expect(Math.abs(track.packets - before)).toBeLessThan(4);
  });
  expect(readFileSync(file).byteLength).toBeGreaterThan(0);
});

test.each<[string, string, number, (reel: Reel) => Reel]>([
  ['DVD, whole', QUAY, 2, (r) => r],
  ['DVD, one audio track', QUAY, 2, (r) => ({ ...r, audio: r.audio.slice(0, 1) })],
  ['DVD, NTSC', LOCKS, 2, (r) => r],
  ['Blu-ray over a join, TrueHD with its core', HAVEN, 1, (r) => r],
  ['Blu-ray, TrueHD without its core', HAVEN, 1, (r) => ({ ...r, audio: r.audio.slice(0, 1) })],
  ['Blu-ray, eight channels of LPCM, DTS', HAVEN, 3, (r) => r],
  ['Blu-ray, HEVC', HAVEN, 4, (r) => r],
  ['two views', TWIN, 1, (r) => r],
  ['one of three angles', TWIN, 2, (r) => ({ ...r, pieces: r.pieces.map((p) => ({ ...p, angle: 2 })) })],
])('sizes are estimated to within 2 %%: %s', async (_what, image, number, change) => {
  let estimated = 0;
  const { file } = await make(image, (reading) => {
    const reel = change(wholeTitleReel(titleOf(reading, number), 'x'));
    estimated = estimateReel(reading, reel).masterBytes;
    return reel;
  });
  // The proving discs are so small that the head of the file counts: it is left out of the share.
  const actual = statSync(file).size;
  expect(Math.abs(estimated - actual)).toBeLessThan(0.02 * actual + 12_000);
});
