import type { CopyExpectation } from '../proof/prove-copy';
import { packetDistanceMs, type MasterPromise } from '../proof/promise';
import type { EncodePlan, Rate } from './encode-plan';

/** Film restored from pulldown has its own rate, however many of its pictures were coded; cuts and titles in video may make it more or less by a little. */
const FILM = { least: 0.97, most: 1.03 } as const;

const rateOf = ({ numerator, denominator }: Rate): number => numerator / denominator;

/** A packet of sound lasts about so long, where nothing is known of them. */
const PACKET_MS = 20;
/** Between packets further apart there was nothing to hear. */
const LONGEST_PACKET_MS = 200;

/** How long the last packet of a track lasts, which is not noted: it may be whole, or nearly nothing. Half of what they last on an average. */
function lastPacketMs(track: MasterPromise['tracks'][number]): number {
  const distance = packetDistanceMs(track);
  return distance === null ? PACKET_MS : Math.min(distance, LONGEST_PACKET_MS) / 2;
}

type Told = Pick<MasterPromise, 'tracks' | 'durationMs'>;

/** When each track of sound of a copy ends. @param cut a file of sound: what is missing before sound that is taken as it is is not filled. */
function soundEnds({ audio, slower }: EncodePlan, { tracks, durationMs }: Told, cut: boolean): number[] {
  const sounds = tracks.filter((t) => t.kind === 'audio');
  return audio.map(({ source, codec, delayMs }) => {
    const sound = sounds[source];
    // Early versions did not note it.
    if (!sound || sound.toMs === null) return durationMs * slower + delayMs;
    const begins = cut && codec === 'copy' ? (sound.fromMs ?? 0) : 0;
    return (sound.toMs - begins + lastPacketMs(sound)) * slower + delayMs;
  });
}

/**
 * How long a copy is: until its picture and its sound have ended, whichever is later. That may be sooner than the end of the film: no
 * container says how long a last picture is held, and sound that is not taken may go on.
 */
function lengthMs(plan: EncodePlan, promise: Told): number {
  if (plan.soundOnly) return Math.max(0, ...soundEnds(plan, promise, true));
  const last = promise.tracks.find((t) => t.kind === 'video')?.toMs ?? null;
  const { slower, video } = plan;
  const pictureMs = last === null ? promise.durationMs * slower : last * slower + 1000 / video.picturesPerSecond;
  return Math.max(pictureMs, ...soundEnds(plan, promise, false));
}

/** What a copy by a plan must hold, of what it is made from. */
export function expectationOf(
  plan: EncodePlan,
  promise: Pick<MasterPromise, 'frames' | 'durationMs' | 'chapters' | 'tracks'>,
): CopyExpectation {
  const { frames: all, durationMs, chapters } = promise;
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
    durationMs: lengthMs(plan, promise),
    audioStreams: plan.audio.length,
    subtitleStreams: plan.subtitles.length,
    chapters: plan.chapters ? chapters.length : 0,
    covers: plan.cover ? 1 : 0,
    slower: plan.slower,
  };
}
