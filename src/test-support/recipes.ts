import { SHIPPED, type Recipe } from '@/core/recipes';

const [ACCESS] = SHIPPED;
if (!ACCESS) throw new Error('no recipe is shipped');

/** A recipe as fast as its encoder can, and no more than 64 lines high: for tests of what surrounds an encode. */
export const quick = (recipe: Recipe): Recipe => ({
  ...recipe,
  video: { ...recipe.video, effort: 'little' },
  picture: { ...recipe.picture, mostRows: 64 },
});

/** Takes the place of the access copy where a job brings it along. */
export const QUICK: Recipe = quick(ACCESS);
