import type { AudioCodec, AudioTrack, Title } from '../reading';
import type { Reel } from './model';

/** Codecs that keep every sample. */
export const LOSSLESS: ReadonlySet<AudioCodec> = new Set<AudioCodec>([
  'LPCM',
  'TrueHD',
  'DTS-HD Master',
  'FLAC',
  'ALAC',
  'PCM',
  'PCM float',
]);

/**
 * A track without loss that says the same as a lossy one, and that the reel does not take: in the same language, for the same purpose,
 * with as many channels. Null where there is none, or the reel has it as well.
 */
export function losslessLeft(title: Pick<Title, 'audio'>, reel: Pick<Reel, 'audio'>, track: AudioTrack): AudioCodec | null {
  if (LOSSLESS.has(track.codec)) return null;
  const isTwin = (other: AudioTrack) =>
    LOSSLESS.has(other.codec) &&
    other.language === track.language &&
    (other.purpose ?? 'normal') === (track.purpose ?? 'normal') &&
    other.channels >= track.channels;
  const twins = title.audio.filter(isTwin);
  const taken = new Set(reel.audio.map((t) => t.stream));
  return twins.some((t) => taken.has(t.stream)) ? null : (twins[0]?.codec ?? null);
}
