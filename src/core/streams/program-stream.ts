/** Stream identifiers of the PES packets on a DVD. ISO/IEC 13818-1 table 2-22; DVD-Video for private streams. */
export const STREAM = {
  packHeader: 0xba,
  systemHeader: 0xbb,
  private1: 0xbd,
  padding: 0xbe,
  private2: 0xbf,
  audio: 0xc0,
  video: 0xe0,
} as const;

/**
 * One number for an elementary stream: the PES stream id for MPEG video and audio, `0xbd00 + sub-stream` for
 * what private stream 1 carries, `0xbf00 + 0 or 1` for the two halves of a navigation pack.
 */
export type StreamKey = number;

export const privateStream = (subStream: number): StreamKey => 0xbd00 + subStream;
export const VIDEO_STREAM: StreamKey = STREAM.video;
export const PCI_STREAM: StreamKey = 0xbf00;
export const DSI_STREAM: StreamKey = 0xbf01;

/** No time stamp in this packet. */
export const NO_PTS = -1;

/**
 * Receives the payload of one PES packet: `data[from..to)`, valid only during the call.
 * `pts90k` is the raw 33-bit stamp, or `NO_PTS`; it belongs to the first frame that begins in the payload.
 */
export interface PesReceiver {
  payload(stream: StreamKey, data: Uint8Array, from: number, to: number, pts90k: number): void;
  /** A packet whose scrambling control bits are set: its payload is not delivered. */
  scrambled(stream: StreamKey): void;
}

const MAX_PES_HEADER = 9 + 255;

/** What a DVD carries beside navigation and padding: one video stream, eight of MPEG audio and their extensions, private stream 1. */
const isCarried = (id: number): boolean => id === STREAM.private1 || id === STREAM.video || (id & 0xe8) === STREAM.audio;
/** Sub-streams of private stream 1: subpictures, AC-3, DTS and what else is framed like it, LPCM, and the provider's own. */
const isSubStream = (n: number): boolean => n >> 5 === 1 || (n >= 0x80 && n <= 0x97) || (n >= 0xa0 && n <= 0xa7) || n === 0xff;

/** Bytes that stand before the payload proper in a sub-stream of private stream 1. DVD-Video: AC-3, DTS, LPCM and SP packs. */
function subStreamHead(subStream: number): number {
  if (subStream >= 0xa0 && subStream <= 0xa7) return 7; // LPCM: frames, first access unit, and the sample layout
  if (subStream >= 0x80 && subStream <= 0x8f) return 4; // AC-3 and DTS: frames, first access unit
  if (subStream >= 0x20 && subStream <= 0x3f) return 1; // subpicture
  return 1;
}

/** Reads the 33-bit stamp of a PES header. The top bits are multiplied, not shifted: shifts stop at 31 bits. */
export function readPts(data: Uint8Array, at: number): number {
  const b = (i: number) => data[at + i] ?? 0;
  return ((b(0) >> 1) & 7) * 2 ** 30 + ((b(1) << 22) | ((b(2) >> 1) << 15) | (b(3) << 7) | (b(4) >> 1));
}

/** @returns true where a pack header starts. ISO/IEC 13818-1 2.5.3.3. */
export const isPack = (data: Uint8Array, at: number): boolean =>
  data[at] === 0 && data[at + 1] === 0 && data[at + 2] === 1 && data[at + 3] === STREAM.packHeader;

/** What a sector was found to hold: a pack whose packets fill it to its end, one that does not add up, or none at all. */
export type PackState = 'whole' | 'broken' | 'none';

/** System clock reference of a pack header, 90 kHz, 33 bits; the extension is left out. ISO/IEC 13818-1 2.5.3.4. @param at the pack's first byte. */
export function readScr(data: Uint8Array, at: number): number {
  const b = (i: number) => data[at + 4 + i] ?? 0;
  const low = ((b(0) & 3) << 28) | (b(1) << 20) | ((b(2) >> 3) << 15) | ((b(2) & 3) << 13) | (b(3) << 5) | (b(4) >> 3);
  return ((b(0) >> 3) & 7) * 2 ** 30 + low;
}

/** Marker bits of an MPEG-2 pack header stand in their places; of MPEG-1 only the first four are looked at. */
const headIsSound = (data: Uint8Array, at: number) => {
  const first = data[at + 4] as number;
  if (first >> 4 === 2) return true;
  return (first & 0xc4) === 0x44 && ((data[at + 6] as number) & 4) !== 0 && ((data[at + 8] as number) & 4) !== 0;
};

/**
 * Takes one pack of a program stream apart: on a DVD, one sector.
 * Spec: ISO/IEC 13818-1 2.5.3 and 2.4.3.6 (PES packet).
 * @param end first byte after the pack; nothing beyond is read.
 * @returns `none` where no pack starts at `at`; `broken` where packets do not fill it exactly, or one of them contradicts itself:
 * what came before that has been delivered.
 */
export function readPack(data: Uint8Array, at: number, end: number, receiver: PesReceiver): PackState {
  if (at + 14 > end || !isPack(data, at)) return 'none';
  let sound = headIsSound(data, at);
  let p = at + 14 + ((data[at + 13] as number) & 7);
  while (p + 6 <= end && data[p] === 0 && data[p + 1] === 0 && data[p + 2] === 1) {
    const id = data[p + 3] as number;
    const packetEnd = p + 6 + (((data[p + 4] as number) << 8) | (data[p + 5] as number));
    if (packetEnd > end) return 'broken';
    if (id === STREAM.private2) {
      receiver.payload(0xbf00 + (data[p + 6] as number), data, p + 7, packetEnd, NO_PTS);
    } else if (isCarried(id)) {
      if (!readPes(data, p, packetEnd, id, receiver)) sound = false;
    } else if (id !== STREAM.padding && id !== STREAM.systemHeader) sound = false;
    p = packetEnd;
  }
  return p === end && sound ? 'whole' : 'broken';
}

/** Bytes of the optional fields behind PES_header_data_length, by the bits of the flags that announce them. 13818-1 2.4.3.6. */
const OPTIONAL_FIELDS = [
  [0x20, 6], // ESCR
  [0x10, 3], // ES_rate
  [0x08, 1], // DSM_trick_mode
  [0x04, 1], // additional_copy_info
  [0x02, 2], // previous_PES_packet_CRC
] as const;
const EXTENSION_FIELDS = [
  [0x80, 16], // PES_private_data
  [0x40, null], // pack_header_field, behind its length
  [0x20, 2], // program_packet_sequence_counter
  [0x10, 2], // P-STD_buffer
  [0x01, null], // PES_extension_field, behind its length
] as const;

/**
 * The head of an MPEG-2 PES packet agrees with itself: its fields fill it, what is left is stuffing, stamps have their marker bits.
 * Spec: ISO/IEC 13818-1 2.4.3.6 and 2.4.3.7. @param at the packet's start code; its head must be whole.
 */
export function pesHeadIsSound(data: Uint8Array, at: number): boolean {
  const flags = data[at + 7] as number;
  const end = at + 9 + (data[at + 8] as number);
  let p = at + 9;
  const stamps = flags >> 6;
  if (stamps === 1) return false;
  for (const prefix of stamps === 2 ? [2] : stamps === 3 ? [3, 1] : []) {
    const isStamp =
      (data[p] as number) >> 4 === prefix && ((data[p] as number) & (data[p + 2] as number) & (data[p + 4] as number) & 1) === 1;
    if (!isStamp) return false;
    p += 5;
  }
  for (const [flag, bytes] of OPTIONAL_FIELDS) if ((flags & flag) !== 0) p += bytes;
  if ((flags & 1) !== 0) {
    const extension = data[p++] ?? 0;
    for (const [flag, bytes] of EXTENSION_FIELDS) if ((extension & flag) !== 0) p += bytes ?? 1 + ((data[p] ?? 0) & 0x7f);
  }
  if (p > end) return false;
  for (; p < end; p++) if (data[p] !== 0xff) return false;
  return true;
}

/** @returns false where the packet's own head makes no sense: nothing of it is delivered. */
function readPes(data: Uint8Array, at: number, end: number, id: number, receiver: PesReceiver): boolean {
  if (at + 9 > end) return false;
  const flags = data[at + 6] as number;
  let payload: number;
  let pts = NO_PTS;
  let locked = false;
  if (flags >> 6 === 2) {
    locked = (flags & 0x30) !== 0;
    payload = at + 9 + (data[at + 8] as number);
    if (((data[at + 7] as number) & 0x80) !== 0 && at + 14 <= end) pts = readPts(data, at + 9);
  } else {
    const head = readMpeg1Head(data, at + 6, end); // MPEG-1 packets do not say how long their head is
    if (!head) return false;
    ({ payload, pts } = head);
  }
  if (payload > end || payload - at > MAX_PES_HEADER) return false;
  if (flags >> 6 === 2 && !pesHeadIsSound(data, at)) return false;
  let stream: StreamKey = id;
  if (id === STREAM.private1) {
    if (payload >= end) return false;
    const subStream = data[payload] as number;
    if (!isSubStream(subStream)) return false;
    stream = privateStream(subStream);
    payload += subStreamHead(subStream);
    if (payload > end) return false;
  }
  if (locked) receiver.scrambled(stream);
  else receiver.payload(stream, data, payload, end, pts);
  return true;
}

const NO_STAMPS = 0x0f;

/**
 * Stuffing, buffer size and stamps of an MPEG-1 packet (ISO/IEC 11172-1 2.4.3.3).
 * @returns the first byte of payload, and the stamp; null where it is no such head.
 */
function readMpeg1Head(data: Uint8Array, from: number, end: number): { payload: number; pts: number } | null {
  let p = from;
  while (p < end && data[p] === 0xff && p - from < 16) p++;
  if (((data[p] ?? 0) & 0xc0) === 0x40) p += 2;
  const first = data[p] ?? 0;
  const kind = first >> 4;
  const length = kind === 2 ? 5 : kind === 3 ? 10 : 1;
  if (length === 1) return first === NO_STAMPS ? { payload: Math.min(end, p + 1), pts: NO_PTS } : null;
  const marked = (first & (data[p + 2] ?? 0) & (data[p + 4] ?? 0) & 1) === 1;
  return marked && p + length <= end ? { payload: p + length, pts: readPts(data, p) } : null;
}
