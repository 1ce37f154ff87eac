import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { HAVEN, QUAY, openDisc, temporaryFolder, titleOf, writeMasterFile, type OpenDisc } from '@/test-support/discs';
import { complaints, decodedFrames } from '@/test-support/ffmpeg';
import { wholeTitleReel, type Piece } from '../reels';

/**
 * Subtitles where a title is cut. What is shown when was said to the author, where a range begins is found by its decoded pictures:
 * nothing here rests on times that our reader found.
 */
const folder = temporaryFolder();
let count = 0;

interface Shown {
  readonly from: number;
  readonly to: number;
}

/** What a player shows, by FFmpeg's decoders; seconds from the first picture. A picture without parts clears the screen. */
function shownIn(file: string, track: number): Shown[] {
  const entries = 'subtitle=pts_time,start_display_time,end_display_time,num_rects';
  const probe = (select: string, show: readonly string[]) => {
    const { stdout } = spawnSync('ffprobe', ['-v', 'error', '-select_streams', select, ...show, '-of', 'json', file], { encoding: 'utf8' });
    return JSON.parse(stdout) as { frames?: Record<string, string | number>[]; format?: { duration: string } };
  };
  const zero = Number(probe('v:0', ['-show_entries', 'frame=pts_time', '-read_intervals', '%+#1']).frames?.[0]?.['pts_time']);
  const end = Number(probe('v:0', ['-show_entries', 'format=duration']).format?.duration);
  const events = (probe(`s:${track}`, ['-show_frames', '-show_entries', entries]).frames ?? []).map((f) => {
    const at = Number(f['pts_time']) - zero;
    const stays = Number(f['end_display_time']);
    return {
      from: at + Number(f['start_display_time']) / 1000,
      to: stays < 2 ** 32 - 1 ? at + stays / 1000 : end - zero,
      shows: Number(f['num_rects']) > 0,
    };
  });
  return events.flatMap(({ from, to, shows }, i) => (shows ? [{ from, to: Math.min(to, events[i + 1]?.from ?? to) }] : []));
}

interface Case {
  readonly image: string;
  readonly title: number;
  readonly rate: number;
  readonly lines: readonly number[];
  readonly lasts: number;
  readonly ranges: readonly (readonly [fromMs: number, toMs: number])[];
}

/** Every range of a title in steps of `step`: some of their ends fall into lines. */
const ranges = (toMs: number, step: number, lengthMs: number) =>
  Array.from({ length: Math.floor((toMs - lengthMs) / step) }, (_, i) => [i * step, i * step + lengthMs] as const);

const DVD: Case = { image: QUAY, title: 2, rate: 25, lines: [0.5, 2, 4, 7], lasts: 0.8, ranges: ranges(9000, 690, 2500) };
const BLURAY: Case = {
  image: HAVEN,
  title: 1,
  rate: 24000 / 1001,
  lines: [0.4, 1.6, 2.7, 4.404, 5.604, 6.704],
  lasts: 0.7,
  ranges: ranges(7000, 620, 1800),
};
/** A picture, and the steps that times of subpictures are rounded to. */
const NEAR = 0.06;

async function make(disc: OpenDisc, title: number, cuts: readonly Piece['range'][]): Promise<string> {
  const whole = wholeTitleReel(titleOf(disc.reading, title), 'test');
  const [piece] = whole.pieces;
  if (!piece) throw new Error('no piece');
  const reel = {
    ...whole,
    audio: whole.audio.slice(-1),
    subtitles: whole.subtitles.slice(0, 1),
    pieces: cuts.map((range) => ({ ...piece, range })),
  };
  const file = path.join(folder, `${++count}.mkv`);
  await writeMasterFile(disc, reel, file);
  return file;
}

test.each([
  ['DVD', DVD],
  ['Blu-ray', BLURAY],
])(
  '%s: each side of a cut shows what the author put there, as long as it belongs there',
  async (_, { image, title, rate, lines, lasts, ranges: cuts }) => {
    const disc = await openDisc(image);
    const wholeFrames = decodedFrames(await make(disc, title, [null]), 'v:0');
    let begun = 0;
    let ended = 0;
    for (const [fromMs, toMs] of cuts) {
      const file = await make(disc, title, [{ fromMs, toMs }]);
      const frames = decodedFrames(file, 'v:0');
      const start = wholeFrames.indexOf(frames[0] ?? '') / rate;
      const end = start + frames.length / rate;
      const expected = lines.flatMap((at) => {
        const [from, to] = [Math.max(at, start) - start, Math.min(at + lasts, end) - start];
        if (to - from < 0.1 + NEAR) return [];
        if (at < start - NEAR) begun++;
        if (at + lasts > end + NEAR) ended++;
        return [{ from, to }];
      });
      const shown = shownIn(file, 0).filter(({ from, to }) => to - from >= 0.1 + NEAR);
      expect([`${fromMs} to ${toMs}`, shown.length]).toEqual([`${fromMs} to ${toMs}`, expected.length]);
      shown.forEach((s, i) => {
        expect(Math.abs(s.from - (expected[i]?.from ?? 0))).toBeLessThan(NEAR);
        // What goes on over the end of the file ends with it.
        expect(Math.abs(Math.min(s.to, end - start) - (expected[i]?.to ?? 0))).toBeLessThan(NEAR);
      });
      expect(complaints(file)).toEqual([]);
    }
    // The ranges were chosen so that this is a test.
    expect(begun).toBeGreaterThan(1);
    expect(ended).toBeGreaterThan(0);
    await disc.opened.close();
  },
);

test.each([
  ['DVD', DVD, 2600],
  ['Blu-ray', BLURAY, 2000],
])('%s: where a cut piece is followed by another, what it shows ends with it', async (_, { image, title, rate }, middle) => {
  const disc = await openDisc(image);
  const first = await make(disc, title, [{ fromMs: 0, toMs: middle }]);
  const join = decodedFrames(first, 'v:0').length / rate;
  const over = shownIn(first, 0)
    .filter(({ from }) => from < join)
    .at(-1);
  const both = await make(disc, title, [
    { fromMs: 0, toMs: middle },
    { fromMs: 0, toMs: middle },
  ]);
  const before = shownIn(both, 0).filter(({ from }) => from < join - NEAR);
  expect(before.at(-1)?.from).toBeCloseTo(over?.from ?? 0, 1);
  for (const { to } of before) expect(to).toBeLessThan(join + NEAR);
  await disc.opened.close();
});
