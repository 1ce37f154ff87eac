import { copyFileSync, statSync } from 'node:fs';
import path from 'node:path';
import {
  clipArguments,
  encodedPicture,
  encoderArguments,
  inOnePass,
  plainPicture,
  planEncode,
  playsInPage,
  shownMs,
  treatedPicture,
  viewsUntreated,
  type EncodeFacts,
  type EncodePlan,
  type Recipe,
} from '@/core/recipes';
import { encodeFacts, reelMs } from '@/core/reels';
import { WorkError, type RehearsalLine } from '@/contract';
import { asDecoded } from './both-views';
import { clipReel, withClipFolder, writeClip, type Clip, type LookedAt } from './clips';
import { withEncodeFolder } from './encode-folder';
import { openFileSink } from './library';
import { asLoudAsWished } from './loudness';
import { spreadPieces } from './measure';
import { runProgram } from './program';
import { writeReel } from './write-reel';

/** A recipe tried on a moment of a reel before anything is queued: the same picture before, treated, and encoded. */

/** Film before the moment: filters look back on it, and encoders get going. */
const BEFORE_MS = 1200;
const AFTER_MS = 500;
export const SAMPLE_MS = 10_000;
const MOST_PICTURE_BYTES = 16 * 1024 * 1024;

async function pictureBy(
  args: readonly string[],
  signal: AbortSignal,
  cwd?: string,
): Promise<{ jpeg: string | null; errors: readonly string[] }> {
  const chunks: Buffer[] = [];
  let bytes = 0;
  const { errors } = await runProgram('ffmpeg', args, {
    signal,
    cwd,
    read: async (stdout) => {
      for await (const chunk of stdout) if ((bytes += (chunk as Buffer).byteLength) < MOST_PICTURE_BYTES) chunks.push(chunk as Buffer);
    },
  });
  return { jpeg: bytes > 0 ? `data:image/jpeg;base64,${Buffer.concat(chunks).toString('base64')}` : null, errors };
}

/** What is known of a clip for its plan. @throws WorkError `bad-request` where the reel's title is not there. */
export function planOfClip(
  looked: LookedAt,
  recipe: Recipe,
  { interlaced }: Pick<Clip, 'interlaced'>,
): { plan: EncodePlan; facts: EncodeFacts } {
  const facts = encodeFacts(
    looked.reading,
    {
      ...clipReel(looked, 0, 1),
      bars: looked.reel.bars,
      packed: looked.reel.packed,
      firstEye: looked.reel.firstEye,
      subtitleDepth: looked.reel.subtitleDepth,
    },
    interlaced,
  );
  if (!facts) throw new WorkError('bad-request', 'The reel takes a title that its reading does not have');
  // A size that is wished is one of the whole.
  const whole = { ...facts, hardware: looked.hardware ?? [], durationMs: reelMs(looked.reading.titles, looked.reel.pieces) };
  return { plan: inOnePass(planEncode(recipe, whole)), facts: whole };
}

interface Watch {
  readonly signal: AbortSignal;
  readonly say: (line: RehearsalLine) => void;
}

/**
 * Says pictures as they are had: the one before and the treated one first, then the encoded one.
 * @param atMs moment of the title. @throws WorkError `encoder-failed`; what reading the source throws.
 */
export function rehearseStill(looked: LookedAt, recipe: Recipe, atMs: number, { signal, say }: Watch): Promise<void> {
  return withClipFolder(async (folder) => {
    const fromMs = Math.max(0, Math.min(atMs, looked.title.durationMs - 200) - BEFORE_MS);
    const clip = await writeClip(looked, fromMs, atMs + AFTER_MS, path.join(folder, 'clip.mkv'), signal);
    const { plan, facts } = planOfClip(looked, recipe, clip);
    const decoded = await asDecoded(plan, clip.file, path.join(folder, 'both.mkv'), signal);
    return withEncodeFolder(plan, { source: clip.file }, async (cwd) => {
      const frameMs = facts.video.frameTicks / 27_000;
      const wished = Math.max(0, Math.min(atMs - clip.fromMs, clip.durationMs - 3 * frameMs)) - frameMs / 4;
      const copied = plan.video.codec === 'copy';
      const treating = copied ? null : pictureBy(treatedPicture(plan, decoded, wished, facts), signal, cwd);
      // Film that is restored has its own times: the picture that was taken is the one that is shown. Else both are had at once.
      const isFilm = plan.video.steps.some((s) => s.kind === 'film');
      const ms = isFilm ? (shownMs((await treating)?.errors ?? []) ?? wished + frameMs / 4) - frameMs / 4 : wished;
      const bare = viewsUntreated(plan);
      const [treated, { jpeg: plain }, both] = await Promise.all([
        treating,
        pictureBy(plainPicture(clip.file, ms, facts), signal),
        bare && pictureBy(treatedPicture(bare, decoded, ms, facts), signal, cwd),
      ]);
      const before = both ? both.jpeg : plain;
      if (!before || !plain) throw new WorkError('encoder-failed', 'There is no picture at this moment');
      say({ type: 'pictures', before, plain: both && plain, treated: treated?.jpeg ?? null, copied });
      if (copied) return;
      const encoded = path.join(folder, 'encoded.mkv');
      const began = performance.now();
      await runProgram('ffmpeg', clipArguments(plan, decoded, encoded), { signal, cwd });
      const tookMs = performance.now() - began;
      const { jpeg } = await pictureBy(encodedPicture(plan, encoded, ms, facts), signal);
      if (!jpeg) throw new WorkError('encoder-failed', 'The encoder gave no picture at this moment');
      const bytesPerSecond = Math.round(statSync(encoded).size / (clip.durationMs / 1000));
      say({ type: 'encoded', picture: jpeg, bytesPerSecond, pace: clip.durationMs / tookMs });
    });
  });
}

const PAGE_PICTURE = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '12', '-pix_fmt', 'yuv420p'];

/** What the reel's tracks sound like all over its title, as they are listened to elsewhere: in stretches spread over it. */
async function writeSpread({ opened, reading, title, reel }: LookedAt, file: string, signal: AbortSignal): Promise<void> {
  const pieces = spreadPieces(title, reel.pieces[0]?.angle ?? 1);
  const spread = { ...clipReel({ title, reel }, 0, 1), pieces, subtitles: [] };
  const sink = await openFileSink(file);
  try {
    await writeReel(opened, reading, spread, sink, { signal, onProgress: () => undefined });
  } finally {
    await sink.abandon();
  }
}

/**
 * Ten seconds of the copy as it will be, in a file. Where pages can not play its codecs, they are turned into some that they can, with
 * as little loss as can be seen. Where a loudness is wished, they are as loud as stretches spread over the title say that the copy will be.
 * @returns the type of the file. @throws WorkError `encoder-failed`; what reading the source throws.
 */
export function rehearseSample(looked: LookedAt, recipe: Recipe, atMs: number, output: string, signal: AbortSignal): Promise<string> {
  return withClipFolder(async (folder) => {
    const fromMs = Math.max(0, Math.min(atMs, looked.title.durationMs - SAMPLE_MS));
    const clip = await writeClip(
      looked,
      fromMs,
      Math.min(looked.title.durationMs, fromMs + SAMPLE_MS),
      path.join(folder, 'clip.mkv'),
      signal,
    );
    const { plan: planned } = planOfClip(looked, recipe, clip);
    const isLoudnessWished = planned.audio.some((track) => track.loudness !== null);
    const spread = path.join(folder, 'spread.mkv');
    if (isLoudnessWished) await writeSpread(looked, spread, signal);
    const plan = isLoudnessWished ? await asLoudAsWished(planned, spread, { signal, note: () => undefined }) : planned;
    const encoded = path.join(folder, 'encoded');
    const decoded = await asDecoded(plan, clip.file, path.join(folder, 'both.mkv'), signal);
    await withEncodeFolder(plan, { source: clip.file }, (cwd) =>
      runProgram('ffmpeg', encoderArguments(plan, decoded, encoded), { signal, cwd }),
    );
    const type = playsInPage({ recipe: recipe.id, copy: { recipe } });
    if (type?.startsWith('audio/')) {
      copyFileSync(encoded, output);
      return type;
    }
    const plain = ['-hide_banner', '-nostdin', '-y', '-loglevel', 'error', '-i', encoded, '-map', '0:v:0?', '-map', '0:a:0?'];
    const square = ['-vf', 'scale=iw*sar:ih,setsar=1'];
    const turned = type
      ? ['-map', '0:a?', '-c', 'copy', ...(type === 'video/mp4' ? ['-movflags', '+faststart', '-f', 'mp4'] : ['-f', 'webm'])]
      : [...square, ...PAGE_PICTURE, '-c:a', 'aac', '-ac', '2', '-b:a', '192k', '-movflags', '+faststart', '-f', 'mp4'];
    await runProgram('ffmpeg', [...(type ? plain.slice(0, -2) : plain), '-map_chapters', '-1', ...turned, output], { signal });
    return type ?? 'video/mp4';
  });
}
