import type { ColourCodes, Hdr10 } from '../streams';

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

/** What holds where a stream's headers say nothing else: eight bits, 4:2:0. */
export const PLAIN_PICTURE = {
  mpeg1: false,
  bitDepth: 8,
  chroma: 1,
  colour: null,
  hdr10: null,
  configuration: null,
  secondView: null,
} as const;
