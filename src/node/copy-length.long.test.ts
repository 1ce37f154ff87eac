import path from 'node:path';
import { proveCopy } from '@/core/proof';
import { CONTAINERS, CONTAINER_ENDING, ENCODES, SHIPPED, SOUND_ONLY, expectationOf, planEncode, type Recipe } from '@/core/recipes';
import { encodeFacts, wholeTitleReel } from '@/core/reels';
import { CADENCE, SLIDES, oddTruths, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { ffmpeg } from '@/test-support/encodes';
import { encodeCopy } from './encode-pieces';
import { examineCopy } from './ffmpeg';

/**
 * How long copies are of films that do not end as most do: film in which pictures stand for two fields and for three, and slides, the last of
 * which stands for as long as its sound goes on, or the disc says. Their author knows when the last picture begins.
 */
const folder = temporaryFolder();
const truths = oddTruths<{ pictures: { at: number }[] }>();
const access = SHIPPED[0] as Recipe;

describe.each([
  ['film and video in turn', 'pulldown', CADENCE, 1],
  ['slides with sound', 'slides', SLIDES, 1],
  ['slides without', 'silent', SLIDES, 4],
] as const)('%s', (name, id, image, title) => {
  test('a copy in every container passes its proof; one that ends too early does not', async () => {
    const disc = await openDisc(image);
    const whole = wholeTitleReel(titleOf(disc.reading, title), name);
    const lastMs = (truths[id]?.pictures.at(-1)?.at ?? Number.NaN) * 1000;
    // Of slides, what is not taken goes on after the last.
    for (const reel of id === 'slides' ? [whole, { ...whole, audio: [] }] : [whole]) {
      const master = path.join(folder, `${id} ${reel.audio.length}.mkv`);
      const { promise } = await writeMasterFile(disc, reel, master);
      const facts = encodeFacts(disc.reading, reel, promise.interlaced);
      if (!facts) throw new Error('no such title');
      for (const container of CONTAINERS.filter((c) => !SOUND_ONLY.has(c))) {
        const { video, audio } = ENCODES[container];
        const recipe: Recipe = {
          ...access,
          container,
          video: { ...access.video, codec: video[0] ?? 'H.264', quality: 30, effort: 'little' },
          audio: { ...access.audio, codec: audio[0] ?? 'AAC' },
        };
        const plan = planEncode(recipe, facts);
        const output = path.join(folder, `copy${CONTAINER_ENDING[container]}`);
        const order = { plan, master, masterMs: promise.durationMs, output, folder: `${output}.pieces`, application: 'test', pieceMs: 1e6 };
        await encodeCopy(order, { progress: () => undefined, note: () => undefined });
        const expected = expectationOf(plan, promise);
        const found = await examineCopy(output);
        expect([container, proveCopy(found, expected, promise).checks.filter((c) => !c.passed)]).toEqual([container, []]);
        // Not before the last picture has been shown.
        expect([container, found.durationMs > lastMs]).toEqual([container, true]);
        const early = `${output}.early${CONTAINER_ENDING[container]}`;
        const sooner = ['-t', ((expected.durationMs - 400) / 1000).toFixed(3), '-frames:v', String(found.frames - 1)];
        ffmpeg(['-y', '-i', output, '-c', 'copy', ...sooner, early]);
        const failed = proveCopy(await examineCopy(early), expected, promise).checks.flatMap((c) => (c.passed ? [] : [c.what]));
        // Where the one before the last stands as long as both, it is their number that is wrong.
        expect([container, failed.includes('duration') || failed.includes('packets')]).toEqual([container, true]);
      }
    }
    await disc.opened.close();
  });
});
