import { RECIPE_VERSION, type Recipe, type RecipeId } from './recipe';

const PLAIN: Omit<Recipe, 'id' | 'name' | 'note' | 'suffix'> = {
  version: RECIPE_VERSION,
  container: 'MP4',
  video: { codec: 'H.264', quality: 20, effort: 'medium', tuning: 'none', keySeconds: null },
  picture: { deinterlace: 'measured', film: 'measured', bars: 'keep', mostRows: null, pixels: 'as they are', denoise: 'none' },
  audio: { codec: 'AAC', kbpsPerChannel: null, mostChannels: 8, stereoBeside: false, tracks: 'all' },
  subtitles: { kept: 'all', drawn: 'none' },
};

/** Recipes that come with the application, by what they are for. They can not be changed, but copied and then changed. */
export const SHIPPED: readonly Recipe[] = [
  { ...PLAIN, id: 'access', name: 'Access copy', note: 'For every day: close to the source at a fifth of its size', suffix: '' },
  {
    ...PLAIN,
    id: 'lending',
    name: 'Lending copy',
    note: 'Small, and plays on old and new devices alike: square pixels, stereo, no more than 720 rows',
    suffix: ' (lending)',
    video: { ...PLAIN.video, quality: 23, keySeconds: 2 },
    picture: { ...PLAIN.picture, bars: 'crop', pixels: 'square', mostRows: 720 },
    audio: { ...PLAIN.audio, mostChannels: 2 },
    subtitles: { kept: 'all', drawn: 'forced' },
  },
  {
    ...PLAIN,
    id: 'catalogue-page',
    name: 'For a catalogue page',
    note: 'Open codecs for pages of a web catalogue, first audio track only',
    container: 'WebM',
    suffix: ' (page)',
    video: { ...PLAIN.video, codec: 'VP9', quality: 33, keySeconds: 5 },
    picture: { ...PLAIN.picture, bars: 'crop', pixels: 'square', mostRows: 576 },
    audio: { ...PLAIN.audio, codec: 'Opus', mostChannels: 2, tracks: 'first' },
    subtitles: { kept: 'none', drawn: 'forced' },
  },
  {
    ...PLAIN,
    id: 'shelf-saver',
    name: 'Shelf saver',
    note: 'As small as today’s codecs make it with all tracks, where space is short',
    container: 'Matroska',
    suffix: ' (small)',
    video: { ...PLAIN.video, codec: 'AV1', quality: 32 },
    audio: { ...PLAIN.audio, codec: 'Opus' },
  },
  {
    ...PLAIN,
    id: 'preservation',
    name: 'Preservation frames',
    note: 'Every decoded frame without loss, each with its check word, for when old codecs are no longer read',
    container: 'Matroska',
    suffix: ' (frames)',
    video: { ...PLAIN.video, codec: 'FFV1', quality: null },
    picture: { ...PLAIN.picture, deinterlace: 'never', film: 'never' },
    audio: { ...PLAIN.audio, codec: 'FLAC' },
  },
  {
    ...PLAIN,
    id: 'other-box',
    name: 'Same streams in MP4',
    note: 'Nothing is encoded where the container carries it as it is',
    suffix: ' (as it is)',
    video: { ...PLAIN.video, codec: 'as it is', quality: null },
    audio: { ...PLAIN.audio, codec: 'as it is' },
  },
];

/** All recipes by their identifiers: those that come with the application, and others, which come before them. */
export const recipesById = (others: readonly Recipe[] = []): ReadonlyMap<RecipeId, Recipe> =>
  new Map([...SHIPPED, ...others].map((recipe) => [recipe.id, recipe]));
