import { spawnSync } from 'node:child_process';
import { readdirSync, statSync } from 'node:fs';
import path from 'node:path';
import {
  SHIPPED,
  divideEncode,
  encoderArguments,
  planEncode,
  type SourcePicture,
  type EncodeFacts,
  type EncodePlan,
  type Recipe,
} from '@/core/recipes';
import { encodeCopy, picturesOf } from '@/node/encode-pieces';
import { temporaryFolder } from './discs';
import { NO_BARS, factsOf, ffmpeg } from './encodes';
import { decodedFrames, likeness, shownAt } from './ffmpeg';

/**
 * A picture encoded in pieces against the same one encoded whole by FFmpeg alone: no picture more or less, none at another time, the
 * sound where it was, nothing seen where pieces meet.
 */

const folder = temporaryFolder();
const PIECE_MS = 1800;
let count = 0;
const name = (extension: string) => path.join(folder, `${++count}.${extension}`);

const PICTURE = 's=192x160:d=8';
export const source = (rate: string, encode: readonly string[]): string => {
  const file = name('mkv');
  const inputs = ['-f', 'lavfi', '-i', `testsrc2=${PICTURE}:r=${rate}`, '-f', 'lavfi', '-i', 'sine=b=4:r=48000:d=8'];
  ffmpeg([...inputs, ...['-map', '0', '-map', '1', '-c:a', 'ac3'], ...encode, file]);
  return file;
};
export const MPEG2 = ['-c:v', 'mpeg2video', '-q:v', '3', '-g', '12', '-bf', '2'];

const access = SHIPPED[0] as Recipe;
export const facts = (more: Partial<EncodeFacts> = {}, frameTicks = 1_080_000): EncodeFacts => ({
  ...factsOf({ widthPixels: 192, heightPixels: 160, frameTicks }, null),
  flaggedInterlaced: false,
  audio: [{ codec: 'AC-3', channels: 1, name: '' }],
  ...more,
});

/** How many more times one list has than another, and by how many microseconds they differ at the most. */
const apart = (a: readonly number[], b: readonly number[]) => ({
  more: a.length - b.length,
  by: Math.max(...a.map((t, i) => Math.abs(t - (b[i] ?? t)))),
});

export const order = (plan: EncodePlan, master: string) => ({
  plan,
  master,
  masterMs: 8_000,
  output: name('out'),
  folder: path.join(folder, `pieces ${count}`),
  application: 'test',
  pieceMs: PIECE_MS,
});
const joinsOf = (plan: EncodePlan, pictures: readonly SourcePicture[]): number[] =>
  divideEncode(plan, pictures, PIECE_MS).flatMap(({ fromMs }) => (fromMs === null ? [] : [fromMs]));
export const silent = { progress: () => undefined, note: () => undefined };

function whole(plan: EncodePlan, master: string): string {
  const file = name('whole');
  const { status, stderr } = spawnSync('ffmpeg', encoderArguments(plan, master, file), { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return file;
}

export const recipeOf = (
  more: Partial<Recipe>,
  video: Partial<Recipe['video']> = {},
  picture: Partial<Recipe['picture']> = {},
): Recipe => ({
  ...access,
  ...more,
  video: { ...access.video, effort: 'little', ...video },
  picture: { ...access.picture, ...picture },
});

const interlaced = [...MPEG2, '-vf', 'tinterlace=mode=interleave_top', '-flags', '+ilme+ildct', '-top', '1'];
const telecined = ['-vf', 'telecine=pattern=23', ...MPEG2, '-flags', '+ilme+ildct', '-top', '1'];

interface PieceCase {
  readonly name: string;
  readonly file: () => string;
  readonly recipe: Recipe;
  readonly facts: EncodeFacts;
}

export const CASES: readonly PieceCase[] = [
  { name: 'H.264 in MP4', file: () => source('25', MPEG2), recipe: recipeOf({}), facts: facts() },
  {
    name: 'fields that become frames, filtered, in HEVC',
    file: () => source('50', interlaced),
    recipe: recipeOf({ container: 'Matroska' }, { codec: 'HEVC' }, { deinterlace: 'fields', denoise: 'light' }),
    facts: facts({ flaggedInterlaced: true }),
  },
  {
    name: 'film restored',
    file: () => source('24000/1001', telecined),
    recipe: recipeOf({ container: 'QuickTime' }),
    facts: facts({ measured: { scan: 'film with pulldown', combed: 0.4, bars: NO_BARS } }, 900_900),
  },
  {
    name: 'VP9 and Opus in WebM',
    file: () => source('25', MPEG2),
    recipe: recipeOf({ container: 'WebM', audio: { ...access.audio, codec: 'Opus' } }, { codec: 'VP9' }),
    facts: facts(),
  },
  { name: 'AV1', file: () => source('25', MPEG2), recipe: recipeOf({}, { codec: 'AV1' }), facts: facts() },
  {
    name: 'FFV1',
    file: () => source('25', MPEG2),
    recipe: recipeOf({ container: 'Matroska', audio: { ...access.audio, codec: 'FLAC' } }, { codec: 'FFV1', quality: null }),
    facts: facts(),
  },
];

/** A copy made in pieces is the same film as the one made whole, picture by picture. */
export async function expectSameFilm({ file, recipe, facts: known }: PieceCase): Promise<void> {
  const master = file();
  const plan = planEncode(recipe, known);
  const divided = order(plan, master);
  const { pieces } = await encodeCopy(divided, silent);
  expect(pieces).toBeGreaterThanOrEqual(4);
  // Until the copy is flushed and known, they are all there is of it.
  expect(readdirSync(divided.folder).filter((n) => n.endsWith('.mkv'))).toHaveLength(pieces);
  const undivided = whole(plan, master);
  // Pieces count milliseconds: where the whole does not, rounding is all that they differ by.
  for (const stream of ['v:0', 'a:0']) {
    const { more, by } = apart(shownAt(divided.output, stream), shownAt(undivided, stream));
    expect({ stream, more, close: by <= 500 }).toEqual({ stream, more: 0, close: true });
  }
  expect(decodedFrames(divided.output, 'a:0')).toEqual(decodedFrames(undivided, 'a:0'));
  // And as its source has it, from the first picture on.
  if (plan.video.framesPerFrame === 1) {
    const fromFirst = (times: readonly number[]) => times.map((t) => t - (times[0] ?? 0));
    expect(apart(fromFirst(shownAt(divided.output, 'v:0')), fromFirst(shownAt(master, 'v:0')))).toEqual({ more: 0, by: 0 });
  }
  // What the treatments alone make of it, without loss and without pieces.
  const treated = whole({ ...plan, container: 'Matroska', video: { ...plan.video, codec: 'FFV1' } }, master);
  const [inPieces, inOne] = [likeness(divided.output, treated), likeness(undivided, treated)];
  expect(inPieces).toHaveLength(inOne.length);
  const joins = joinsOf(plan, await picturesOf(master)).map((ms) => Math.round((ms / 8_000) * inOne.length));
  expect(joins).toHaveLength(pieces - 1);
  const isNear = (i: number) => joins.some((j) => Math.abs(i - j) <= 3);
  const [near, far] = [inPieces.filter((_, i) => isNear(i)), inPieces.filter((_, i) => !isNear(i))];
  expect(Math.min(...near)).toBeGreaterThan(Math.min(...far) - 0.003);
  expect(Math.min(...inPieces)).toBeGreaterThan(Math.min(...inOne) - 0.01);
  // Of pieces of two seconds; usual ones are sixty times as long.
  expect(statSync(divided.output).size / statSync(undivided).size).toBeLessThan(1.06);
}
