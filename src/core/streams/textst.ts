/** Text subtitles of Blu-ray: a style segment, then a segment per dialogue. Spec: BD-ROM part 3, HDMV text subtitle streams. */
const STYLE = 0x81;
const DIALOG = 0x82;
const HEAD_BYTES = 3;
/** A dialogue begins with two stamps of 33 bits, each in five bytes. */
const STAMP_BYTES = 5;

export interface TextDialog {
  readonly start90k: number;
  readonly end90k: number;
  /** The whole segment with its head. */
  readonly data: Uint8Array;
}

export interface TextSubtitles {
  /** The style segment, which all dialogues refer to; null where there is none. */
  readonly style: Uint8Array | null;
  readonly dialogs: readonly TextDialog[];
  /** Bytes that are neither. */
  readonly strayBytes: number;
}

const stampAt = (data: Uint8Array, at: number): number =>
  ((data[at] as number) & 1) * 2 ** 32 +
  ((data[at + 1] as number) * 2 ** 24 + (((data[at + 2] as number) << 16) | ((data[at + 3] as number) << 8) | (data[at + 4] as number)));

/** Takes a text subtitle stream apart: its whole payload, packet heads removed. What is cut off at the end is counted as stray. */
export function readTextSubtitles(payload: Uint8Array): TextSubtitles {
  let style: Uint8Array | null = null;
  const dialogs: TextDialog[] = [];
  let at = 0;
  for (let length: number; at + HEAD_BYTES <= payload.byteLength; at += length) {
    length = HEAD_BYTES + (((payload[at + 1] as number) << 8) | (payload[at + 2] as number));
    const type = payload[at];
    if (at + length > payload.byteLength || (type !== STYLE && type !== DIALOG)) break;
    const data = payload.subarray(at, at + length);
    if (type === STYLE) style ??= data;
    else if (length >= HEAD_BYTES + 2 * STAMP_BYTES) {
      const start90k = stampAt(data, HEAD_BYTES);
      const end90k = stampAt(data, HEAD_BYTES + STAMP_BYTES);
      if (end90k > start90k) dialogs.push({ start90k, end90k, data });
    }
  }
  return { style, dialogs, strayBytes: payload.byteLength - at };
}
