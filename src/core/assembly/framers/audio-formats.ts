import {
  HEADER_BYTES,
  TICKS_PER_SECOND,
  frameTicks,
  lpcmGroupBytes,
  samplesPerGroup,
  type AudioFrameHeader,
  type AudioHeaderReader,
  type LpcmLayout,
} from '../../streams';

/** LPCM has no frames: it is handed over in runs of this many samples (20 ms at 48 kHz). */
const LPCM_RUN_SAMPLES = 960;

export interface FoundFrame {
  readonly bytes: number;
  readonly ticks: number;
  /** False where decoding can not begin with it; every frame can where this is not said. */
  readonly key?: boolean;
}

/** Finds the next frame of a stream. */
export interface AudioFormat {
  /** @returns the frame at `at`, null where none starts there, `'more'` where more bytes are needed to know. */
  frameAt(data: Uint8Array, at: number, end: number, final: boolean): FoundFrame | null | 'more';
  /** True where a run may end at any sample, so that it can stop where the clock restarts. */
  readonly splits: boolean;
  /** Bytes of the smallest run that can be cut off; 0 where frames are whole. */
  readonly unitBytes: number;
  /** Every packet begins with a run: after a missing piece one can go on with the next, without waiting for a stamp. */
  readonly resumesAtPacket?: boolean;
  /** Of samples: a stamp is that of the first one of its own packet, and of no other. */
  readonly exactStamps?: boolean;
  /** A piece must begin with a frame that is `key`. */
  readonly needsKey?: boolean;
  /** The header of the first frame, for the container. */
  readonly first: AudioFrameHeader | null;
}

/** A codec whose frames carry headers. */
export function framedFormat(read: AudioHeaderReader): AudioFormat {
  let first: AudioFrameHeader | null = null;
  return {
    get first() {
      return first;
    },
    splits: false,
    unitBytes: 0,
    frameAt: (data, at, end) => {
      if (at + HEADER_BYTES > end) return 'more';
      const header = read(data, at, end);
      if (!header) return null;
      first ??= header;
      return { bytes: header.frameBytes, ticks: frameTicks(header) };
    },
  };
}

/** LPCM, cut into runs of whole groups. */
export function lpcmFormat(layout: LpcmLayout): AudioFormat {
  const groupBytes = lpcmGroupBytes(layout);
  const ticksPerGroup = (TICKS_PER_SECOND * samplesPerGroup(layout)) / layout.sampleRateHz;
  const runGroups = ((LPCM_RUN_SAMPLES / samplesPerGroup(layout)) * layout.sampleRateHz) / 48000;
  return {
    first: null,
    splits: true,
    unitBytes: groupBytes,
    resumesAtPacket: true,
    frameAt: (_data, at, end, final) => {
      const groups = Math.min(runGroups, Math.floor((end - at) / groupBytes));
      if (groups === runGroups || (final && groups > 0)) return { bytes: groups * groupBytes, ticks: groups * ticksPerGroup };
      return 'more';
    },
  };
}
