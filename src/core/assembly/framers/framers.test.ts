import { SubpictureFramer } from './subpicture-framer';
import { framedFormat, lpcmFormat } from './audio-formats';
import { hdmvLpcmFormat } from './audio-formats-hd';
import { AudioFramer } from './audio-framer';
import { EsBuffer } from './es-buffer';
import { FaultLog } from '../faults';
import { Marks, Timeline } from '../timeline';
import { VideoFramer } from './video-framer';
import { readAc3Header, type LpcmLayout } from '../../streams';
import { seeded } from '@/test-support/random';
import type { HeldPacket, PacketQueue } from '../packet';

/** Elementary streams built byte by byte, so that every time in them is known beforehand. */

const MS = 27_000;
const WRAP = 2 ** 33;

function drain(queue: PacketQueue): HeldPacket[] {
  const packets: HeldPacket[] = [];
  for (let p = queue.shift(); p; p = queue.shift()) packets.push(p);
  return packets;
}
const brief = (packets: readonly HeldPacket[]) => packets.map((p) => [p.position, p.length, p.ticks]);

describe('the clock of the output', () => {
  test('goes on over restarts of the disc’s clock, and over its wrap', () => {
    const timeline = new Timeline();
    const first = timeline.begin(WRAP - 90_000);
    timeline.place(first, WRAP - 90_000, 0);
    expect(timeline.map(first, 90_000)).toBe(2000 * MS);
    expect(timeline.map(first, WRAP - 180_000)).toBe(-1000 * MS);
    const second = timeline.begin(500);
    expect(timeline.isPlaced(second)).toBe(false);
    timeline.place(second, 9500, 5000 * MS);
    expect(timeline.map(second, 500)).toBe(4900 * MS);
    timeline.shift(second, 10 * MS);
    expect(timeline.map(second, 9500)).toBe(5010 * MS);
    expect(() => timeline.map(timeline.begin(0), 0)).toThrow('before it was placed');
  });

  test('a stamp counts from its place on, and once', () => {
    const marks = new Marks();
    for (const position of [0, 100, 150, 400]) marks.add({ position, pts90k: position, epoch: 0 });
    expect(marks.takeUpTo(50)?.pts90k).toBe(0);
    expect(marks.takeUpTo(99)).toBeNull();
    expect(marks.takeUpTo(200)?.pts90k).toBe(150);
    expect(marks.peek()?.position).toBe(400);
    expect(marks.peekAfter(400)).toBeNull();
  });
});

describe('the buffer of a stream', () => {
  test.each([1, 2, 3, 4])('gives back what was put in, by position, however it moves and grows (seed %i)', (seed) => {
    const random = seeded(seed);
    const es = new EsBuffer(256);
    const all: number[] = [];
    let released = 0;
    let moves = 0;
    es.beforeMove = () => moves++;
    for (let i = 0; i < 400; i++) {
      const chunk = random.bytes(random.int(90));
      es.append(chunk, 0, chunk.byteLength);
      all.push(...chunk);
      expect(es.end).toBe(all.length);
      const from = released + random.int(all.length - released + 1);
      expect([...es.view(from, all.length - from)]).toEqual(all.slice(from));
      if (random.int(3) > 0) {
        released = from;
        es.release(released);
      }
    }
    expect(moves).toBeGreaterThan(5);
  });

  test('holds back no more than is believable', () => {
    const es = new EsBuffer(1024);
    const chunk = new Uint8Array(8 * 1024 * 1024);
    expect(() => {
      for (let i = 0; i < 20; i++) es.append(chunk, 0, chunk.byteLength);
    }).toThrow(RangeError);
  });
});

interface PictureSketch {
  readonly type: 1 | 2 | 3;
  readonly reference: number;
  readonly structure?: 1 | 2 | 3;
  readonly repeat?: boolean;
  readonly topFirst?: boolean;
  readonly sequence?: boolean;
  readonly closed?: boolean;
}

const SEQUENCE_NTSC = [0, 0, 1, 0xb3, 0x2d, 0x01, 0xe0, 0x34, 0x24, 0x9f, 0x23, 0x80, 0, 0, 1, 0xb5, 0x14, 0x82, 0x00, 0x01, 0x00, 0x00];
const FIELD_TICKS = 450_450;

/** A coded picture: headers as the standard writes them, slices of nothing. */
function picture(p: PictureSketch): number[] {
  const head = [...(p.sequence ? SEQUENCE_NTSC : []), ...(p.sequence ? [0, 0, 1, 0xb8, 0, 8, 0, p.closed ? 0x40 : 0] : [])];
  const header = [0, 0, 1, 0, p.reference >> 2, ((p.reference & 3) << 6) | (p.type << 3), 0, 0];
  const coding = [0, 0, 1, 0xb5, 0x8f, 0xff, (p.structure ?? 3) & 3, ((p.topFirst ?? true) ? 0x80 : 0) | (p.repeat ? 2 : 0), 0x80];
  return [...head, ...header, ...coding, 0, 0, 1, 1, 0x22, 0x33, 0, 0, 1, 2, 0x44, 0x55, 0x66];
}

/** Feeds pictures in pieces of `step` bytes, with stamps at some of them. @returns packets in decoding order. */
function frameVideo(pictures: readonly PictureSketch[], stamps: ReadonlyMap<number, number>, step: number, cut = false) {
  const timeline = new Timeline();
  const framer = new VideoFramer(timeline);
  framer.beginPiece({ isCut: cut });
  const epoch = timeline.begin(0);
  const packets: HeldPacket[] = [];
  pictures.forEach((p, i) => {
    const bytes = Uint8Array.from(picture(p));
    for (let at = 0; at < bytes.byteLength; at += step) {
      framer.append(bytes, at, Math.min(bytes.byteLength, at + step), at === 0 ? (stamps.get(i) ?? -1) : -1, epoch);
      framer.scan(epoch);
      packets.push(...drain(framer.queue));
    }
  });
  framer.finish(epoch);
  packets.push(...drain(framer.queue));
  return { framer, packets };
}

const I: PictureSketch = { type: 1, reference: 2, sequence: true };
/** I B B P B B in decoding order: shown as B B I, B B P. */
const group = (closed = false): PictureSketch[] => [
  { ...I, closed },
  { type: 3, reference: 0 },
  { type: 3, reference: 1 },
  { type: 2, reference: 5 },
  { type: 3, reference: 3 },
  { type: 3, reference: 4 },
];

describe('pictures', () => {
  test.each([1, 3, 17, 5000])('are found and timed alike, however the stream is cut (%i bytes)', (step) => {
    const whole = frameVideo([...group(), ...group()], new Map([[0, 6006]]), 100_000);
    const pieces = frameVideo([...group(), ...group()], new Map([[0, 6006]]), step);
    expect(brief(pieces.packets)).toEqual(brief(whole.packets));
    expect(whole.packets).toHaveLength(12);
  });

  test('only one stamp is needed: all others follow from types and order', () => {
    const { packets } = frameVideo([...group(), ...group()], new Map([[0, 6006]]), 64);
    const shown = packets.map((p) => p.ticks / (2 * FIELD_TICKS));
    // Decoding order I B B P B B: the I picture is shown third.
    expect(shown).toEqual([2, 0, 1, 5, 3, 4, 8, 6, 7, 11, 9, 10]);
    expect(packets.map((p) => p.key)).toEqual([true, false, false, false, false, false, true, false, false, false, false, false]);
  });

  test('repeated fields make film out of 24 pictures a second: two and three fields in turn', () => {
    const film = Array.from({ length: 8 }, (_, i): PictureSketch => ({
      type: 1,
      reference: i,
      sequence: true,
      repeat: i % 2 === 0,
      topFirst: i % 4 < 2,
    }));
    const { packets, framer } = frameVideo(film, new Map([[0, 0]]), 40);
    expect(packets.map((p) => p.ticks / FIELD_TICKS)).toEqual([0, 3, 5, 8, 10, 13, 15, 18]);
    expect(framer.counts).toMatchObject({ frames: 8, repeated: 4, totalTicks: 20 * FIELD_TICKS });
  });

  test('a change from film to interlaced video in mid-title loses and invents nothing', () => {
    const mixed = Array.from({ length: 40 }, (_, i): PictureSketch => ({
      type: 1,
      reference: 0,
      sequence: true,
      repeat: i < 20 && i % 2 === 0,
    }));
    // Stamps every five pictures, rounded to 90 kHz as on discs.
    const fieldsBefore = (n: number) => mixed.slice(0, n).reduce((sum, p) => sum + (p.repeat ? 3 : 2), 0);
    const stamps = new Map(mixed.flatMap((_, i) => (i % 5 === 0 ? [[i, Math.floor((fieldsBefore(i) * FIELD_TICKS) / 300)] as const] : [])));
    const { packets, framer } = frameVideo(mixed, stamps, 33);
    expect(packets.map((p) => p.ticks)).toEqual(mixed.map((_, i) => fieldsBefore(i) * FIELD_TICKS));
    expect(framer.account.irregularityCount).toBe(0);
  });

  test('two fields make one frame', () => {
    const fields: PictureSketch[] = [0, 1, 2].flatMap((n) => [
      { type: 1, reference: n, structure: 1, sequence: true },
      { type: 2, reference: n, structure: 2 },
    ]);
    const { packets } = frameVideo(fields, new Map([[0, 0]]), 50);
    expect(packets.map((p) => [p.ticks / FIELD_TICKS, p.durationTicks])).toEqual([
      [0, 2 * FIELD_TICKS],
      [2, 2 * FIELD_TICKS],
      [4, 2 * FIELD_TICKS],
    ]);
  });

  test('after a cut, pictures that need earlier ones are left out and counted; of a closed group none are', () => {
    const open = frameVideo([...group(), ...group()], new Map([[0, 6006]]), 64, true);
    expect(open.packets).toHaveLength(10);
    expect(open.framer.account.left.get('needs pictures before the cut')?.frames).toBe(2);
    expect(frameVideo(group(true), new Map([[0, 6006]]), 64, true).packets).toHaveLength(6);
  });

  test('a jump of the stamps is kept as a gap and noted; jitter is not', () => {
    const frames = Array.from({ length: 10 }, (_, i): PictureSketch => ({ type: 1, reference: 0, sequence: true, closed: i >= 0 }));
    const at = (n: number, jump: number) => Math.round((n * 2 * FIELD_TICKS) / 300) + jump;
    const late = (...stamped: readonly (readonly [frame: number, late90k: number])[]) =>
      frameVideo(frames, new Map([[0, 0], ...stamped.map(([n, by]) => [n, at(n, by)] as const)]), 64);
    const gap = late([5, 90_000], [7, 90_000]);
    expect(gap.packets[7]?.ticks).toBeCloseTo(7 * 2 * FIELD_TICKS + 27_000_000, -3);
    expect(gap.framer.account.irregularities).toHaveLength(1);
    // One wrong bit in a stamp moves nothing: the next does not agree with it.
    const wrong = late([5, 2 ** 20], [7, 0]);
    expect(wrong.packets.map((p) => p.ticks)).toEqual(frames.map((_, i) => i * 2 * FIELD_TICKS));
    expect(wrong.framer.account.irregularityCount).toBe(0);
    const jitter = frameVideo(
      frames,
      new Map([
        [0, 0],
        [3, at(3, 40)],
        [6, at(6, -40)],
      ]),
      64,
    );
    expect(jitter.framer.account.irregularityCount).toBe(0);
    expect(jitter.packets.map((p) => p.ticks)).toEqual(frames.map((_, i) => i * 2 * FIELD_TICKS));
  });

  test('random bytes give no frame and no crash, and every byte is accounted for', () => {
    for (let seed = 0; seed < 60; seed++) {
      const random = seeded(seed);
      const timeline = new Timeline();
      const framer = new VideoFramer(timeline);
      framer.beginPiece({ isCut: false });
      const epoch = timeline.begin(0);
      let taken = 0;
      for (let i = 0; i < 40; i++) {
        const data = random.int(2)
          ? random.bytes(random.int(300))
          : Uint8Array.from(picture({ ...random.pick(group()), reference: random.int(1024) }));
        if (random.int(5) === 0) data.set([0, 0, 1].slice(0, data.byteLength));
        framer.append(data, 0, data.byteLength, random.int(3) ? -1 : random.int(2 ** 31), epoch);
        framer.scan(epoch);
      }
      framer.finish(epoch);
      for (const packet of drain(framer.queue)) taken += packet.length;
      const left = [...framer.account.left.values()].reduce((sum, l) => sum + l.bytes, 0);
      expect(taken + left).toBe(framer.account.seenBytes);
    }
  });
});

/** AC-3 frames of 192 kb/s, 768 bytes and 32 ms each. */
const AC3_FRAME_TICKS = 32 * MS;
function ac3(frames: number, fill = 0x55): Uint8Array {
  const data = new Uint8Array(frames * 768).fill(fill);
  for (let i = 0; i < frames; i++) data.set([0x0b, 0x77, 0x12, 0x34, 20, 0x40, 0x40], i * 768);
  return data;
}

function audioAt(timeline: Timeline, pts = 0): { framer: AudioFramer; epoch: number } {
  const epoch = timeline.begin(pts);
  timeline.place(epoch, pts, 0);
  const framer = new AudioFramer(timeline, framedFormat(readAc3Header));
  framer.beginPiece({ notBefore: Number.NEGATIVE_INFINITY, midFrame: false });
  return { framer, epoch };
}

test('where flags give a field more than stamps, the stamp is followed and no sound moves: a picture takes the rest of its predecessor', () => {
  // Interlaced pictures, then film: the stamps from there on are one field earlier than the flags say.
  const frames = Array.from({ length: 24 }, (_, i): PictureSketch => ({
    type: i % 12 === 0 ? 1 : 2,
    reference: i % 12,
    sequence: i % 12 === 0,
  }));
  const field90k = FIELD_TICKS / 300;
  const at = (n: number, fields: number) => Math.round((2 * n - fields) * field90k);
  const { framer, packets } = frameVideo(
    frames,
    new Map([
      [0, at(0, 0)],
      [6, at(6, 0)],
      [12, at(12, 1)],
      [15, at(15, 1)],
      [18, at(18, 1)],
    ]),
    64,
  );
  expect(packets[23]?.ticks).toBeCloseTo((2 * 23 - 1) * FIELD_TICKS, -3);
  expect(packets[12]?.ticks).toBeLessThanOrEqual(24 * FIELD_TICKS);
  // The clock itself has not been moved: a stamp of sound stands where it stood.
  expect(framer.endTicks).toBeCloseTo((2 * 24 - 1) * FIELD_TICKS, -3);
});

describe('sound in frames', () => {
  test.each([1, 100, 768, 2013])('is cut at frames and timed from one stamp on, in pieces of %i bytes', (step) => {
    const { framer, epoch } = audioAt(new Timeline());
    const data = ac3(12);
    for (let at = 0; at < data.byteLength; at += step) {
      framer.append(data, at, Math.min(data.byteLength, at + step), at === 0 ? 900 : -1, epoch);
      framer.process(false);
    }
    framer.process(true);
    expect(brief(drain(framer.queue))).toEqual(Array.from({ length: 12 }, (_, i) => [i * 768, 768, 10 * MS + i * AC3_FRAME_TICKS]));
    expect(framer.account.irregularityCount).toBe(0);
  });

  test('what is no frame is passed over and counted, and sync is found again', () => {
    const { framer, epoch } = audioAt(new Timeline());
    const noise = seeded(1).bytes(500);
    for (const [piece, pts] of [
      [ac3(2), 0],
      [noise, -1],
      [ac3(2), -1],
    ] as const)
      framer.append(piece, 0, piece.byteLength, pts, epoch);
    framer.process(true);
    expect(drain(framer.queue)).toHaveLength(4);
    expect(framer.account.left.get('not part of any frame')?.bytes).toBe(500);
  });

  test('a gap of the stamps is a gap in the output; an overlap is left out', () => {
    const { framer, epoch } = audioAt(new Timeline());
    framer.append(ac3(2), 0, 1536, 0, epoch);
    for (const late of [164, 228]) framer.append(ac3(2), 0, 1536, 90 * late, epoch); // a hundred milliseconds late, both
    for (const early of [228, 292]) framer.append(ac3(2), 0, 1536, 90 * early, epoch); // two frames early, both
    framer.process(true);
    expect(drain(framer.queue).map((p) => p.ticks / MS)).toEqual([0, 32, 164, 196, 228, 260, 292, 324]);
    expect(framer.account.left.get('overlaps the part before')).toEqual({ bytes: 1536, frames: 2, ticks: 64 * MS });
    expect(framer.account.irregularityCount).toBeGreaterThanOrEqual(2);
  });

  test('one wrong stamp is not followed, and said; what comes after a missing piece is', () => {
    const { framer, epoch } = audioAt(new Timeline());
    const faults = new FaultLog();
    framer.account.log = { faults, track: 1 };
    for (const stamp of [0, 64, 128 + 2 ** 14, 192, 256]) framer.append(ac3(2), 0, 1536, 90 * stamp, epoch);
    framer.process(false);
    framer.append(ac3(1), 0, 300, -1, epoch);
    framer.breakHere();
    framer.append(ac3(2), 0, 1536, 90 * 1000, epoch);
    framer.process(true);
    expect(drain(framer.queue).map((p) => p.ticks / MS)).toEqual([0, 32, 64, 96, 128, 160, 192, 224, 256, 288, 1000, 1032]);
    expect(framer.account.left.get('incomplete')?.bytes).toBe(300);
    expect(faults.list(null, 0)).toMatchObject([
      { kind: 'stamp', track: 1, atMs: 128 },
      { kind: 'gap', track: 1, atMs: 320, ms: 680 },
    ]);
  });

  test('a frame that the restart of the clock cuts off is left out, not joined to the next', () => {
    const timeline = new Timeline();
    const { framer, epoch } = audioAt(timeline);
    framer.append(ac3(2), 0, 1536 - 300, 0, epoch);
    const next = timeline.begin(7_000);
    timeline.place(next, 7_000, 64 * MS);
    framer.append(ac3(2), 0, 1536, 7_000, next);
    framer.process(true);
    expect(drain(framer.queue).map((p) => [p.length, p.ticks / MS])).toEqual([
      [768, 0],
      [768, 64],
      [768, 96],
    ]);
    expect(framer.account.left.get('incomplete')?.bytes).toBe(468);
  });

  test('a piece is cut to its time on both sides', () => {
    const { framer, epoch } = audioAt(new Timeline());
    framer.beginPiece({ notBefore: 50 * MS, midFrame: false });
    framer.append(ac3(10), 0, 7680, 0, epoch);
    framer.process(false);
    expect(framer.hasPassed(200 * MS)).toBe(true);
    framer.endPieceAt(200 * MS);
    framer.process(true);
    expect(drain(framer.queue).map((p) => p.ticks / MS)).toEqual([64, 96, 128, 160, 192]);
    expect(framer.account.left.get('outside the cut')?.frames).toBe(5);
  });
});

describe('LPCM', () => {
  const layout: LpcmLayout = { bitDepth: 16, channels: 2, sampleRateHz: 48000 };
  const BYTES_PER_MS = 192;
  const make = () => {
    const timeline = new Timeline();
    const epoch = timeline.begin(0);
    timeline.place(epoch, 0, 0);
    const framer = new AudioFramer(timeline, lpcmFormat(layout));
    framer.beginPiece({ notBefore: Number.NEGATIVE_INFINITY, midFrame: false });
    return { timeline, epoch, framer };
  };
  const feed = (framer: AudioFramer, epoch: number, ms: number, pts: number, markAt = 0) => {
    framer.append(new Uint8Array(ms * BYTES_PER_MS), 0, ms * BYTES_PER_MS, pts, epoch, markAt);
  };

  test('stamps that swing round the truth do not move the sound', () => {
    const { framer, epoch } = make();
    // Ten seconds in packets of 10 ms; stamps up to 9 ms late in a saw-tooth of 2.5 s.
    for (let i = 0; i < 1000; i++) {
      feed(framer, epoch, 10, Math.round(90 * (10 * i + 9 * (1 - (i % 250) / 250) * (i > 0 ? 1 : 0))));
      framer.process(false);
    }
    framer.process(true);
    const packets = drain(framer.queue);
    packets.forEach((p, i) => expect(p.ticks).toBe(i * 20 * MS));
    expect(framer.account.irregularityCount).toBe(0);
  });

  test('a deviation that stays is believed in the end, a large one as soon as a second stamp agrees', () => {
    const { framer, epoch } = make();
    for (let i = 0; i < 600; i++) feed(framer, epoch, 10, 90 * (10 * i + (i >= 50 ? 8 : 0)));
    framer.process(true);
    const packets = drain(framer.queue);
    expect(packets.at(-1)?.ticks).toBe((6000 - 20 + 8) * MS);
    expect(framer.account.irregularityCount).toBe(1);
    const jump = make();
    feed(jump.framer, jump.epoch, 40, 0);
    feed(jump.framer, jump.epoch, 40, 90 * 140);
    feed(jump.framer, jump.epoch, 40, 90 * 180);
    jump.framer.process(true);
    expect(drain(jump.framer.queue).map((p) => p.ticks / MS)).toEqual([0, 20, 140, 160, 180, 200]);
  });

  test('at a restart of the clock no sample goes, whether stamps leave a little room or overlap; only what is heard twice does, to the sample', () => {
    const joined = (at: number) => {
      const { framer, epoch, timeline } = make();
      feed(framer, epoch, 50, 0);
      const next = timeline.begin(0);
      timeline.place(next, 0, at * MS);
      feed(framer, next, 143, 0);
      framer.process(true);
      const packets = drain(framer.queue);
      return { packets, bytes: packets.reduce((sum, p) => sum + p.length, 0), left: framer.account.left };
    };
    for (const at of [37, 47, 50, 53, 70]) expect(joined(at)).toMatchObject({ bytes: 193 * BYTES_PER_MS, left: new Map() });
    // Three milliseconds are the unrest of stamps: samples simply go on.
    for (const at of [47, 53])
      expect(
        joined(at)
          .packets.map((p) => p.ticks / MS)
          .slice(0, 5),
      ).toEqual([0, 20, 40, 50, 70]);
    // Time never goes back, however much or little stamps overlap: no reader of the file expects that.
    for (let at = -30; at <= 80; at++) {
      const times = joined(at).packets.map((p) => p.ticks);
      expect(times).toEqual([...times].sort((a, b) => a - b));
    }
    const twice = joined(-20);
    expect(twice.left.get('overlaps the part before')?.bytes).toBe(70 * BYTES_PER_MS);
    expect(twice.bytes).toBe((193 - 70) * BYTES_PER_MS);
  });

  test('on Blu-ray stamps are exact: at a join what is heard twice goes, to the sample, and what follows stands where its stamp says', () => {
    const hdmv = { bitDepth: 16, channels: 2, sampleRateHz: 48000, assignment: 3 } as const;
    for (let at = 0; at <= 60; at++) {
      const timeline = new Timeline();
      const epoch = timeline.begin(0);
      timeline.place(epoch, 0, 0);
      const framer = new AudioFramer(timeline, hdmvLpcmFormat(hdmv));
      framer.beginPiece({ notBefore: Number.NEGATIVE_INFINITY, midFrame: false });
      for (let i = 0; i < 10; i++) feed(framer, epoch, 5, 90 * 5 * i);
      const next = timeline.begin(0);
      timeline.place(next, 0, at * MS);
      for (let i = 0; i < 30; i++) feed(framer, next, 5, 90 * 5 * i);
      framer.process(true);
      const packets = drain(framer.queue);
      const times = packets.map((p) => p.ticks);
      expect(times).toEqual([...times].sort((a, b) => a - b));
      // Up to five milliseconds are the unrest of stamps.
      const overlap = 50 - at > 5 ? 50 - at : 0;
      expect(framer.account.left.get('overlaps the part before')?.bytes ?? 0).toBe(overlap * BYTES_PER_MS);
      const last = packets.at(-1);
      const end = Math.abs(50 - at) > 5 ? at + 150 : 200;
      expect(((last?.ticks ?? 0) + (last?.durationTicks ?? 0)) / MS).toBeCloseTo(end, 6);
    }
  });

  test('two pieces that meet inside a run share it out between them, to the sample', () => {
    const pieces = [
      [Number.NEGATIVE_INFINITY, 47.5],
      [47.5, 130],
    ] as const;
    const bytes = pieces.map(([from, to]) => {
      const { framer, epoch } = make();
      framer.beginPiece({ notBefore: from * MS, midFrame: from > 0 });
      feed(framer, epoch, 200, 0);
      framer.process(false);
      framer.endPieceAt(to * MS);
      framer.process(true);
      return drain(framer.queue).reduce((sum, p) => sum + p.length, 0);
    });
    expect(bytes).toEqual([47.5 * BYTES_PER_MS, 82.5 * BYTES_PER_MS]);
  });

  test('behind a missing piece samples go on with the next packet, not in the middle of one', () => {
    const { framer, epoch } = make();
    feed(framer, epoch, 40, 0);
    framer.append(new Uint8Array(191), 0, 191, -1, epoch);
    framer.breakHere();
    feed(framer, epoch, 40, 90 * 100);
    feed(framer, epoch, 40, 90 * 140);
    framer.process(true);
    const packets = drain(framer.queue);
    expect(packets.map((p) => p.length % 4)).toEqual(packets.map(() => 0));
    expect(packets.map((p) => p.ticks / MS)).toEqual([0, 20, expect.closeTo(40, 6), 100, 120, 140, 160]);
  });

  test('a stamp in the middle of a packet counts from its access unit', () => {
    const { framer, epoch } = make();
    feed(framer, epoch, 20, 90 * 105, 5 * BYTES_PER_MS);
    feed(framer, epoch, 20, -1);
    framer.process(true);
    // The first five milliseconds came before any stamp: nobody knows when they belong.
    expect(drain(framer.queue)[0]?.ticks).toBe(120 * MS);
  });
});

describe('subtitles', () => {
  const unit = (size: number, forced = false) => {
    const data = new Uint8Array(size);
    data.set([size >> 8, size & 255, 0, 4, 0, 0, 0, 20, forced ? 0 : 1, 0xff]);
    data.set([0, 10, 0, 20, 2, 0xff], 20);
    return data;
  };
  const make = () => {
    const timeline = new Timeline();
    const epoch = timeline.begin(0);
    timeline.place(epoch, 0, 0);
    const framer = new SubpictureFramer(timeline);
    framer.beginPiece({ notBefore: Number.NEGATIVE_INFINITY });
    return { framer, epoch };
  };

  test.each([1, 13, 40, 4000])('are put together from pieces of %i bytes, with their times', (step) => {
    const { framer, epoch } = make();
    for (const [data, pts] of [
      [unit(300), 9000],
      [unit(2500, true), 90_000],
    ] as const) {
      for (let at = 0; at < data.byteLength; at += step) {
        framer.append(data, at, Math.min(data.byteLength, at + step), at === 0 ? pts : -1, epoch);
        framer.process(false);
      }
    }
    framer.process(true);
    expect(drain(framer.queue).map((p) => [p.length, p.ticks / MS, (p.durationTicks ?? 0) / 300])).toEqual([
      [300, 100, 10_240],
      [2500, 1000, 10_240],
    ]);
    expect(framer.forcedUnits).toBe(1);
  });

  test('a unit whose rest never came does not take the next with it', () => {
    const { framer, epoch } = make();
    const [cut, whole] = [unit(500).subarray(0, 200), unit(100)];
    framer.append(cut, 0, 200, 0, epoch);
    framer.append(whole, 0, 100, 9000, epoch);
    framer.process(true);
    expect(drain(framer.queue).map((p) => p.length)).toEqual([100]);
    expect(framer.account.left.get('incomplete')?.bytes).toBe(200);
  });

  test('random bytes end, and are all accounted for', () => {
    for (let seed = 0; seed < 200; seed++) {
      const random = seeded(seed);
      const { framer, epoch } = make();
      for (let i = 0; i < 12; i++) {
        const data = random.int(2) ? random.bytes(random.int(200)) : unit(30 + random.int(300));
        framer.append(data, 0, data.byteLength, random.int(2) ? -1 : random.int(2 ** 30), epoch);
        framer.process(false);
      }
      framer.process(true);
      const taken = drain(framer.queue).reduce((sum, p) => sum + p.length, 0);
      const left = [...framer.account.left.values()].reduce((sum, l) => sum + l.bytes, 0);
      expect(taken + left).toBe(framer.account.seenBytes);
    }
  });
});
