import type { CopyExpectation } from '../proof/prove-copy';
import type { MasterPromise } from '../proof/promise';
import { CARRIES_CHAPTERS } from './codecs';
import type { EncodePlan } from './encode-plan';

/** Film restored from pulldown has its own rate, however many of its pictures were coded; cuts and titles in video may make it more or less by a little. */
const FILM = { least: 0.97, most: 1.03 } as const;

/** What a copy by a plan must hold, of what it is made from. */
export function expectationOf(
  plan: EncodePlan,
  { frames, durationMs, chapters }: Pick<MasterPromise, 'frames' | 'durationMs' | 'chapters'>,
): CopyExpectation {
  const { framesPerFrame } = plan.video;
  const film = (durationMs / 1000) * plan.video.picturesPerSecond;
  // The last field of a title may have no partner.
  const [least, most] =
    framesPerFrame === null
      ? [Math.floor(film * FILM.least) - 1, Math.ceil(film * FILM.most) + 1]
      : framesPerFrame === 2
        ? [frames * 2 - 1, frames * 2]
        : [frames, frames];
  // A constant rate fills pauses of the disc: never more pictures than there is time for.
  const constant = plan.container === 'AVI' ? Math.ceil((durationMs / 1000) * plan.video.picturesPerSecond) + 2 : 0;
  return {
    leastFrames: Math.max(1, Math.min(least, frames)),
    mostFrames: Math.max(most, constant),
    durationMs,
    audioStreams: plan.audio.length,
    subtitleStreams: plan.subtitles.length,
    chapters: CARRIES_CHAPTERS.has(plan.container) ? chapters.length : 0,
  };
}
