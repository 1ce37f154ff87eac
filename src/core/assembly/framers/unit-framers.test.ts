import { seeded } from '@/test-support/random';
import { readDtsHdUnit, readEac3Unit } from '../../streams';
import { AccessUnitFramer } from './access-unit-framer';
import { CompanionUnits } from './companion-units';
import { prefixedFrame } from './prefixed-frame';
import { OwnRoom } from './framer';
import { trueHdFormat, unitFormat } from './audio-formats-hd';
import { AudioFramer } from './audio-framer';
import { PgsFramer } from './pgs-framer';
import { Timeline } from '../timeline';
import { H264Codec, HevcCodec, Vc1Codec, type UnitCodec } from './unit-codecs';

/** Framers of Blu-ray over streams made by hand: what whole discs seldom show, and what must not go wrong all the same. */

const FRAME = 1_126_125; // 24000/1001
const ROOM = new OwnRoom();
const FRAME_90K = 3754;
const START = [0, 0, 0, 1];

/** Writes bit fields. */
function bits(...fields: readonly (readonly [value: number, width: number])[]): number[] {
  const all = fields.flatMap(([value, width]) => Array.from({ length: width }, (_, i) => Math.floor(value / 2 ** (width - 1 - i)) % 2));
  while (all.length % 8) all.push(0);
  return Array.from({ length: all.length / 8 }, (_, i) => all.slice(i * 8, i * 8 + 8).reduce((v, b) => v * 2 + b, 0));
}
/** ue(v) as a field. */
const ue = (value: number): readonly [number, number] => {
  const length = Math.floor(Math.log2(value + 1));
  return [value + 1, 2 * length + 1];
};

/** A High profile sequence set, 320x192, order by type 2, frame numbers of 4 bits. */
const sequence = (framesOnly: boolean) => [
  0x67,
  ...bits(
    [100, 8],
    [0, 8],
    [31, 8],
    ue(0),
    ue(1),
    ue(0),
    ue(0),
    [0, 2],
    ue(0),
    ue(2),
    ue(2),
    [0, 1],
    ue(19),
    ue(framesOnly ? 11 : 5),
    [framesOnly ? 1 : 0, 1],
    ...(framesOnly ? [] : [[0, 1] as const]),
    [0, 3],
    [1, 1],
  ),
];
const SLICE = { i: 7, p: 5, b: 6 } as const;
/** A slice: kind, whether others refer to it, frame number and field. */
function slice(
  kind: keyof typeof SLICE,
  change: { idr?: boolean; reference?: boolean; number?: number; field?: 'top' | 'bottom'; interlaced?: boolean } = {},
): number[] {
  const head = ((change.reference ?? kind !== 'b') ? 0x60 : 0) | (change.idr ? 5 : 1);
  const field = change.field
    ? ([
        [1, 1],
        [change.field === 'bottom' ? 1 : 0, 1],
      ] as const)
    : change.interlaced
      ? ([[0, 1]] as const)
      : [];
  return [head, ...bits(ue(0), ue(SLICE[kind]), ue(0), [change.number ?? 0, 4], ...field, [0x55, 8]), 0x80];
}
const unit = (...units: readonly (readonly number[])[]) => Uint8Array.from([...START, 9, 0xf0, ...units.flatMap((u) => [...START, ...u])]);

interface Coded {
  readonly data: Uint8Array;
  /** Place in order of display and of decoding, frames. */
  readonly shown: number;
  readonly decoded: number;
}

function feed(framer: AccessUnitFramer, list: readonly Coded[], base = 90_000): void {
  for (const { data, shown, decoded } of list) {
    const half = Math.floor(data.byteLength / 2);
    framer.append(data, 0, half, base + shown * FRAME_90K, base + decoded * FRAME_90K, true);
    framer.append(data, half, data.byteLength, -1, -1, false);
  }
}

function framerOf(
  codec: UnitCodec,
  window = { in90k: 90_000, out90k: 90_000 + 1000 * FRAME_90K, isCut: false },
  companion: CompanionUnits | null = null,
) {
  const timeline = new Timeline();
  const framer = new AccessUnitFramer(timeline, codec, FRAME, companion);
  framer.beginStretch({ epoch: timeline.begin(window.in90k), endsCut: window.isCut, ...window });
  return framer;
}

const taken = (framer: AccessUnitFramer) => {
  const out = [];
  for (let p = framer.queue.shift(); p; p = framer.queue.shift())
    out.push({ frame: Math.round(p.ticks / FRAME), key: p.key, discardable: p.discardable, length: p.length });
  return out;
};

const P = sequence(true);
/** I B B P B B, closed: decoding order I0 P3 B1 B2 P6 B4 B5. */
const closedGroup: readonly Coded[] = [
  { data: unit(P, slice('i', { idr: true })), shown: 0, decoded: -2 },
  { data: unit(slice('p', { number: 1 })), shown: 3, decoded: -1 },
  { data: unit(slice('b', { number: 2 })), shown: 1, decoded: 0 },
  { data: unit(slice('b', { number: 2 })), shown: 2, decoded: 1 },
  { data: unit(slice('p', { number: 2 })), shown: 6, decoded: 2 },
  { data: unit(slice('b', { number: 3 })), shown: 4, decoded: 3 },
  { data: unit(slice('b', { number: 3 })), shown: 5, decoded: 4 },
];

describe('H.264', () => {
  test('frames leave in order of decoding, on an even grid, with what they are', () => {
    const framer = framerOf(new H264Codec());
    feed(framer, closedGroup);
    framer.finish();
    const out = taken(framer);
    expect(out.map((f) => f.frame)).toEqual([0, 3, 1, 2, 6, 4, 5]);
    expect(out.map((f) => f.key)).toEqual([true, false, false, false, false, false, false]);
    expect(out.map((f) => f.discardable)).toEqual([false, false, true, true, false, true, true]);
    expect(framer.endTicks).toBe(7 * FRAME);
    expect(framer.account.left.size).toBe(0);
  });

  test('after an open start, pictures shown before it are left out; so is all before the first key', () => {
    const framer = framerOf(new H264Codec());
    feed(framer, [
      { data: unit(slice('p')), shown: 0, decoded: -3 },
      { data: unit(P, slice('i')), shown: 3, decoded: -2 },
      { data: unit(slice('b')), shown: 1, decoded: -1 },
      { data: unit(slice('b')), shown: 2, decoded: 0 },
      { data: unit(slice('p')), shown: 6, decoded: 1 },
      { data: unit(slice('b')), shown: 4, decoded: 2 },
      { data: unit(slice('b')), shown: 5, decoded: 3 },
    ]);
    framer.finish();
    expect(taken(framer).map((f) => f.frame)).toEqual([0, 3, 1, 2]);
    expect(framer.account.left.get('needs pictures before the cut')?.frames).toBe(3);
  });

  test('beyond the end, only what a picture before it needs is kept', () => {
    const window = { in90k: 90_000, out90k: 90_000 + 5 * FRAME_90K, isCut: false };
    const framer = framerOf(new H264Codec(), window);
    feed(framer, closedGroup);
    framer.finish();
    // B4 is before the end and needs P6; B5 is not, and nothing needs it.
    expect(taken(framer).map((f) => f.frame)).toEqual([0, 3, 1, 2, 6, 4]);
    expect(framer.account.left.get('outside the cut')?.frames).toBe(1);
  });

  test('both fields of a frame become one, also where the second is a P field; strangers do not', () => {
    const fields = sequence(false);
    const framer = framerOf(new H264Codec());
    feed(framer, [
      { data: unit(fields, slice('i', { idr: true, field: 'top' })), shown: 0, decoded: 0 },
      { data: unit(slice('p', { field: 'bottom' })), shown: 0.5, decoded: 0.5 },
      { data: unit(slice('p', { number: 1, field: 'top' })), shown: 1, decoded: 1 },
      { data: unit(slice('p', { number: 1, field: 'bottom' })), shown: 1.5, decoded: 1.5 },
      { data: unit(slice('p', { number: 2, interlaced: true })), shown: 2, decoded: 2 },
      { data: unit(slice('p', { number: 3, field: 'top' })), shown: 3, decoded: 3 },
      { data: unit(slice('p', { number: 4, field: 'top' })), shown: 4, decoded: 4 },
    ]);
    framer.finish();
    const out = taken(framer);
    expect(out.map((f) => f.frame)).toEqual([0, 1, 2, 3, 4]);
    expect(out[0]?.length).toBeGreaterThan(unit(fields, slice('i', { idr: true, field: 'top' })).byteLength);
    expect(framer.counts).toMatchObject({ frames: 5, progressive: 0, topFieldFirst: 5 });
  });

  test('units go out behind their lengths: start codes of either kind and the zeros before them are all that is not kept', () => {
    const framer = framerOf(new H264Codec());
    const body = slice('i', { idr: true });
    const data = Uint8Array.from([0, 0, 0, 1, 9, 0xf0, 0, 0, 0, 0, 1, ...P, 0, 0, 1, ...body, 0, 0]);
    feed(framer, [{ data, shown: 0, decoded: 0 }]);
    framer.finish();
    const packet = framer.queue.shift();
    const frame = prefixedFrame(framer, { position: packet?.position ?? 0, length: packet?.length ?? 0, companion: null }, ROOM);
    expect([...frame]).toEqual([0, 0, 0, 2, 9, 0xf0, 0, 0, 0, P.length, ...P, 0, 0, 0, body.length, ...body]);
    expect(framer.codec.format).toMatchObject({ widthPixels: 320, heightPixels: 192, profile: 'High', framesOnly: true });
    const configuration = framer.codec.configuration();
    expect([...(configuration?.subarray(0, 8) ?? [])]).toEqual([1, 100, 0, 31, 0xff, 0xe1, 0, P.length]);
  });

  test('however the stream is cut into packets, the frames are the same', () => {
    const whole = framerOf(new H264Codec());
    feed(whole, closedGroup);
    whole.finish();
    const wanted = taken(whole);
    for (let seed = 0; seed < 30; seed++) {
      const random = seeded(seed);
      const framer = framerOf(new H264Codec());
      for (const { data, shown, decoded } of closedGroup) {
        for (let at = 0; at < data.byteLength;) {
          const to = Math.min(data.byteLength, at + 1 + random.int(9));
          framer.append(data, at, to, at === 0 ? 90_000 + shown * FRAME_90K : -1, at === 0 ? 90_000 + decoded * FRAME_90K : -1, at === 0);
          at = to;
        }
      }
      framer.finish();
      expect(taken(framer)).toEqual(wanted);
    }
  });

  test('rubbish between the starts of packets is counted, and does no harm', () => {
    for (let seed = 0; seed < 60; seed++) {
      const random = seeded(seed);
      const framer = framerOf(new H264Codec());
      const data = closedGroup.map((c) => ({ ...c, data: random.int(3) === 0 ? random.bytes(1 + random.int(60)) : c.data }));
      feed(framer, data);
      framer.finish();
      const kept = taken(framer).reduce((sum, f) => sum + f.length, 0);
      const left = [...framer.account.left.values()].reduce((sum, l) => sum + l.bytes, 0);
      expect(kept + left).toBe(framer.account.seenBytes);
    }
  });
});

describe('two views', () => {
  const dependent = (n: number) =>
    Uint8Array.from([...START, 24, 0xf0, ...START, 0x6f, 128, 0, 31, 0x88, n, ...START, 0x74, 0x40, 0, 0x07, 0x11, n]);

  test('the second view’s units stand behind the first’s in the same frame, found by their time', () => {
    const companion = new CompanionUnits(new H264Codec());
    const framer = framerOf(new H264Codec(), undefined, companion);
    closedGroup.forEach(({ shown }, i) => {
      const data = dependent(i + 1);
      companion.append(data, 0, data.byteLength, 90_000 + shown * FRAME_90K, true);
    });
    feed(framer, closedGroup);
    framer.finish();
    for (let i = 0, p = framer.queue.shift(); p; i++, p = framer.queue.shift()) {
      const frame = prefixedFrame(framer, p, ROOM);
      expect([...frame.subarray(-6)]).toEqual([0x74, 0x40, 0, 0x07, 0x11, i + 1]);
    }
    expect(framer.lonelyFrames).toBe(0);
    expect(companion.account.takenBytes).toBe(7 * dependent(0).byteLength);
  });

  test('a frame whose second view never comes is counted, and waits no longer than to the end', () => {
    const companion = new CompanionUnits(new H264Codec());
    const framer = framerOf(new H264Codec(), undefined, companion);
    feed(framer, closedGroup);
    expect(framer.queue.size).toBe(0);
    framer.finish();
    expect(framer.queue.size).toBe(7);
    expect(framer.lonelyFrames).toBe(7);
  });
});

describe('HEVC and VC-1', () => {
  const hevc = (type: number, ...body: number[]) => [type << 1, 1, ...body];

  test('of HEVC, leading pictures that need what was before are left out, those that do not are kept', () => {
    const framer = framerOf(new HevcCodec());
    const au = (type: number) => Uint8Array.from([...START, ...hevc(35, 0x50), ...START, ...hevc(type, 0x80, 0x11)]);
    feed(framer, [
      { data: au(21), shown: 3, decoded: 0 }, // CRA
      { data: au(8), shown: 1, decoded: 1 }, //  RASL
      { data: au(9), shown: 2, decoded: 2 },
      { data: au(1), shown: 5, decoded: 3 },
      { data: au(0), shown: 4, decoded: 4 },
      { data: au(19), shown: 8, decoded: 5 }, // IDR with
      { data: au(7), shown: 7, decoded: 6 }, //  a decodable leading picture
    ]);
    framer.finish();
    const out = taken(framer);
    expect(out.map((f) => f.frame)).toEqual([0, 2, 1, 5, 4]);
    expect(out.map((f) => f.key)).toEqual([true, false, false, true, false]);
    expect(out.map((f) => f.discardable)).toEqual([false, false, true, false, false]);
  });

  test('VC-1 keeps its start codes; its headers become the configuration', () => {
    const codec = new Vc1Codec();
    const framer = framerOf(codec);
    const header = [0x0f, ...bits([3, 2], [3, 3], [1, 2], [0, 9], [639, 12], [359, 12], [1, 1], [0, 1], [1, 10])];
    const first = Uint8Array.from([0, 0, 1, ...header, 0, 0, 1, 0x0e, 0x42, 0, 0, 1, 0x0d, 0b11000000, 0x55]);
    const second = Uint8Array.from([0, 0, 1, 0x0d, 0b10000000, 0x66]);
    feed(framer, [
      { data: first, shown: 0, decoded: 0 },
      { data: second, shown: 1, decoded: 1 },
    ]);
    framer.finish();
    const packet = framer.queue.shift();
    expect([...framer.es.view(packet?.position ?? 0, packet?.length ?? 0)]).toEqual([...first]);
    expect(framer.queue.shift()).toMatchObject({ key: false, discardable: true });
    expect(codec.format).toMatchObject({ widthPixels: 1280, heightPixels: 720 });
    const configuration = codec.configuration();
    expect(new TextDecoder().decode(configuration?.subarray(16, 20))).toBe('WVC1');
    expect([...(configuration?.subarray(41) ?? [])]).toEqual([0, 0, 1, ...header, 0, 0, 1, 0x0e, 0x42]);
  });
});

describe('graphics', () => {
  const segment = (type: number, ...body: number[]) => Uint8Array.from([type, 0, body.length, ...body]);
  const composition = (objects: number, forced = false) =>
    segment(
      0x16,
      7,
      0x80,
      4,
      0x38,
      0x10,
      0,
      1,
      0x80,
      0,
      0,
      objects,
      ...Array.from({ length: objects }, () => [0, 0, 0, forced ? 0x40 : 0, 0, 0, 0, 0]).flat(),
    );
  const END = segment(0x80);
  const OBJECT = segment(0x15, 0, 0, 0, 0xc0, 1, 2, 3);

  function graphics() {
    const timeline = new Timeline();
    const epoch = timeline.begin(90_000);
    timeline.placeBase(epoch, 0);
    const framer = new PgsFramer(timeline);
    framer.beginPiece({ notBefore: Number.NEGATIVE_INFINITY });
    const put = (data: Uint8Array, seconds: number | null) => {
      framer.append(data, 0, data.byteLength, seconds === null ? -1 : 90_000 + seconds * 90_000, epoch);
      framer.process(false);
    };
    const out = () => {
      framer.process(true);
      const list = [];
      for (let p = framer.queue.shift(); p; p = framer.queue.shift()) list.push([p.ticks / 27e6, p.length, p.key]);
      return list;
    };
    return { framer, put, out };
  }

  test('display sets are put together from their packets, at the time of the composition', () => {
    const { framer, put, out } = graphics();
    for (const [data, at] of [
      [composition(1, true), 1],
      [OBJECT, 1],
      [END, 1],
      [composition(0), 3],
      [END, 3],
    ] as const)
      put(data, at);
    const full = composition(1).byteLength + OBJECT.byteLength + END.byteLength;
    expect(out()).toEqual([
      [1, full, true],
      [3, composition(0).byteLength + END.byteLength, true],
    ]);
    expect(framer.forcedTicks).toEqual([27e6]);
    expect(framer.account.left.size).toBe(0);
  });

  test('what is on the screen at a cut is shown from there; what ended before or begins behind is left out; a set without its end, or its beginning, too', () => {
    const { framer, put, out } = graphics();
    framer.beginPiece({ notBefore: 2 * 27e6 });
    put(OBJECT, 0); // the beginning is missing
    put(END, null);
    put(composition(1), 0.5); // ended before the cut
    put(END, null);
    put(composition(0), 0.8);
    put(END, null);
    put(composition(1), 1); // on the screen at the cut
    put(END, null);
    put(composition(1), 3);
    put(END, null);
    put(composition(1), 4); // its end never comes
    put(composition(0), 5);
    put(END, null);
    framer.process(false);
    framer.endPieceAt(4.5 * 27e6);
    expect(out().map(([seconds]) => seconds)).toEqual([2, 3]);
    expect(framer.account.left.get('outside the cut')?.frames).toBe(3);
    expect(framer.account.left.get('incomplete')?.bytes).toBe(OBJECT.byteLength + END.byteLength + composition(1).byteLength);
  });

  test('anything at all is either taken or counted', () => {
    for (let seed = 0; seed < 200; seed++) {
      const random = seeded(seed);
      const { framer, put, out } = graphics();
      for (let i = 0; i < 12; i++)
        put(random.pick([composition(1), composition(0), OBJECT, END, random.bytes(1 + random.int(30))]), random.int(2) ? i : null);
      const kept = out().reduce((sum, [, length]) => sum + Number(length), 0);
      const left = [...framer.account.left.values()].reduce((sum, l) => sum + l.bytes, 0);
      expect(kept + left).toBe(framer.account.seenBytes);
    }
  });
});

describe('sound of Blu-ray', () => {
  function sound(format: ConstructorParameters<typeof AudioFramer>[1]) {
    const timeline = new Timeline();
    const epoch = timeline.begin(90_000);
    timeline.placeBase(epoch, 0);
    const framer = new AudioFramer(timeline, format);
    framer.beginPiece({ notBefore: Number.NEGATIVE_INFINITY, midFrame: false });
    return {
      framer,
      put: (data: Uint8Array, pts90k: number) => {
        framer.append(data, 0, data.byteLength, pts90k, epoch);
        framer.process(false);
      },
      out: () => {
        framer.process(true);
        const list: { bytes: number; ticks: number; key: boolean }[] = [];
        for (let p = framer.queue.shift(); p; p = framer.queue.shift()) list.push({ bytes: p.length, ticks: p.ticks, key: p.key });
        return list;
      },
    };
  }
  const eac3 = (bytes: number, kind: number) => {
    const frame = new Uint8Array(bytes);
    frame.set([0x0b, 0x77, ...bits([kind, 2], [0, 3], [bytes / 2 - 1, 11], [0, 2], [3, 2], [7, 3], [1, 1], [16, 5])]);
    return frame;
  };

  test('E-AC-3: dependent frames go with the one before, also at the end of the stream', () => {
    const { put, out, framer } = sound(unitFormat(readEac3Unit));
    for (let i = 0; i < 4; i++) {
      put(eac3(400, 0), 90_000 + i * 2880);
      put(eac3(200, 1), -1);
    }
    expect(out()).toEqual([0, 1, 2, 3].map((i) => ({ bytes: 600, ticks: i * 864_000, key: true })));
    expect(framer.account.left.size).toBe(0);
  });

  test('DTS: the last core without an extension is whole', () => {
    const core = new Uint8Array(96);
    core.set([0x7f, 0xfe, 0x80, 0x01, ...bits([1, 1], [31, 5], [0, 1], [15, 7], [95, 14], [9, 6], [13, 4], [15, 5], [0, 10], [1, 2])]);
    const { put, out } = sound(unitFormat(readDtsHdUnit));
    for (let i = 0; i < 3; i++) put(core, 90_000 + i * 960);
    expect(out()).toEqual([0, 1, 2].map((i) => ({ bytes: 96, ticks: i * 288_000, key: true })));
  });

  test('TrueHD: what comes before the first sync can not be decoded and is left out', () => {
    const plain = Uint8Array.from([0xf0, 0x08, 0, 0, ...new Array<number>(12).fill(1)]);
    const sync = Uint8Array.from([
      0xf0,
      0x10,
      0,
      0,
      0xf8,
      0x72,
      0x6f,
      0xba,
      ...bits([0, 4], [0, 4], [0, 4], [1, 5], [0, 2], [0, 13]),
      ...new Array<number>(20).fill(1),
    ]);
    const { put, out, framer } = sound(trueHdFormat());
    put(plain, 90_000);
    put(plain, 90_075);
    put(sync, 90_150);
    put(plain, 90_225);
    put(plain, 90_300);
    const found = out();
    expect(found.map((f) => [f.bytes, f.key])).toEqual([
      [32, true],
      [16, false],
      [16, false],
    ]);
    expect(found[0]?.ticks).toBe(150 * 300);
    expect([...framer.account.left.values()].reduce((sum, l) => sum + l.bytes, 0)).toBe(32);
  });
});
