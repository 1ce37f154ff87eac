/** A playback time as the structures write it. */
export interface DvdTime {
  readonly hours: number;
  readonly minutes: number;
  readonly seconds: number;
  readonly frames: number;
  /** Frames that one second of this time code counts: 25 (PAL) or 30 (NTSC, where a frame lasts 1001/30000 s). */
  readonly rate: 25 | 30;
}

const bcd = (byte: number): number => (byte >> 4) * 10 + (byte & 15);

/**
 * Reads a BCD playback time: hours, minutes, seconds, then two bits of rate and six of frames.
 * DVD-Video: dvd_time. A digit above nine, or rate bits that are not allowed, give what can be made of them,
 * since a wrong time must not hide a title; `rate` then falls to 30.
 */
export function parseDvdTime(value: number): DvdTime {
  const frames = value & 0xff;
  return {
    hours: bcd((value >>> 24) & 0xff),
    minutes: bcd((value >>> 16) & 0xff),
    seconds: bcd((value >>> 8) & 0xff),
    frames: bcd(frames & 0x3f),
    rate: frames >> 6 === 1 ? 25 : 30,
  };
}

/**
 * Real duration of a counted time, in milliseconds. At rate 30 the code counts frames of 1001/30000 s, so that
 * "5:00" lasts 300.3 s.
 */
export function dvdTimeMs(time: DvdTime): number {
  const counted = ((time.hours * 60 + time.minutes) * 60 + time.seconds) * time.rate + time.frames;
  return Math.round(time.rate === 25 ? counted * 40 : (counted * 1001) / 30);
}
