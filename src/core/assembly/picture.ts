import type { ColourCodes, Hdr10 } from '../streams';
import { AccessUnitFramer } from './access-unit-framer';
import { H264Codec } from './unit-codecs';
import type { VideoFramer } from './video-framer';

/** What the stream's own headers say of the picture. */
export interface PictureDescription {
  readonly widthPixels: number;
  readonly heightPixels: number;
  /** Null where the header says nothing that is allowed. */
  readonly displayAspect: readonly [number, number] | null;
  readonly frameTicks: number;
  /** Where the stream is MPEG video: of the first standard. Tables of discs do not always say so. */
  readonly mpeg1: boolean;
  readonly bitDepth: number;
  /** 1: 4:2:0, 2: 4:2:2, 3: 4:4:4. */
  readonly chroma: number;
  readonly colour: ColourCodes | null;
  readonly hdr10: Hdr10 | null;
  /** What the container says before the first picture; null where it is taken out of that picture. */
  readonly configuration: Uint8Array | null;
  /** The same for the second view. */
  readonly secondView: Uint8Array | null;
}

/** @returns null before the first picture. */
export function describePicture(video: VideoFramer | AccessUnitFramer): PictureDescription | null {
  const none = { mpeg1: false, bitDepth: 8, chroma: 1, colour: null, hdr10: null, configuration: null, secondView: null };
  if (!(video instanceof AccessUnitFramer)) return video.sequence && { ...none, ...video.sequence, mpeg1: !video.sequence.mpeg2 };
  const { format } = video.codec;
  if (!format) return null;
  const dependent = video.companion?.codec;
  return {
    ...format,
    mpeg1: false,
    displayAspect: [format.widthPixels * format.sampleAspect[0], format.heightPixels * format.sampleAspect[1]],
    frameTicks: video.frameTicks,
    hdr10: video.codec.hdr10,
    configuration: video.codec.configuration(),
    secondView: dependent instanceof H264Codec ? H264Codec.secondView(dependent) : null,
  };
}
