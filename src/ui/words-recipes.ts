import { MASTER, SOUND_ONLY, type CopyVideo, type Obstacle, type Reason, type Recipe, type RecipeId } from '@/core/recipes';
import type { Sidecar } from '@/contract';
import { bytes, list as listAnd } from './format';

const list = (items: readonly string[]): string => listAnd(items).replace(/ and ([^,]*)$/, ' or $1');

/** Recipes and what they do, in words. */

export const MASTER_NAME = 'Lossless master';
const MASTER_NOTE = 'Matroska, the disc’s own streams';
/** Copies of earlier versions, beside which no recipe is written. */
const PLAIN_COPY = 'Access copy';

export const recipeName = (id: RecipeId, recipes: ReadonlyMap<RecipeId, Pick<Recipe, 'name'>>): string =>
  id === MASTER ? MASTER_NAME : (recipes.get(id)?.name ?? `a recipe that is not there any more (${id})`);

export const recipeNote = (id: RecipeId, recipes: ReadonlyMap<RecipeId, Recipe>): string =>
  id === MASTER ? MASTER_NOTE : (recipes.get(id)?.note ?? '');

/** What a result is, by its sidecar. */
export const resultName = ({ recipe, copy }: { recipe: RecipeId; copy: { recipe: Pick<Recipe, 'name'> } | Sidecar['copy'] }): string =>
  recipe === MASTER ? MASTER_NAME : (copy?.recipe.name ?? PLAIN_COPY);

/** "MP4, H.264 at 20, AAC": a recipe in a line. */
export function recipeLine({ container, video, audio, picture, views }: Recipe): string {
  const quality =
    video.rate?.kind === 'size'
      ? ` in ${video.rate.megabytes} MB`
      : video.rate
        ? ` of ${video.rate.kbps} kbit/s`
        : video.quality === null
          ? ''
          : ` at ${video.quality}`;
  if (SOUND_ONLY.has(container)) return `${container}, sound alone`;
  const streams = video.codec === 'as it is' ? 'picture as it is' : `${video.codec}${quality}`;
  const rows = picture.mostRows === null ? '' : `, ${picture.mostRows} rows at the most`;
  const eyes = views.layout === 'kept' ? '' : `, ${views.layout}`;
  return `${container}, ${streams}${eyes}${rows}, ${audio.codec === 'as it is' ? 'sound as it is' : audio.codec}`;
}

export const EFFORT_NOTE =
  'More effort makes smaller files of the same quality, and takes three to five times as long from one step to the next.';
export const RATE_NOTE =
  'A size or a rate that is wished is met, whatever the film: easy films get more than they need, hard ones less. By quality, every film gets what it needs.';
export const QUALITY_NOTE: Readonly<Record<CopyVideo, string>> = {
  'as it is': 'Nothing is encoded.',
  'H.264':
    'Smaller numbers are better and larger: 6 less doubles the size. 18 is hard to tell from the source, 23 is plain to see on still pictures.',
  HEVC: 'Smaller numbers are better and larger: 6 less doubles the size. 22 is about what 20 is for H.264, at two thirds of its size.',
  'HEVC, 10 bit': 'Smaller numbers are better and larger: 6 less doubles the size. Ten bits keep smooth skies smooth.',
  AV1: 'Smaller numbers are better and larger: about 11 less doubles the size.',
  VP9: 'Smaller numbers are better and larger: about 11 less doubles the size.',
  'MPEG-2': 'Smaller numbers are better and larger: 4 is hard to tell from the source. Two to three times as large as H.264.',
  'MPEG-4': 'Smaller numbers are better and larger: for players that know nothing newer.',
  FFV1: 'Every frame as it was decoded: there is no quality to choose, and files are large.',
};

const VIEW_NAMES: Readonly<Record<string, string>> = {
  'left eye': 'the left eye’s alone',
  'right eye': 'the right eye’s alone',
  'red and cyan': 'one picture for glasses in red and cyan',
  'red and cyan, grey': 'one picture in grey for glasses in red and cyan',
  'green and magenta': 'one picture for glasses in green and magenta',
  'yellow and blue': 'one picture for glasses in yellow and blue',
};

const n = (v: string | number | undefined) => String(v ?? '');
const WORDS: Readonly<Record<Reason['code'], (v: Reason['values']) => string>> = {
  'video copied': ([codec]) => `The picture stays as it is: ${n(codec)}, nothing is encoded.`,
  'video can not be copied': ([codec, container]) => `${n(container)} does not carry ${n(codec)}: the picture is encoded instead.`,
  'video encoded': ([codec, quality]) => `The picture is encoded in ${n(codec)} at quality ${n(quality)}.`,
  'lossless video': () => 'Every decoded frame is kept without loss.',
  'codec not in container': ([codec, container, instead]) => `${n(container)} does not carry ${n(codec)}: ${n(instead)} is taken.`,
  'second view left': () =>
    'The title has two views; the copy shows the first one only. The recipe may say how it holds both eyes. The master keeps both.',
  'second view refused': ([why]) => `The copy shows the first view only, the master keeps both. ${n(why)}.`,
  'high dynamic range': ([range]) => `The picture is ${n(range)}, and eight bits can not hold that: choose HEVC in 10 bit or AV1.`,
  'depth reduced': ([from, to]) => `Of ${n(from)} bits a sample ${n(to)} are kept.`,
  'tuning left': ([codec]) => `${n(codec)} knows no kinds of picture: it is encoded as usual.`,
  'kept interlaced': () => 'The picture is interlaced and stays so: not every player shows that well.',
  'deinterlaced by samples': ([percent]) => `Samples show combing in ${n(percent)} % of the frames: it is deinterlaced.`,
  'deinterlaced by flags': () => 'Not measured yet: frames that the stream itself calls interlaced are deinterlaced, others left.',
  'deinterlaced by recipe': () => 'All frames are deinterlaced, as the recipe says.',
  'fields become frames': () => 'Each field becomes a frame: twice as many pictures a second.',
  'not interlaced': () => 'Samples show no combing: nothing to deinterlace.',
  'not interlaced by flags': () => 'The stream says that it is progressive: nothing to deinterlace.',
  'film restored': ([percent]) =>
    `Film spread over video (${n(percent)} % of the frames are mixed of two): the film’s own frames come back.`,
  'film as it is': () => 'Film with pulldown by flags only: its frames are whole, and stay.',
  'not measured': () => 'Black bars are not known before the title is measured: none are cut off.',
  'bars cropped': ([w, h]) => `Black bars go; ${n(w)} × ${n(h)} pixels stay.`,
  'bars by hand': () => 'Black bars as they were set by hand for this reel.',
  'crop cuts picture': ([rows]) =>
    `That cuts off ${n(rows)} rows and columns in which samples show picture: look at bright and dark moments before it is queued.`,
  'no bars': () => 'Samples show no black bars.',
  scaled: ([w, h, w2, h2]) => `Scaled from ${n(w)} × ${n(h)} to ${n(w2)} × ${n(h2)}.`,
  'shape kept': ([aspect]) => `Pixels are not square; the shape of ${n(aspect)} : 1 is written in the file.`,
  denoised: ([how]) =>
    how === 'thorough'
      ? 'Noise is filtered by likeness: edges stay, and it takes many times as long.'
      : how === 'strong'
        ? 'Noise is filtered strongly: fine grain goes with it.'
        : 'Noise is filtered lightly.',
  'not treated when copied': () => 'A picture that stays as it is can not be treated: cropping, scaling and deinterlacing do nothing.',
  'audio copied': ([codec]) => `${n(codec)}, as it is.`,
  'audio encoded': ([from, to, kbps]) => `${n(from)} becomes ${n(to)} of ${n(kbps)} kbit/s.`,
  'audio lossless': ([from, to]) => `${n(from)} becomes ${n(to)}, without loss from there on.`,
  'audio can not be copied': ([codec, container, instead]) => `${n(container)} does not carry ${n(codec)}: ${n(instead)} is taken.`,
  'mixed down': ([from, to]) => `${n(from)} channels are mixed down to ${n(to)}.`,
  'mixed down by itself': ([from, to]) => `${n(from)} channels are mixed down to ${n(to)}, in the proportions that the track itself names.`,
  'stereo beside': ([codec]) => `A stereo track in ${n(codec)} is put beside it.`,
  'audio left': () => 'Left: the recipe takes the first track only.',
  'no audio': () => 'The reel has no sound.',
  'subtitle kept': () => 'Kept as it is.',
  'subtitle converted': ([container]) => `Converted to the text that ${n(container)} carries.`,
  'subtitle left': ([container]) => `Left: ${n(container)} can not carry subtitles that are pictures.`,
  'brightness figures left': ([range]) => `The picture stays ${n(range)} in ten bits; the figures of its brightness are not carried over.`,
  'by rate': ([codec, kbps]) => `The picture is encoded in ${n(codec)} with ${n(kbps)} kbit/s on average.`,
  'by size': ([codec, megabytes, kbps]) =>
    `The whole is to take ${n(megabytes)} MB: ${n(kbps)} kbit/s are left for the picture, in ${n(codec)}. It is looked through once before it is encoded, and takes twice the time.`,
  'rate is thin': ([kbps]) => `${n(kbps)} kbit/s are little for a picture of this size: fewer rows would look better.`,
  'more than needed': ([kbps]) =>
    `That is more than any picture of this size has use for: ${n(kbps)} kbit/s are enough, and the file is smaller.`,
  'one pass only': ([codec]) => `${n(codec)} is encoded in one pass here: its size is met less exactly.`,
  turned: ([by, mirrored]) =>
    `The picture is ${[by === 'none' ? '' : by === 'half' ? 'turned upside down' : `turned to the ${n(by)}`, mirrored ? 'mirrored' : ''].filter(Boolean).join(' and ')}.`,
  'light changed': ([brightness, contrast, saturation, hue]) =>
    `Brightness ${n(brightness)} %, contrast ${n(contrast)} %, saturation ${n(saturation)} %${hue === 0 ? '' : `, colours turned by ${n(hue)}°`}.`,
  loudness: ([lufs]) => `Measured before it is encoded, and brought to ${n(lufs)} LUFS; never so loud that it clips.`,
  gain: ([db]) => `${Number(db) > 0 ? 'Louder' : 'Softer'} by ${n(Math.abs(Number(db)))} dB.`,
  delayed: ([ms]) => `Comes ${n(Math.abs(Number(ms)))} ms ${Number(ms) > 0 ? 'later' : 'earlier'}.`,
  'sound not treated': () => 'Sound that stays as it is can not be treated: loudness, gain and delay do nothing.',
  'hardware encoder': ([hardware]) =>
    `Encoded by this machine’s hardware (${n(hardware)}): sooner done, larger for the same quality, and in one go.`,
  'software encoder': ([codec]) => `This machine has no hardware that encodes ${n(codec)} like this: software does.`,
  'sound only': ([container]) =>
    `Sound alone, as ${n(container)}: nothing of the picture goes along. Divide the reel by chapters for a file of each.`,
  'one track only': ([container]) => `Left: ${n(container)} holds one track.`,
  'constant rate': ([rate]) =>
    `Every picture stands as long as every other, ${n(rate)} a second: where the film has pauses or another rate, pictures are shown twice or left.`,
  'speed given back': ([from, to]) =>
    `Sped up for television to ${n(from)} pictures a second, it runs with ${n(to)} again: no picture is added or left, and it takes about 4 % longer.`,
  'speed left': ([rate]) =>
    `The speed stays as it is: only a picture of 25 a second that is encoded can have been sped up for television (this one: ${n(rate)}).`,
  pitch: ([falls]) => (falls ? 'Slower, and as much lower as it was made higher.' : 'Slower, at the pitch that it has.'),
  'sound follows speed': ([codec]) => `Sound that runs slower must be encoded: ${n(codec)} is taken.`,
  'tone mapped': ([range]) => `${n(range)} is brought within what usual screens show: bright parts lose contrast.`,
  'range is standard': () => 'The picture is within what usual screens show: nothing to change.',
  'brightness figures carried': ([range]) => `The picture stays ${n(range)}, with the figures of the screen that it was graded on.`,
  marked: ([what, corner]) => `Over all of it stands ${what === 'picture' ? 'a picture' : `“${n(what)}”`}, ${n(corner)}.`,
  'square for the mark': () => 'Pixels are made square, so that the mark has its shape.',
  'deinterlaced thoroughly': () => 'A small neural network draws the rows between: slower, with smoother edges.',
  enlarged: ([w, h, w2, h2, times]) =>
    `Enlarged from ${n(w)} × ${n(h)} to ${n(w2)} × ${n(h2)}: ${n(times)} times as many pixels to encode and keep, and no detail that was not there. A trial says what it costs.`,
  'lossless twin left': ([codec, better]) =>
    `The reel takes ${n(codec)}, though the title has the same in ${n(better)}, without loss: take that one for better sound.`,
  'one view only': () => 'The picture holds one view: there is nothing to take apart.',
  'views put': ([layout, first]) =>
    first === undefined
      ? `Both views become ${VIEW_NAMES[n(layout)] ?? n(layout)}.`
      : `Both views stand ${n(layout)}, the ${n(first)} eye’s first.`,
  'views said': ([layout, first]) => `Both views stay ${n(layout)}, the ${n(first)} eye’s first; the copy says so of itself.`,
  'eye order not written': ([container]) =>
    `${n(container)} has no place that says whose view stands first: players take the left eye’s for it.`,
  'foreign dialogue': ([count]) =>
    `The title has ${n(count)} subtitles that are shown even while subtitles are off, and the reel takes no track that has them.`,
  'cover left': ([container]) => `${n(container)} has no place for the cover: it is left.`,
  'chapters left': ([container, count]) => `${n(container)} has no place for chapters: ${n(count)} are left.`,
  'rate made constant': () =>
    'AVI counts pictures and has no times: the rate is made constant. Where the disc pauses, a picture stands twice.',
  'subtitle drawn': () => 'Shown even while subtitles are off: drawn into the picture.',
  'subtitle in depth': ([depth]) =>
    `Each eye has them in a place of its own: they stand ${Number(depth) > 0 ? 'in front of' : 'behind'} the screen, by ${n(Math.abs(Number(depth)))} pixels of 1,920 in each.`,
  'subtitle can not be drawn': () => 'A kind of text that can not be drawn into the picture.',
  'subtitle drawn whole': () => 'Drawn into the picture, all of it: it can not be switched off.',
  'nothing to draw': () => 'The reel has no subtitles: nothing is drawn into the picture.',
  'nothing forced': () => 'No track is one that is shown even while subtitles are off: nothing is drawn into the picture.',
  'subtitles not wanted': ([count]) => `Left, as the recipe says: ${n(count)}.`,
};

/** A reason of a plan as a sentence. */
export const reasonText = ({ code, values }: Reason): string => WORDS[code](values);

const OBSTACLES: { readonly [W in Obstacle['what']]: (o: Extract<Obstacle, { what: W }>) => string } = {
  container: (o) => `stands in ${o.found}: ${list(o.allowed)} would do`,
  'video codec': (o) => `the picture is ${o.found}: ${list(o.allowed)} would do`,
  'bit depth': (o) => `${o.found} bits a sample: ${o.allowed} would do`,
  'picture size': (o) => `${o.found} pixels: no more than ${o.allowedRows} rows would do`,
  'picture rate': (o) => `${o.found} pictures a second at this size: ${o.allowed} would do`,
  interlaced: () => 'fields stay fields: deinterlacing would do',
  'pixel shape': () => 'pixels are not square: square ones would do',
  views: (o) => `has ${o.found === 1 ? 'one view' : `${o.found} views`}, where both eyes want their own`,
  'audio codec': (o) => `its first sound is ${o.found}: ${list(o.allowed)} would do`,
  channels: (o) => `its first sound has ${o.found} channels: ${o.allowed} would do`,
  'file size': (o) => `about ${bytes(o.found)}: files there end at ${bytes(o.allowed)}`,
};

/** What keeps a copy from playing on a class of players, and what would mend it. */
export const obstacleText = (obstacle: Obstacle): string => (OBSTACLES[obstacle.what] as (o: Obstacle) => string)(obstacle);
