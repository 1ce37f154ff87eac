import type { CopyExpectation } from '../proof/prove-copy';
import type { MasterPromise } from '../proof/promise';
import type { EncodePlan, Rate } from './encode-plan';

/** Film restored from pulldown has its own rate, however many of its pictures were coded; cuts and titles in video may make it more or less by a little. */
const FILM = { least: 0.97, most: 1.03 } as const;

const rateOf = ({ numerator, denominator }: Rate): number => numerator / denominator;

/** What a copy by a plan must hold, of what it is made from. */
export function expectationOf(
  plan: EncodePlan,
  { frames: all, durationMs, chapters }: Pick<MasterPromise, 'frames' | 'durationMs' | 'chapters'>,
): CopyExpectation {
  const frames = plan.soundOnly ? 0 : all;
  const { framesPerFrame } = plan.video;
  const film = ((durationMs * plan.slower) / 1000) * plan.video.picturesPerSecond;
  // The last field of a title may have no partner.
  const [least, most] =
    framesPerFrame === null
      ? [Math.floor(film * FILM.least) - 1, Math.ceil(film * FILM.most) + 1]
      : framesPerFrame === 2
        ? [frames * 2 - 1, frames * 2]
        : [frames, frames];
  // A constant rate fills pauses of the disc: never more pictures than there is time for.
  const lasts = (durationMs * plan.slower) / 1000;
  const constant = plan.video.constant ? Math.ceil(lasts * Math.max(plan.video.picturesPerSecond, rateOf(plan.video.constant))) + 2 : 0;
  return {
    // Where pictures come faster than the constant rate, some are left: the last or the first, or those between film and video.
    leastFrames: Math.max(
      Math.min(1, frames),
      plan.video.constant ? Math.floor(Math.min(least, frames, lasts * rateOf(plan.video.constant))) - 2 : Math.min(least, frames),
    ),
    mostFrames: Math.max(most, constant),
    durationMs: durationMs * plan.slower,
    audioStreams: plan.audio.length,
    subtitleStreams: plan.subtitles.length,
    chapters: plan.chapters ? chapters.length : 0,
    covers: plan.cover ? 1 : 0,
    slower: plan.slower,
  };
}
