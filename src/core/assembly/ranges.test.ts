import path from 'node:path';
import { HAVEN, LOCKS, QUAY, TWIN, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { complaints, decodedFrames } from '@/test-support/ffmpeg';
import { wholeTitleReel, type Piece } from '../reels';
import { planReel } from '.';

/** Ranges of playing time: what comes out is one unbroken run of the title's own frames that holds all that was asked for. */

const folder = temporaryFolder();
let count = 0;

/** Longest group of pictures on the proving discs, with a frame to spare. */
const GROUP_MS = 1200;

async function framesOf(image: string, title: number, range: Piece['range'], angle = 1): Promise<{ frames: string[]; file: string }> {
  const disc = await openDisc(image);
  try {
    const whole = wholeTitleReel(titleOf(disc.reading, title), 'test');
    const reel = { ...whole, audio: whole.audio.slice(-1), subtitles: [], pieces: whole.pieces.map((p) => ({ ...p, angle, range })) };
    const file = path.join(folder, `${++count}.mkv`);
    await writeMasterFile(disc, reel, file);
    return { frames: decodedFrames(file, 'v:0'), file };
  } finally {
    await disc.opened.close();
  }
}

test.each([
  ['DVD, inside one cell', QUAY, 2, 25, 3400, 5200, 1],
  ['DVD, over several cells', QUAY, 2, 25, 900, 8100, 1],
  ['DVD, NTSC', LOCKS, 2, 30000 / 1001, 1000, 2000, 1],
  ['Blu-ray, inside one clip', HAVEN, 1, 24000 / 1001, 1500, 2500, 1],
  ['Blu-ray, over a join', HAVEN, 1, 24000 / 1001, 2500, 5600, 1],
  ['Blu-ray, another angle', TWIN, 2, 24000 / 1001, 1500, 2500, 2],
])('%s: %s', async (_what, image, title, rate, fromMs, toMs, angle) => {
  const whole = await framesOf(image, title, null, angle);
  const { frames, file } = await framesOf(image, title, { fromMs, toMs }, angle);
  const at = whole.frames.indexOf(frames[0] ?? '');
  const ms = (frame: number) => (frame * 1000) / rate;
  expect(frames).toEqual(whole.frames.slice(at, at + frames.length));
  expect(ms(at)).toBeLessThanOrEqual(fromMs + 1);
  expect(ms(at)).toBeGreaterThan(fromMs - GROUP_MS);
  expect(ms(at + frames.length)).toBeGreaterThanOrEqual(toMs - 1);
  expect(ms(at + frames.length)).toBeLessThan(toMs + GROUP_MS);
  expect(complaints(file)).toEqual([]);
});

test('a range from end to end is the whole title, and one of nothing is refused', async () => {
  const disc = await openDisc(QUAY);
  const title = titleOf(disc.reading, 2);
  const plan = (range: Piece['range']) =>
    planReel(disc.reading, { pieces: [{ title: 2, angle: 1, fromChapter: 1, toChapter: 3, range }] }, (name) => disc.opened.content(name));
  expect(await plan({ fromMs: 0, toMs: title.durationMs })).toEqual(await plan(null));
  await expect(plan({ fromMs: 4000, toMs: 4000 })).rejects.toMatchObject({ code: 'unsupported' });
  await disc.opened.close();
});
