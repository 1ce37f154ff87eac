/** What stands on a disc with its time: 90 kHz from the first picture of its VOB or clip. */
export interface Placed {
  /** As a container holds it. */
  readonly bytes: Uint8Array;
  readonly at90k: number;
  readonly length90k: number;
  /** Decoding can begin with it; absent where it can with any. */
  readonly isKey?: boolean;
}

/** A stretch of a title whose clock goes on. */
export interface Stretch {
  /** 90 kHz from the first picture of the VOB or clip. */
  readonly from90k: number;
  readonly to90k: number;
  /** All sound at this end of it belongs to the title, also what reaches beyond the pictures. */
  readonly begins: boolean;
  readonly ends: boolean;
  /** A player cuts sound before it: of two frames that would be heard at once, one is left out. */
  readonly isCutBefore?: boolean;
  /** In the order of decoding. */
  readonly pictures: readonly Placed[];
  /** Seconds for which its last picture stands; 255: until the viewer goes on. */
  readonly still: number;
}

export interface TrackTruth {
  /** Null for sound that no table names. */
  readonly language: string | null;
  /** The display that subtitles are drawn for; null for sound, and where there is no choice. */
  readonly display: '4:3' | 'wide' | 'letterbox' | 'pan and scan' | null;
  /** By stretch: what a player would show or sound of it; null where its chain, or its item, has no such track. */
  readonly stretches: readonly (readonly Placed[] | null)[];
}

/** What a player shows of a title. */
export interface TitleTruth {
  readonly stretches: readonly Stretch[];
  readonly audio: readonly TrackTruth[];
  readonly subtitles: readonly TrackTruth[];
  /** Stretch that a chapter begins in, and where. */
  readonly chapters: readonly { readonly stretch: number; readonly at90k: number }[];
}
