import {
  TICKS_PER_SECOND,
  frameTicks,
  hdmvGroupBytes,
  readTrueHdSync,
  trueHdUnitBytes,
  type AudioFrameHeader,
  type HdmvLpcmLayout,
  type TrueHdSync,
} from '../../streams';
import type { AudioFormat } from './audio-formats';

type UnitReader = (data: Uint8Array, at: number, end: number) => AudioFrameHeader | null | 'more';
const PAD_BYTES = 96;

/** A codec whose frames may go on in sub-frames: where one ends is only known from what follows it. */
export function unitFormat(read: UnitReader): AudioFormat {
  let first: AudioFrameHeader | null = null;
  return {
    get first() {
      return first;
    },
    splits: false,
    unitBytes: 0,
    frameAt: (data, at, end, final) => {
      let header = read(data, at, end);
      if (header === 'more' && final) {
        // Nothing follows: seen with zeros behind it, the last frame ends where the stream does.
        const rest = new Uint8Array(end - at + PAD_BYTES);
        rest.set(data.subarray(at, end));
        header = read(rest, 0, rest.byteLength);
        if (header === 'more') return null;
      }
      if (header === 'more') return 'more';
      if (!header) return null;
      first ??= header;
      return { bytes: header.frameBytes, ticks: frameTicks(header) };
    },
  };
}

/** TrueHD: access units of 1/1200 s; only some begin with what decoding needs. */
export function trueHdFormat(): AudioFormat {
  let sync: TrueHdSync | null = null;
  return {
    get first() {
      return sync && { ...sync, frameBytes: 0, bitRate: 0 };
    },
    splits: false,
    unitBytes: 0,
    needsKey: true,
    frameAt: (data, at, end) => {
      if (at + 16 > end) return 'more';
      const found = readTrueHdSync(data, at, end);
      sync ??= found;
      const bytes = trueHdUnitBytes(data, at, end);
      if (!sync || bytes === null) return null;
      return { bytes, ticks: (sync.samples * TICKS_PER_SECOND) / sync.sampleRateHz, key: found !== null };
    },
  };
}

/** Runs of 20 ms, as for a DVD's LPCM. */
const RUNS_PER_SECOND = 50;

export function hdmvLpcmFormat(layout: HdmvLpcmLayout): AudioFormat {
  const groupBytes = hdmvGroupBytes(layout);
  const ticksPerGroup = TICKS_PER_SECOND / layout.sampleRateHz;
  const runGroups = layout.sampleRateHz / RUNS_PER_SECOND;
  return {
    first: null,
    splits: true,
    unitBytes: groupBytes,
    exactStamps: true,
    frameAt: (_data, at, end, final) => {
      const groups = Math.min(runGroups, Math.floor((end - at) / groupBytes));
      if (groups === runGroups || (final && groups > 0)) return { bytes: groups * groupBytes, ticks: groups * ticksPerGroup };
      return 'more';
    },
  };
}
