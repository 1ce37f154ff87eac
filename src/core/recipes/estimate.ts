import { CONTAINER_SHARE, COPIED_KBPS, FLAC_KBPS_PER_CHANNEL, PCM_KBPS_PER_CHANNEL } from './codecs';
import type { EncodePlan } from './encode-plan';
import type { EncodeFacts } from './recipe';

/** What encoders have usually given: bits a pixel at a quality of each one's own scale, and how far the scale halves that. */
const BITS: Readonly<Record<Exclude<EncodePlan['video']['codec'], 'copy' | 'FFV1'>, { at: number; bits: number; halves: number }>> = {
  'H.264': { at: 20, bits: 0.11, halves: 6 },
  HEVC: { at: 22, bits: 0.07, halves: 6 },
  'HEVC, 10 bit': { at: 22, bits: 0.07, halves: 6 },
  AV1: { at: 30, bits: 0.06, halves: 11 },
  VP9: { at: 31, bits: 0.07, halves: 11 },
  'MPEG-2': { at: 4, bits: 0.35, halves: 4 },
  'MPEG-4': { at: 4, bits: 0.25, halves: 4 },
};
/** Of a frame without loss: films have grain, which no code makes small. */
const FFV1_BITS = 5.5;

/** What a trial said of the picture of a title: bytes of so many milliseconds. */
export interface TriedPicture {
  readonly bytes: number;
  readonly ms: number;
}

/**
 * Bytes that a copy is expected to take. Only a trial knows the picture: this is what is said before one.
 * @param masterBytes of the same reel: what is copied without being encoded takes about as much. @param tried what a trial said.
 */
export function copyBytes(
  plan: EncodePlan,
  facts: EncodeFacts,
  durationMs: number,
  masterBytes: number,
  tried: TriedPicture | null = null,
): number {
  const { video } = plan;
  const film = video.steps.some((s) => s.kind === 'film') ? 0.8 : 1;
  const pixels = ((video.widthPixels * video.heightPixels * 27e6) / facts.video.frameTicks) * (video.framesPerFrame ?? 1) * film;
  const perPixel =
    video.codec === 'copy'
      ? 0
      : video.codec === 'FFV1'
        ? FFV1_BITS
        : BITS[video.codec].bits * 2 ** ((BITS[video.codec].at - (video.quality ?? 0)) / BITS[video.codec].halves);
  const audio = plan.audio.reduce(
    (sum, a) =>
      sum +
      (a.codec === 'copy'
        ? COPIED_KBPS
        : a.codec === 'FLAC'
          ? FLAC_KBPS_PER_CHANNEL * a.channels
          : a.codec === 'PCM'
            ? PCM_KBPS_PER_CHANNEL * a.channels
            : (a.kbps ?? 0)) *
        1000,
    0,
  );
  const picture = tried ? (tried.bytes * 8000) / Math.max(1, tried.ms) : video.rate ? video.rate.kbps * 1000 : pixels * perPixel;
  // A slower film has as many pictures, and a rate that is wished is one of what is seen.
  const bytes = (picture * durationMs * (video.rate ? plan.slower : 1) + audio * durationMs * plan.slower) / 8000;
  if (plan.soundOnly) return Math.round((audio * durationMs * plan.slower * CONTAINER_SHARE[plan.container]) / 8000);
  return Math.round((video.codec === 'copy' ? masterBytes : bytes) * CONTAINER_SHARE[plan.container]);
}
