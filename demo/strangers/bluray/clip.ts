import { concatBytes } from '@/core/bytes';
import { seeded } from '@/test-support/random';
import { GROUP, type Group } from '../streams';
import type { Placed } from '../truth';
import { displaySets, wholeSet, type DisplaySet } from './graphics';
import { time90k, type Omission, type ClipPlan, type ClipSoundPlan, type Picture } from './plan';
import { clipSound, emptied, hasMajorSync, pictureGroups, prefixed } from './streams';

/** What is true of a clip before it is written. */
export interface ClipTruth {
  /** In the order of decoding. */
  readonly pictures: readonly Placed[];
  readonly sounds: readonly (readonly Placed[])[];
  readonly graphics: readonly (readonly Placed[])[];
  readonly length90k: number;
}

interface Coded extends Placed {
  /** As the disc carries it. */
  readonly coded: Uint8Array;
  readonly key: boolean;
}

function codedPictures({ picture, groups, fromGroup }: ClipPlan): Coded[] {
  const all = pictureGroups(picture);
  return Array.from({ length: groups }, (_, g) => {
    const { pictures } = all[(fromGroup + g) % all.length] as Group;
    return pictures.map(({ bytes: coded, shownAt, isKey: key }) => {
      const at90k = time90k(picture, g * GROUP + shownAt);
      const bytes = picture.codec === 'H.264' ? prefixed(coded) : coded;
      return { bytes, coded, key, at90k, length90k: time90k(picture, g * GROUP + shownAt + 1) - at90k };
    });
  }).flat();
}

const soundFrames = ({ codec, channels, seed, fromFrame, delay90k, frames: count }: ClipSoundPlan): Placed[] => {
  const { frames, frame90k } = clipSound(codec, channels, seed);
  return Array.from({ length: count }, (_, i) => {
    const bytes = frames[(fromFrame + i) % frames.length] as Uint8Array;
    return { bytes, at90k: delay90k + i * frame90k, length90k: frame90k, ...(codec === 'TrueHD' ? { isKey: hasMajorSync(bytes) } : {}) };
  });
};

export function clipTruth(plan: ClipPlan): ClipTruth {
  return {
    pictures: codedPictures(plan),
    sounds: plan.sounds.map(soundFrames),
    graphics: plan.graphics.map((one) => displaySets(one, plan.picture).map((set) => ({ ...set, bytes: wholeSet(set) }))),
    length90k: time90k(plan.picture, plan.groups * GROUP),
  };
}

const PIDS = { programs: 0, map: 0x100, clock: 0x1001, picture: 0x1011, nothing: 0x1fff } as const;
const PAYLOAD = 184;
/** 27 MHz between two packets of 192 bytes at 48 Mbit/s. BD-ROM part 3: the highest rate of a transport stream. */
const STEP_27M = 864;
const PREROLL_90K = 45_000;
const TABLES_EVERY_90K = 7_000;

interface Pes {
  readonly pid: number;
  readonly due90k: number;
  readonly bytes: Uint8Array;
  readonly key: boolean;
  /** A clock reference, and nothing else. */
  readonly isClock?: boolean;
}

function stamp(prefix: number, time: number): number[] {
  const high = Math.floor(time / 2 ** 30);
  const low = time % 2 ** 30;
  return [(prefix << 4) | (high << 1) | 1, (low >>> 22) & 255, ((low >>> 14) & 254) | 1, (low >>> 7) & 255, ((low << 1) & 254) | 1];
}

/** ISO/IEC 13818-1 2.4.3.6. @param extension stream_id_extension, where the packet has the number of an extended stream. */
function pes(id: number, payload: Uint8Array, pts: number, dts: number | null, extension: number | null): Uint8Array {
  const stamps = dts === null ? stamp(2, pts) : [...stamp(3, pts), ...stamp(1, dts)];
  const more = extension === null ? [] : [0x0f, 0x81, extension];
  const head = [0x84, (dts === null ? 0x80 : 0xc0) | (more.length > 0 ? 1 : 0), stamps.length + more.length, ...stamps, ...more];
  const length = id === 0xe0 ? 0 : head.length + payload.byteLength;
  return concatBytes([Uint8Array.from([0, 0, 1, id, length >> 8, length & 255, ...head]), payload]);
}

const [PRIVATE, EXTENDED] = [0xbd, 0xfd];

/** How each kind of sound stands in its packets. BD-ROM part 3. */
function soundPes({ codec, channels }: ClipSoundPlan, bytes: Uint8Array, pts: number): Uint8Array {
  if (codec !== 'LPCM') return pes(EXTENDED, bytes, pts, null, codec === 'TrueHD' ? 0x72 : 0x71);
  const assignment = channels === 1 ? 1 : 3;
  const head = Uint8Array.of(bytes.byteLength >> 8, bytes.byteLength & 255, (assignment << 4) | 1, 0x40);
  return pes(PRIVATE, concatBytes([head, bytes]), pts, null, null);
}

const TYPES: Readonly<Record<string, number>> = { 'H.264': 0x1b, 'MPEG-2': 0x02, LPCM: 0x80, 'AC-3': 0x81, DTS: 0x82, TrueHD: 0x83 };
export const GRAPHICS_TYPE = 0x90;
export const typeOf = (codec: string): number => TYPES[codec] ?? 0;

/** ISO/IEC 13818-1 annex A. */
function crc(bytes: readonly number[]): number {
  let value = 0xffffffff;
  for (const byte of bytes) {
    value ^= byte << 24;
    for (let bit = 0; bit < 8; bit++) value = value < 0 || value >>> 31 ? (value << 1) ^ 0x04c11db7 : value << 1;
  }
  return value >>> 0;
}

const word = (value: number): number[] => [(value >> 8) & 255, value & 255];

/** A section with its pointer before it and its check sum behind it. ISO/IEC 13818-1 2.4.4. */
function section(table: number, id: number, content: readonly number[]): Uint8Array {
  const length = 5 + content.length + 4;
  const own = [table, 0xb0 | (length >> 8), length & 255, ...word(id), 0xc1, 0, 0, ...content];
  const sum = crc(own);
  return Uint8Array.from([0, ...own, ...word(sum >>> 16), ...word(sum & 0xffff)]);
}

function tables(plan: ClipPlan): { readonly programs: Uint8Array; readonly map: Uint8Array } {
  const stream = (type: number, pid: number, more: readonly number[] = []) => [
    type,
    ...word(0xe000 | pid),
    ...word(0xf000 | more.length),
    ...more,
  ];
  const streams = [
    ...stream(typeOf(plan.picture.codec), PIDS.picture),
    ...plan.sounds.flatMap(({ codec, pid }) => stream(typeOf(codec), pid)),
    ...plan.graphics.flatMap(({ pid }) => stream(GRAPHICS_TYPE, pid)),
  ];
  const registered = [0x05, 4, 0x48, 0x44, 0x4d, 0x56];
  return {
    programs: section(0, 0, [...word(1), ...word(0xe000 | PIDS.map)]),
    map: section(2, 1, [...word(0xe000 | PIDS.clock), ...word(0xf000 | registered.length), ...registered, ...streams]),
  };
}

/** All that a clip is to carry, in the order in which it is due. */
function everything(plan: ClipPlan, truth: ClipTruth): Pes[] {
  const { first90k, picture, soundLag90k, lost } = plan;
  const all: Pes[] = [];
  const isLost = (kind: Omission['kind'], stream: number, packet: number) =>
    lost?.kind === kind && lost.stream === stream && lost.packet === packet;
  codedPictures(plan).forEach(({ coded, key, at90k }, i) => {
    if (isLost('picture', 0, i)) return;
    const dts = first90k + time90k(picture, i - 1);
    const pts = first90k + at90k;
    const own = isLost('emptied', 0, i) ? emptied(coded) : coded;
    all.push({ pid: PIDS.picture, due90k: dts - PREROLL_90K, bytes: pes(0xe0, own, pts, pts === dts ? null : dts, null), key });
  });
  plan.sounds.forEach((sound, s) => {
    for (const [i, { bytes, at90k }] of (truth.sounds[s] ?? []).entries()) {
      if (isLost('sound', s, i)) continue;
      const pts = first90k + at90k;
      all.push({ pid: sound.pid, due90k: pts - PREROLL_90K + soundLag90k, bytes: soundPes(sound, bytes, pts), key: false });
    }
  });
  plan.graphics.forEach((one, g) => {
    let segment = 0;
    for (const { segments, at90k } of displaySets(one, picture) satisfies readonly DisplaySet[])
      for (const bytes of segments) {
        if (isLost('graphics', g, segment++)) continue;
        const pts = first90k + at90k;
        all.push({ pid: one.pid, due90k: pts - PREROLL_90K, bytes: pes(PRIVATE, bytes, pts, null, null), key: false });
      }
  });
  const { programs, map } = tables(plan);
  const from = Math.min(...all.map((p) => p.due90k));
  const to = Math.max(...all.map((p) => p.due90k));
  for (let due90k = from - 1; due90k < to; due90k += TABLES_EVERY_90K) {
    const bare = { due90k, key: false };
    all.push({ ...bare, pid: PIDS.programs, bytes: programs }, { ...bare, pid: PIDS.map, bytes: map });
    all.push({ ...bare, pid: PIDS.clock, bytes: new Uint8Array(0), isClock: true });
  }
  return all
    .map((p, i) => ({ p, i }))
    .sort((a, b) => a.p.due90k - b.p.due90k || a.i - b.i)
    .map(({ p }) => p);
}

export interface WrittenClip {
  readonly bytes: Uint8Array;
  /** Entry points: 90 kHz on the clip's own clock, and packet. */
  readonly entries: readonly { readonly pts90k: number; readonly packet: number; readonly bytes: number }[];
}

/** Streams whose packets stand between each other. */
const AT_ONCE = 3;
/** BD-ROM part 3: files are whole units of 32 packets. */
const UNIT_PACKETS = 32;

/** Writes a clip: a transport stream with arrival times. BD-ROM part 3; ISO/IEC 13818-1 2.4.3.2. */
export function writeClip(plan: ClipPlan, truth: ClipTruth): WrittenClip {
  const packets: Uint8Array[] = [];
  const entries: { pts90k: number; packet: number; bytes: number }[] = [];
  const counters = new Map<number, number>();
  const random = seeded(plan.order);
  const waiting = everything(plan, truth);
  let clock27m = Math.max(0, (waiting[0] as Pes).due90k * 300);
  const emit = (pid: number, rest: Uint8Array, starts: boolean, field: readonly number[] | null) => {
    const packet = new Uint8Array(192).fill(0xff);
    clock27m += STEP_27M;
    const arrival = clock27m % 2 ** 30;
    packet.set([arrival >>> 24, arrival >>> 16, arrival >>> 8, arrival]);
    const has = rest.byteLength > 0;
    const counter = counters.get(pid) ?? 0;
    if (has) counters.set(pid, (counter + 1) & 15);
    const carries = has ? counter : (counter + 15) & 15;
    packet.set([0x47, (starts ? 0x40 : 0) | (pid >> 8), pid & 255, (field ? 0x20 : 0) | (has ? 0x10 : 0) | carries], 4);
    if (field) packet.set(field, 8);
    packet.set(rest, 192 - rest.byteLength);
    packets.push(packet);
  };
  const active: { pes: Pes; at: number }[] = [];
  for (let next = 0; next < waiting.length || active.length > 0;) {
    for (let one = waiting[next]; one && active.length < AT_ONCE && !active.some((a) => a.pes.pid === one?.pid); one = waiting[next]) {
      active.push({ pes: one, at: 0 });
      next++;
    }
    const which = random.int(active.length);
    const own = active[which] as { pes: Pes; at: number };
    const { pid, bytes, key, isClock, due90k } = own.pes;
    clock27m = Math.max(clock27m, due90k * 300);
    if (isClock) {
      const base = Math.floor(clock27m / 300) % 2 ** 33;
      const [high, low, extension] = [Math.floor(base / 2), base & 1, clock27m % 300];
      const field = [
        183,
        0x10,
        (high / 2 ** 24) & 255,
        (high >>> 16) & 255,
        (high >>> 8) & 255,
        high & 255,
        (low << 7) | 0x7e | (extension >> 8),
        extension & 255,
      ];
      emit(pid, new Uint8Array(0), false, field);
      active.splice(which, 1);
      continue;
    }
    const starts = own.at === 0;
    if (starts && key) entries.push({ pts90k: readPts(bytes), packet: packets.length, bytes: bytes.byteLength });
    const isTable = pid === PIDS.programs || pid === PIDS.map;
    const flags = starts && key ? 0x40 : 0;
    const room = flags ? PAYLOAD - 2 : PAYLOAD;
    const size = Math.min(room, bytes.byteLength - own.at);
    const rest = bytes.subarray(own.at, own.at + size);
    // Tables are filled up behind, packets of streams before.
    if (isTable) emit(pid, concatBytes([rest, new Uint8Array(PAYLOAD - size).fill(0xff)]), true, null);
    else if (flags || size < PAYLOAD) {
      const length = PAYLOAD - size - 1;
      emit(pid, rest, starts, length === 0 ? [0] : [length, flags]);
    } else emit(pid, rest, starts, null);
    own.at += size;
    if (own.at >= bytes.byteLength) active.splice(which, 1);
  }
  while (packets.length % UNIT_PACKETS !== 0) emit(PIDS.nothing, new Uint8Array(PAYLOAD).fill(0xff), false, null);
  return { bytes: concatBytes(packets), entries };
}

const readPts = (bytes: Uint8Array): number => {
  const b = (i: number) => bytes[9 + i] ?? 0;
  return ((b(0) >> 1) & 7) * 2 ** 30 + ((b(1) << 22) | ((b(2) >> 1) << 15) | (b(3) << 7) | (b(4) >> 1));
};

export const facts = (plan: ClipPlan, truth: ClipTruth, { bytes, entries }: WrittenClip) => ({
  bytes,
  packets: bytes.byteLength / 192,
  clocks: [{ packet: 0, start90k: plan.first90k, end90k: plan.first90k + truth.length90k }],
  start90k: plan.first90k,
  end90k: plan.first90k + truth.length90k,
  entries,
});

export const pictureFormat = ({ format }: Picture): number => format;
