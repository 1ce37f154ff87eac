import { concatBytes } from '../bytes';
import { seeded } from '@/test-support/random';
import {
  TransportDemux,
  avcConfiguration,
  hdmvGroupBytes,
  hdmvPcmBytes,
  lookAtTransport,
  packHdmvLpcm,
  readDtsHdUnit,
  readEac3Unit,
  readH264Sequence,
  readHdmvLpcm,
  readHdr10,
  readHevcSequence,
  readPgsComposition,
  readTrueHdSync,
  readVc1Frame,
  readVc1Sequence,
  trueHdUnitBytes,
  unpackHdmvLpcm,
} from '.';

interface Pes {
  readonly pid: number;
  readonly pts: number;
  readonly dts: number;
  readonly data: Uint8Array;
}

const stamp = (mark: number, value: number) => {
  const high = Math.floor(value / 2 ** 30) & 7;
  const low = value % 2 ** 30;
  return [(mark << 4) | (high << 1) | 1, low >> 22, ((low >> 14) & 0xfe) | 1, (low >> 7) & 0xff, ((low << 1) & 0xfe) | 1];
};

/** A plain multiplexer: packets of the given streams in turn, some with adaptation fields. */
function multiplex(list: readonly Pes[], random: ReturnType<typeof seeded>): Uint8Array {
  const counters = new Map<number, number>();
  const queues = list.map((pes) => {
    const stamps = pes.dts === pes.pts ? stamp(2, pes.pts) : [...stamp(3, pes.pts), ...stamp(1, pes.dts)];
    const head = [0, 0, 1, 0xe0, 0, 0, 0x84, stamps.length === 5 ? 0x80 : 0xc0, stamps.length, ...stamps];
    return { pid: pes.pid, bytes: Uint8Array.from([...head, ...pes.data]), at: 0 };
  });
  const out: number[] = [];
  const next = () => {
    const open = queues.filter(
      (q, i) => q.at < q.bytes.byteLength && !queues.slice(0, i).some((p) => p.pid === q.pid && p.at < p.bytes.byteLength),
    );
    return open.length ? random.pick(open) : null;
  };
  for (let queue = next(); queue; queue = next()) {
    const counter = counters.get(queue.pid) ?? random.int(16);
    counters.set(queue.pid, (counter + 1) & 15);
    const most = 184 - (random.int(4) === 0 ? 2 + random.int(60) : 0);
    const take = Math.min(most, queue.bytes.byteLength - queue.at);
    const field = 184 - take;
    out.push(...[0, 0, 0, 0], 0x47, (queue.at === 0 ? 0x40 : 0) | (queue.pid >> 8), queue.pid & 0xff, (field ? 0x30 : 0x10) | counter);
    if (field) out.push(field - 1, ...(field > 1 ? [0, ...Array.from({ length: field - 2 }, () => 0xff)] : []));
    for (let i = 0; i < take; i++) out.push(queue.bytes[queue.at + i] ?? 0);
    queue.at += take;
  }
  return Uint8Array.from(out);
}

interface Heard {
  pts: number;
  dts: number;
  data: number[];
}

/** What comes out when the packets are fed in pieces of `packets`. */
function demultiplex(stream: Uint8Array, wanted: readonly number[], packets: number) {
  const heard = new Map<number, Heard[]>();
  const scrambled: number[] = [];
  const demux = new TransportDemux({
    transport: (pid, data, from, to, pts, dts, starts) => {
      const list = heard.get(pid) ?? [];
      heard.set(pid, list);
      if (starts) list.push({ pts, dts, data: [] });
      list[list.length - 1]?.data.push(...data.subarray(from, to));
    },
    scrambled: (pid) => scrambled.push(pid),
  });
  for (const pid of wanted) demux.want(pid);
  for (let at = 0; at < stream.byteLength; at += packets * 192) {
    const chunk = stream.slice(at, at + packets * 192);
    demux.feed(chunk, 0, chunk.byteLength);
  }
  return { heard, scrambled, demux };
}

const someStreams = (seed: number) => {
  const random = seeded(seed);
  const list = Array.from({ length: 12 }, (_, i): Pes => {
    const pts = random.int(2 ** 31) * 3;
    return {
      pid: random.pick([0x1011, 0x1100, 0x1200]),
      pts,
      dts: i % 3 === 0 ? pts : Math.max(0, pts - random.int(9000)),
      data: random.bytes(1 + random.int(900)),
    };
  });
  return { list, stream: multiplex(list, random) };
};

describe('transport stream', () => {
  test.each([1, 2, 3, 4, 5])('gives back what was put in, however it is cut (seed %i)', (seed) => {
    const { list, stream } = someStreams(seed);
    for (const packets of [1, 2, 7, 10_000]) {
      const { heard, demux } = demultiplex(stream, [0x1011, 0x1200], packets);
      for (const pid of [0x1011, 0x1200]) {
        const expected = list.filter((p) => p.pid === pid).map((p) => ({ pts: p.pts, dts: p.dts, data: [...p.data] }));
        expect(heard.get(pid) ?? []).toEqual(expected);
      }
      expect(heard.has(0x1100)).toBe(false);
      expect([demux.lostSync, demux.missing]).toEqual([0, 0]);
    }
  });

  test('a packet sent twice counts once; one that is missing is counted; lost sync is passed over', () => {
    const { stream } = someStreams(9);
    const { heard } = demultiplex(stream, [0x1011], 10_000);
    const whole = JSON.stringify([...heard]);
    const places = Array.from({ length: stream.byteLength / 192 }, (_, i) => i * 192).filter(
      (at) => (stream[at + 5] ?? 0) % 32 === 0x10 && stream[at + 6] === 0x11,
    );
    const second = places.find((at, i) => i > 0 && ((stream[at + 5] ?? 0) & 0x40) === 0) ?? 0;
    const twice = Uint8Array.from([
      ...stream.subarray(0, second + 192),
      ...stream.subarray(second, second + 192),
      ...stream.subarray(second + 192),
    ]);
    expect(JSON.stringify([...demultiplex(twice, [0x1011], 10_000).heard])).toBe(whole);
    const without = Uint8Array.from([...stream.subarray(0, second), ...stream.subarray(second + 192)]);
    expect(demultiplex(without, [0x1011], 10_000).demux.missing).toBe(1);
    const hurt = stream.slice();
    hurt[second + 4] = 0;
    expect(demultiplex(hurt, [0x1011], 10_000).demux).toMatchObject({ lostSync: 1, missing: 1 });
  });

  test('scrambled packets are said and not delivered; enciphered units are recognised by their heads', () => {
    const { stream } = someStreams(3);
    const locked = stream.slice();
    for (let at = 0; at < locked.byteLength; at += 192) locked[at + 7] = (locked[at + 7] ?? 0) | 0x80;
    const { heard, scrambled } = demultiplex(locked, [0x1011], 10);
    expect([heard.size, scrambled.length > 0]).toEqual([0, true]);
    expect(lookAtTransport(locked).protectedPackets).toBe(lookAtTransport(locked).packets);
    expect(lookAtTransport(stream).protectedPackets).toBe(0);
  });

  test('a stretch that is enciphered is refused as such wherever it stands; the same stretch merely spoilt is not', () => {
    const stream = concatBytes([1, 2, 3].map((seed) => someStreams(seed).stream));
    const UNIT = 32 * 192;
    const units = Math.floor(stream.byteLength / UNIT);
    expect(units).toBeGreaterThan(1);
    for (let seed = 0; seed < 40; seed++) {
      const random = seeded(seed);
      const unit = random.int(units) * UNIT;
      const noise = random.bytes(UNIT);
      // All but the first sixteen bytes of a unit, whose head says that it may not be copied.
      const spoilt = stream.map((byte, i) => (i >= unit + 16 && i < unit + UNIT ? (noise[i - unit] ?? 0) : byte));
      const locked = spoilt.map((byte, i) => (i === unit ? byte | 0xc0 : byte));
      expect({ seed, said: demultiplex(locked, [0x1011], 10_000).scrambled.includes(-1) }).toEqual({ seed, said: true });
      expect(lookAtTransport(locked).protectedPackets).toBeGreaterThan(0);
      expect({ seed, said: demultiplex(spoilt, [0x1011], 10_000).scrambled.includes(-1) }).toEqual({ seed, said: false });
    }
  });

  test('anything at all goes through without a fault, and nothing is read beyond', () => {
    for (let seed = 0; seed < 200; seed++) {
      const random = seeded(seed);
      const data = random.bytes(192 * 20);
      for (let at = 0; at < data.byteLength; at += 192) if (random.int(5)) data.set([0x47, 0x50, 0x11, random.int(256)], at + 4);
      const { heard } = demultiplex(data, [0x1011], 3);
      for (const { data: bytes } of heard.get(0x1011) ?? []) expect(bytes.length).toBeLessThanOrEqual(184 * 20);
    }
  });
});

describe('LPCM of Blu-ray', () => {
  test.each([
    [16, 2, 3],
    [24, 6, 9],
    [20, 8, 11],
    [24, 5, 8],
    [16, 7, 10],
    [24, 1, 1],
  ] as const)('%i bit, %i channels: re-packed and back, nothing lost', (bitDepth, channels, assignment) => {
    const layout = { bitDepth, channels, assignment, sampleRateHz: 48000 as const };
    const groups = 50;
    const disc = seeded(assignment).bytes(groups * hdmvGroupBytes(layout));
    // The filling of an odd channel is zero on the disc.
    if (channels % 2) {
      const sample = bitDepth === 16 ? 2 : 3;
      for (let g = 0; g < groups; g++) disc.fill(0, g * hdmvGroupBytes(layout) + channels * sample, (g + 1) * hdmvGroupBytes(layout));
    }
    const file = new Uint8Array(groups * hdmvPcmBytes(layout));
    unpackHdmvLpcm(layout, disc, 0, groups, file, 0);
    const back = new Uint8Array(disc.byteLength).fill(0xee);
    packHdmvLpcm(layout, file, 0, groups, back, 0);
    expect(back).toEqual(disc);
  });

  test('the head says the layout, and what no standard knows is refused', () => {
    expect(readHdmvLpcm(Uint8Array.of(0, 0, 0x91, 0xc0), 0)).toEqual({ bitDepth: 24, channels: 6, sampleRateHz: 48000, assignment: 9 });
    for (const [a, b] of [
      [0x01, 0xc0],
      [0x92, 0xc0],
      [0x91, 0x00],
      [0xf1, 0x40],
    ] as const)
      expect(readHdmvLpcm(Uint8Array.of(0, 0, a, b), 0)).toBeNull();
  });
});

/** Writes bit fields, for headers made by hand. */
function bits(...fields: readonly (readonly [value: number, width: number])[]): Uint8Array {
  const all = fields.flatMap(([value, width]) => Array.from({ length: width }, (_, i) => Math.floor(value / 2 ** (width - 1 - i)) % 2));
  while (all.length % 8) all.push(0);
  return Uint8Array.from({ length: all.length / 8 }, (_, i) => all.slice(i * 8, i * 8 + 8).reduce((v, b) => v * 2 + b, 0));
}

describe('sound with extensions', () => {
  /** A DTS core of 96 bytes: 512 samples, 48 kHz, 5.1. */
  const core = new Uint8Array(96);
  core.set([0x7f, 0xfe, 0x80, 0x01]);
  core.set(bits([1, 1], [31, 5], [0, 1], [15, 7], [95, 14], [9, 6], [13, 4], [15, 5], [0, 10], [1, 2]), 4);
  const extension = (bytes: number, channels: number, depth: number) => {
    const unit = new Uint8Array(bytes);
    unit.set([0x64, 0x58, 0x20, 0x25, 0]);
    const fields = [
      [0, 2],
      [0, 1],
      [60, 8],
      [bytes - 1, 16],
      [1, 1],
      [2, 2],
      [0, 3],
      [0, 1],
      [0, 3],
      [0, 3],
      [1, 1],
      [1, 8],
      [0, 1],
      [bytes - 40, 16],
    ] as const;
    unit.set(bits(...fields, [20, 9], [0, 3], [0, 1], [0, 1], [0, 1], [depth - 1, 5], [12, 4], [channels - 1, 8]), 5);
    return unit;
  };
  const after = new Uint8Array(32);
  const join = (...parts: Uint8Array[]) => Uint8Array.from(parts.flatMap((p) => [...p]));

  test('a DTS core alone, with its extension, and an extension alone', () => {
    expect(readDtsHdUnit(join(core, after), 0, 128)).toMatchObject({
      frameBytes: 96,
      coreBytes: 96,
      samples: 512,
      sampleRateHz: 48000,
      layout: '5.1',
      bitDepth: null,
    });
    const both = join(core, extension(200, 8, 24), after);
    expect(readDtsHdUnit(both, 0, both.byteLength)).toMatchObject({
      frameBytes: 296,
      coreBytes: 96,
      channels: 8,
      layout: '7.1',
      bitDepth: 24,
      samples: 512,
    });
    const alone = join(extension(128, 6, 16), after);
    expect(readDtsHdUnit(alone, 0, alone.byteLength)).toMatchObject({ frameBytes: 128, coreBytes: 0, channels: 6, bitDepth: 16 });
  });

  test('whether an extension follows is not guessed before it can be seen', () => {
    const both = join(core, extension(200, 8, 24), after);
    for (let end = 16; end < 96 + 16; end++) expect(readDtsHdUnit(both, 0, end)).toBe('more');
    for (let end = 296; end < 296 + 16; end++) expect(readDtsHdUnit(both, 0, end)).toBe('more');
    expect(readDtsHdUnit(after, 0, 32)).toBeNull();
  });

  const eac3 = (bytes: number, kind: number, mode: number) => {
    const frame = new Uint8Array(bytes);
    frame.set([0x0b, 0x77]);
    frame.set(bits([kind, 2], [0, 3], [bytes / 2 - 1, 11], [0, 2], [3, 2], [mode, 3], [1, 1], [16, 5]), 2);
    return frame;
  };

  test('E-AC-3: dependent frames belong to the one before', () => {
    const unit = join(eac3(400, 0, 7), eac3(200, 1, 4), eac3(400, 0, 7));
    expect(readEac3Unit(unit, 0, unit.byteLength)).toMatchObject({ frameBytes: 600, samples: 1536, sampleRateHz: 48000, layout: '7.1' });
    expect(readEac3Unit(unit, 600, unit.byteLength)).toBe('more');
    expect(readEac3Unit(unit, 400, unit.byteLength)).toBeNull();
    const plain = join(eac3(400, 0, 7), eac3(400, 0, 7), after);
    expect(readEac3Unit(plain, 0, plain.byteLength)).toMatchObject({ frameBytes: 400, layout: '5.1' });
  });

  test('TrueHD: lengths, and the sync that decoding begins with', () => {
    const unit = join(
      Uint8Array.of(0xf0, 0x20, 0, 0, 0xf8, 0x72, 0x6f, 0xba),
      bits([1, 4], [0, 4], [0, 4], [0b01111, 5], [0, 2], [0b0000001001111, 13]),
      new Uint8Array(60),
    );
    expect(trueHdUnitBytes(unit, 0, unit.byteLength)).toBe(64);
    expect(readTrueHdSync(unit, 0, unit.byteLength)).toEqual({
      samples: 80,
      sampleRateHz: 96000,
      channels: 8,
      layout: '7.1',
      subStreams: 0,
    });
    expect(
      readTrueHdSync(
        unit.map((b, i) => (i === 7 ? 0xbb : b)),
        0,
        unit.byteLength,
      ),
    ).toBeNull();
    expect(trueHdUnitBytes(Uint8Array.of(0, 3, 0, 0), 0, 4)).toBeNull();
  });
});

describe('picture headers', () => {
  test('VC-1: sequence and kinds of pictures', () => {
    const sequence = bits([3, 2], [3, 3], [1, 2], [0, 9], [959, 12], [539, 12], [1, 1], [1, 1], [0, 10]);
    expect(readVc1Sequence(sequence)).toMatchObject({ widthPixels: 1920, heightPixels: 1080, interlaced: true, framesOnly: false });
    expect(readVc1Sequence(Uint8Array.of(0x40, 0, 0, 0, 0, 0, 0, 0))).toBeNull();
    expect(readVc1Frame(bits([0b110, 3], [0, 13]), false)).toEqual({ intra: true, bidirectional: false, fields: false });
    expect(readVc1Frame(bits([0b10, 2], [0, 14]), false)).toEqual({ intra: false, bidirectional: true, fields: false });
    expect(readVc1Frame(bits([0b11, 2], [0, 3], [0, 11]), true)).toEqual({ intra: true, bidirectional: false, fields: true });
  });

  test('HDR10 metadata, split over units, with emulation prevention', () => {
    const mastering = [
      137,
      24,
      ...[13250, 34500, 7500, 3000, 34000, 16000, 15635, 16450].flatMap((v) => [v >> 8, v & 255]),
      0,
      0x98,
      0x96,
      0x80,
      0,
      0,
      3,
      0,
      50,
    ];
    const unit = Uint8Array.of(0x4e, 1, ...mastering, 0x80);
    const light = Uint8Array.of(0x4e, 1, 144, 4, 1000 >> 8, 1000 & 255, 1, 0x90, 0x80);
    expect(readHdr10([unit, light])).toEqual({
      primaries: [13250, 34500, 7500, 3000, 34000, 16000, 15635, 16450],
      maxLuminance: 10_000_000,
      minLuminance: 50,
      maxContentLight: 1000,
      maxFrameAverageLight: 400,
    });
    expect(readHdr10([light])).toBeNull();
  });

  test('a composition of graphics: shown, forced, cleared', () => {
    const segment = (objects: number, ...rest: number[]) =>
      Uint8Array.of(0x16, 0, 11 + rest.length, 7, 0x80, 4, 0x38, 0x10, 0, 0, 0x80, 0, 0, objects, ...rest);
    const shown = segment(2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0x40, 0, 0, 0, 0);
    expect(readPgsComposition(shown, 0, shown.byteLength)).toEqual({
      widthPixels: 1920,
      heightPixels: 1080,
      objects: 2,
      forced: true,
      startsAnew: true,
      startsEpoch: true,
      palette: 0,
      refersTo: [
        { object: 0, window: 0 },
        { object: 1, window: 0 },
      ],
    });
    expect(readPgsComposition(segment(0), 0, 14)).toMatchObject({ objects: 0, forced: false });
    expect(readPgsComposition(shown, 0, 20)).toBeNull();
  });

  test('any bytes at all make no parameter set reader fail', () => {
    for (let seed = 0; seed < 3000; seed++) {
      const data = seeded(seed).bytes(1 + (seed % 90));
      for (const read of [readH264Sequence, readHevcSequence, readVc1Sequence]) {
        const found = read(data);
        if (found) expect(found.widthPixels).toBeLessThanOrEqual(16384);
      }
      readHdr10([data]);
      if (data.byteLength > 4) avcConfiguration([data], [data]);
      readPgsComposition(data, 0, data.byteLength);
      readDtsHdUnit(data, 0, data.byteLength);
      readEac3Unit(data, 0, data.byteLength);
    }
  });
});
