import '@/test-support/browser';
import { SHIPPED, copyBytes, planEncode, recipesById, type Recipe, type TrialResult } from '@/core/recipes';
import { encodeFacts, estimateReel, wholeTitleReel } from '@/core/reels';
import { sketchReading } from '@/test-support/readings';
import { catalogue, openArchive } from './archive';
import { rememberTrial, settingsOf, trialOf } from './trials';

const ARCHIVE = { id: '00000000-0000-4000-8000-000000000001', name: 'Trials', madeAt: '2026-01-01', isOlder: false };
const access = SHIPPED[0] as Recipe;
const result: TrialResult = {
  samples: [],
  ssim: 0.99,
  worstSsim: 0.98,
  psnrDb: 44,
  pictureBytes: 3_000_000,
  leastBytes: 2e6,
  mostBytes: 4e6,
  pace: 3,
};

beforeAll(() => openArchive(ARCHIVE, []));

test('a trial counts for the same settings of the same title, whatever the recipe is called, and for no others', async () => {
  await rememberTrial('f', 1, access, 60_000, result);
  await rememberTrial('f', 1, access, 60_000, { ...result, pictureBytes: 3_100_000 });
  const trials = await catalogue().trials.where('fingerprint').equals('f').toArray();
  expect(trials).toHaveLength(1);
  const renamed: Recipe = { ...access, id: 'own-x', name: 'Another', suffix: ' (x)', audio: { ...access.audio, codec: 'FLAC' } };
  expect(trialOf(trials, 1, renamed)?.result.pictureBytes).toBe(3_100_000);
  expect(trialOf(trials, 2, access)).toBeNull();
  expect(trialOf(trials, 1, { ...access, picture: { ...access.picture, bars: 'crop' } })).toBeNull();
  const video = (quality: number | null): Recipe => ({ ...access, video: { ...access.video, quality } });
  expect(settingsOf(video(null))).toBe(settingsOf(video(20)));
  expect(settingsOf(video(null))).not.toBe(settingsOf(video(21)));
});

test('what was tried is what is expected, in proportion; experience with other titles does not change it', () => {
  const reading = sketchReading([{ parts: ['a:60'] }]);
  const [title] = reading.titles;
  if (!title) throw new Error('no title');
  const reel = { ...wholeTitleReel(title, 'Film'), recipes: ['access'] };
  const recipes = recipesById([access]);
  const expected = (picture: number | null) =>
    estimateReel(reading, reel, recipes, {
      factors: new Map([['access', 3]]),
      tried: (number) => (picture !== null && number === title.number ? { bytes: picture, ms: title.durationMs } : null),
    }).copyBytes.get('access') ?? 0;
  const facts = encodeFacts(reading, reel);
  if (!facts) throw new Error('no facts');
  const usual = copyBytes(planEncode(access, facts), facts, title.durationMs, 1e9);
  expect(Math.abs(expected(null) - 3 * usual)).toBeLessThan(3);
  // Twice the picture is that much more, and its container's share.
  expect(Math.abs((expected(4_000_000) - expected(2_000_000)) / 2_020_000 - 1)).toBeLessThan(0.001);
});
