import { readFileSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { seeded } from '@/test-support/random';
import { temporaryFolder } from '@/test-support/discs';
import {
  ANY_CODE,
  FIRST_BEYOND_SLICES,
  NO_PTS,
  PICTURE,
  findStartCode,
  findUnitCode,
  isPack,
  lpcmGroupBytes,
  packLpcm,
  pcmGroupBytes,
  pictureFields,
  plainStore,
  privateStream,
  readAc3Header,
  readDtsHeader,
  readLpcmLayout,
  readMenuButtons,
  readMpegAudioHeader,
  readNavigationPack,
  readPack,
  readPictureCoding,
  readPictureHeader,
  readSequenceHeader,
  readSubpicture,
  scanningStore,
  ticksToNs,
  unpackLpcm,
  type AudioHeaderReader,
  type LpcmLayout,
} from '.';

interface Payload {
  readonly stream: number;
  readonly bytes: number[];
  readonly pts: number;
}

function demux(data: Uint8Array, at = 0, end = data.byteLength) {
  const payloads: Payload[] = [];
  const locked: number[] = [];
  const whole = readPack(data, at, end, {
    payload: (stream, d, from, to, pts) => {
      expect(from).toBeGreaterThanOrEqual(at);
      expect(to).toBeLessThanOrEqual(end);
      payloads.push({ stream, bytes: [...d.subarray(from, to)], pts });
    },
    scrambled: (stream) => locked.push(stream),
  });
  return { whole, payloads, locked };
}

const PACK_HEAD = [0, 0, 1, 0xba, 0x44, 0, 4, 0, 4, 1, 0, 0, 3, 0xf8];
const packet = (id: number, body: number[]) => [0, 0, 1, id, body.length >> 8, body.length & 0xff, ...body];
const stamp = (mark: number, pts: number) => [
  (mark << 4) | (Math.floor(pts / 2 ** 30) << 1) | 1,
  (Math.floor(pts / 2 ** 22) % 256) & 0xff,
  ((Math.floor(pts / 2 ** 15) % 128) << 1) | 1,
  Math.floor(pts / 2 ** 7) % 256,
  ((pts % 128) << 1) | 1,
];

describe('packs of a program stream', () => {
  test.each([0, 1, 90_000, 2 ** 32 - 1, 2 ** 33 - 1])('a 33-bit stamp of %i is read whole', (pts) => {
    const body = [0x80, 0x80, 5, ...stamp(2, pts), 1, 2, 3];
    expect(demux(Uint8Array.from([...PACK_HEAD, ...packet(0xe0, body)])).payloads).toEqual([{ stream: 0xe0, bytes: [1, 2, 3], pts }]);
  });

  test('MPEG-1 packets: stuffing, buffer size, stamps, or none of them', () => {
    const of = (...head: number[]) => demux(Uint8Array.from([...PACK_HEAD, ...packet(0xc0, [...head, 9, 9])])).payloads;
    expect(of(0xff, 0xff, 0x60, 0x20, ...stamp(2, 12_345))).toEqual([{ stream: 0xc0, bytes: [9, 9], pts: 12_345 }]);
    expect(of(...stamp(3, 777), ...stamp(1, 700))).toEqual([{ stream: 0xc0, bytes: [9, 9], pts: 777 }]);
    expect(of(0x0f)).toEqual([{ stream: 0xc0, bytes: [9, 9], pts: NO_PTS }]);
  });

  test('sub-streams of private stream 1 lose the head that is no payload', () => {
    const of = (sub: number, ...body: number[]) =>
      demux(Uint8Array.from([...PACK_HEAD, ...packet(0xbd, [0x80, 0, 0, sub, ...body])])).payloads[0];
    expect(of(0x80, 1, 0, 1, 0x0b, 0x77)).toEqual({ stream: privateStream(0x80), bytes: [0x0b, 0x77], pts: NO_PTS });
    expect(of(0xa1, 7, 0, 4, 0, 1, 0x80, 5, 6)?.bytes).toEqual([5, 6]);
    expect(of(0x21, 5, 6)?.bytes).toEqual([5, 6]);
  });

  test('scrambled packets are told, and their payload kept back', () => {
    const result = demux(
      Uint8Array.from([...PACK_HEAD, ...packet(0xe0, [0x90, 0, 0, 1, 2]), ...packet(0xbd, [0xb0, 0, 0, 0x80, 1, 0, 1, 2])]),
    );
    expect(result).toMatchObject({ payloads: [], locked: [0xe0, privateStream(0x80)] });
  });

  test('a packet that leaves its pack is not read, and nothing beyond the pack ever is', () => {
    const sector = Uint8Array.from([...PACK_HEAD, ...packet(0xe0, [0x80, 0, 0, 1]), 0, 0, 1, 0xe0, 0xff, 0xff, 0x80, 0, 0, 1, 2]);
    expect(demux(sector).payloads).toHaveLength(1);
    expect(demux(Uint8Array.from([1, 2, 3])).whole).toBe('none');
    expect(demux(sector).whole).toBe('broken');
    for (let seed = 0; seed < 3000; seed++) {
      const random = seeded(seed);
      const data = random.bytes(160);
      data.set(PACK_HEAD, 30);
      for (let p = 44; p < 140; p += 6 + random.int(30)) data.set([0, 0, 1, random.pick([0xbd, 0xbf, 0xc0, 0xe0]), 0, random.int(60)], p);
      expect(isPack(data, 30)).toBe(true);
      demux(data, 30, 30 + 14 + random.int(110));
      readNavigationPack(data, random.int(160));
      readMenuButtons(data, random.int(160));
    }
  });
});

describe('start codes', () => {
  test.each([1, 2, 3, 4, 5, 6, 7, 8])('the fast search finds what the plain one finds (seed %i)', (seed) => {
    const random = seeded(seed);
    const length = 1 + random.int(3000);
    const stores = [plainStore(length), scanningStore(length)];
    for (let i = 0; i < length; i++) {
      const byte = random.pick([0, 0, 0, 1, 1, random.int(256), 0xb3, 0xaf]);
      for (const store of stores) store.bytes[i] = byte;
    }
    const codesIn = (find: (from: number, end: number) => number, end: number) => {
      const found: number[] = [];
      for (let at = find(0, end); at >= 0; at = find(at + 1, end)) found.push(at);
      return found;
    };
    const data = (stores[0]?.bytes ?? new Uint8Array(0)).slice();
    const naive = (end: number) =>
      Array.from({ length }, (_, i) => i).filter((i) => i + 3 < end && data[i] === 0 && data[i + 1] === 0 && data[i + 2] === 1);
    for (const end of [length, Math.max(0, length - 1 - random.int(40)), random.int(20), -1 - random.int(20)]) {
      const all = naive(end);
      expect(codesIn((from, to) => findStartCode(data.subarray(0, length), from, to), end)).toEqual(all);
      const units = all.filter((i) => data[i + 3] === 0 || (data[i + 3] ?? 0) >= 0xb0);
      expect(codesIn((from, to) => findUnitCode(data, from, to), end)).toEqual(units);
      for (const store of stores) {
        expect(codesIn((from, to) => store.findUnitCode(from, to, FIRST_BEYOND_SLICES), end)).toEqual(units);
        expect(codesIn((from, to) => store.findUnitCode(from, to, ANY_CODE), end)).toEqual(all);
      }
      const rows = stores.map((store) => {
        store.takeSliceRows();
        for (let at = 0; at >= 0; at = store.findUnitCode(at + 1, end, FIRST_BEYOND_SLICES)) if (at + 4 > end) break;
        return store.takeSliceRows();
      });
      expect(rows[1]).toEqual(rows[0]);
    }
  });

  test('a store that grows keeps what it holds, and goes on finding', () => {
    const store = scanningStore(1000);
    store.bytes.set([0, 0, 1, 0xb3], 500);
    store.grow(500_000);
    expect(store.bytes.byteLength).toBeGreaterThanOrEqual(500_000);
    store.bytes.set([0, 0, 1, 0], 400_000);
    expect(store.findUnitCode(0, 500_000, FIRST_BEYOND_SLICES)).toBe(500);
    expect(store.findUnitCode(501, 500_000, FIRST_BEYOND_SLICES)).toBe(400_000);
  });

  test('a store that took over the room of another finds only what it was given', () => {
    const first = scanningStore(200_000);
    first.bytes.set([0, 0, 1, 0xb3], 100);
    first.bytes.set([0, 0, 1, 0x05], 50);
    expect(first.findUnitCode(0, 1000, FIRST_BEYOND_SLICES)).toBe(100);
    first.release();
    const second = scanningStore(300_000);
    expect(second.takeSliceRows()).toEqual({ row: 0, skipped: 0 });
    second.bytes.set(new Uint8Array(60).fill(7));
    expect(second.findUnitCode(0, 60, ANY_CODE)).toBe(-1);
    expect(second.bytes.byteLength).toBeGreaterThanOrEqual(300_000);
    first.release(); // once more: it is not given away twice
    const [third, fourth] = [scanningStore(1000), scanningStore(1000)];
    third.bytes.set([0, 0, 1, 0xb3], 0);
    fourth.bytes.fill(9, 0, 4);
    expect(third.findUnitCode(0, 4, FIRST_BEYOND_SLICES)).toBe(0);
  });

  test('the committed kernel is the compiled text beside it', () => {
    const script = `import('./scripts/wasm.mjs').then(async (m) => process.stdout.write(await m.compile((await import('node:fs')).readFileSync('src/core/streams/unit-codes.wat', 'utf8'))))`;
    const { stdout, stderr } = spawnSync(process.execPath, ['-e', script], { encoding: 'utf8' });
    expect(stderr).not.toContain('Error');
    expect(stdout.length).toBeGreaterThan(100);
    expect(readFileSync('src/core/streams/unit-codes-wasm.ts', 'utf8')).toContain(`'${stdout}'`);
  });
});

describe('video headers', () => {
  const SEQUENCE = [0, 0, 1, 0xb3, 0x2d, 0x02, 0x40, 0x33, 0x24, 0x9f, 0x23, 0x80];
  const EXTENSION = [0, 0, 1, 0xb5, 0x14, 0x82, 0x00, 0x01, 0x00, 0x00];

  test('a sequence with its extension, and one without', () => {
    const both = Uint8Array.from([...SEQUENCE, ...EXTENSION]);
    expect(readSequenceHeader(both, 0, both.byteLength)).toMatchObject({
      widthPixels: 720,
      heightPixels: 576,
      displayAspect: [16, 9],
      frameRate: '25/1',
      frameTicks: 1_080_000,
      mpeg2: true,
      progressiveSequence: false,
    });
    const alone = Uint8Array.from([...SEQUENCE, 0, 0, 1, 0xb8, 0, 0, 0, 0, 0, 0]);
    expect(readSequenceHeader(alone, 0, alone.byteLength)).toMatchObject({ mpeg2: false, progressiveSequence: true });
    for (let end = 0; end < 12; end++) expect(readSequenceHeader(both, 0, end)).toBeNull();
    expect(readSequenceHeader(Uint8Array.from([...SEQUENCE.slice(0, 7), 0x3f, ...SEQUENCE.slice(8)]), 0, 12)).toBeNull();
  });

  test('pictures: type, order and how many fields they are shown', () => {
    expect(readPictureHeader(Uint8Array.of(0, 0, 1, 0, 0x00, 0xd7), 0)).toEqual({ temporalReference: 3, type: PICTURE.predicted });
    const coding = readPictureCoding(Uint8Array.of(0, 0, 1, 0xb5, 0x8f, 0xff, 0x03, 0x82, 0x80), 0);
    expect(coding).toEqual({ structure: 3, topFieldFirst: true, repeatFirstField: true, progressiveFrame: true });
    const frame = { structure: 3, topFieldFirst: true, repeatFirstField: true, progressiveFrame: true };
    expect(pictureFields(frame, false)).toBe(3);
    expect(pictureFields(frame, true)).toBe(6);
    expect(pictureFields({ ...frame, topFieldFirst: false }, true)).toBe(4);
    expect(pictureFields({ ...frame, repeatFirstField: false }, false)).toBe(2);
    expect(pictureFields({ ...frame, structure: 1 }, false)).toBe(1);
    expect(readPictureCoding(Uint8Array.of(0, 0, 1, 0xb5, 0x14, 0, 0, 0, 0), 0)).toBeNull();
  });
});

describe('audio headers', () => {
  const folder = temporaryFolder();
  const encode = (name: string, ...options: string[]): Uint8Array => {
    const file = path.join(folder, name);
    const { status, stderr } = spawnSync(
      'ffmpeg',
      ['-v', 'error', '-y', '-f', 'lavfi', '-i', 'sine=f=300:r=48000:d=1', ...options, '-strict', '-2', file],
      { encoding: 'utf8' },
    );
    if (status !== 0) throw new Error(stderr);
    return readFileSync(file);
  };
  const walk = (data: Uint8Array, read: AudioHeaderReader) => {
    const headers = [];
    for (let at = 0; at < data.byteLength;) {
      const header = read(data, at, data.byteLength);
      if (!header) throw new Error(`no frame at ${at}`);
      headers.push(header);
      at += header.frameBytes;
    }
    return headers;
  };

  test.each([
    [
      'a.ac3',
      ['-ac', '6', '-b:a', '448k'],
      readAc3Header,
      { channels: 6, layout: '5.1', sampleRateHz: 48000, bitRate: 448000, samples: 1536 },
    ],
    [
      'b.ac3',
      ['-ac', '2', '-b:a', '192k', '-ar', '44100'],
      readAc3Header,
      { channels: 2, layout: 'stereo', sampleRateHz: 44100, bitRate: 192000 },
    ],
    ['c.ac3', ['-ac', '1', '-b:a', '96k'], readAc3Header, { channels: 1, layout: 'mono' }],
    [
      'd.dts',
      ['-ac', '6', '-c:a', 'dca', '-b:a', '1411k', '-channel_layout', '5.1(side)'],
      readDtsHeader,
      { channels: 6, sampleRateHz: 48000, samples: 512 },
    ],
    ['e.mp2', ['-ac', '2', '-b:a', '224k'], readMpegAudioHeader, { channels: 2, sampleRateHz: 48000, bitRate: 224000, samples: 1152 }],
    ['f.mp2', ['-ac', '1', '-b:a', '64k', '-ar', '22050'], readMpegAudioHeader, { channels: 1, sampleRateHz: 22050 }],
  ] as const)('%s: each frame leads to the next, to the end of what FFmpeg wrote', (name, options, read, expected) => {
    const headers = walk(encode(name, ...options), read);
    expect(headers.length).toBeGreaterThan(15);
    for (const header of headers) expect(header).toMatchObject(expected);
  });

  test('random bytes are no frames, and no header is read past the end', () => {
    for (let seed = 0; seed < 2000; seed++) {
      const random = seeded(seed);
      const data = random.bytes(16);
      data.set(
        random.pick([
          [0x0b, 0x77],
          [0x7f, 0xfe, 0x80, 0x01],
          [0xff, 0xfd],
        ]),
      );
      for (const read of [readAc3Header, readDtsHeader, readMpegAudioHeader]) {
        const header = read(data, 0, 16);
        if (header) expect(header.frameBytes > 0 && header.frameBytes < 65_536 && header.samples > 0 && header.sampleRateHz > 0).toBe(true);
        expect(read(data, 0, 3)).toBeNull();
      }
    }
  });
});

describe('LPCM', () => {
  const layouts: LpcmLayout[] = ([16, 20, 24] as const).flatMap((bitDepth) =>
    [1, 2, 6].map((channels) => ({ bitDepth, channels, sampleRateHz: 48000 as const })),
  );

  test.each(layouts)('$bitDepth bit, $channels channels: re-packing loses nothing', (layout) => {
    const random = seeded(layout.bitDepth * 10 + layout.channels);
    const groups = 50;
    const disc = random.bytes(groups * lpcmGroupBytes(layout));
    const pcm = new Uint8Array(groups * pcmGroupBytes(layout));
    unpackLpcm(layout, disc, 0, groups, pcm, 0);
    const back = new Uint8Array(disc.byteLength);
    packLpcm(layout, pcm, 0, groups, back, 0);
    expect(Buffer.from(back).equals(disc)).toBe(true);
  });

  test('samples come out little-endian, in order of channels, the low bits beside their own high bits', () => {
    const out = new Uint8Array(12);
    const layout = { bitDepth: 24, channels: 2, sampleRateHz: 48000 } as const;
    unpackLpcm(layout, Uint8Array.of(0x11, 0x12, 0x21, 0x22, 0x31, 0x32, 0x41, 0x42, 0x13, 0x23, 0x33, 0x43), 0, 1, out, 0);
    expect([...out]).toEqual([0x13, 0x12, 0x11, 0x23, 0x22, 0x21, 0x33, 0x32, 0x31, 0x43, 0x42, 0x41]);
    unpackLpcm({ ...layout, bitDepth: 20 }, Uint8Array.of(0x11, 0x12, 0x21, 0x22, 0x31, 0x32, 0x41, 0x42, 0xab, 0xcd), 0, 1, out, 0);
    expect([...out]).toEqual([0xa0, 0x12, 0x11, 0xb0, 0x22, 0x21, 0xc0, 0x32, 0x31, 0xd0, 0x42, 0x41]);
  });

  test('layouts are read, and what is not allowed is none', () => {
    expect(readLpcmLayout(0x01)).toEqual({ bitDepth: 16, sampleRateHz: 48000, channels: 2 });
    expect(readLpcmLayout(0x95)).toEqual({ bitDepth: 24, sampleRateHz: 96000, channels: 6 });
    expect(readLpcmLayout(0xc0)).toBeNull();
    expect(readLpcmLayout(0x20)).toBeNull();
  });
});

describe('subpictures', () => {
  const unit = (...sequences: { at: number; delay: number; next: number; commands: number[] }[]) => {
    const data = new Uint8Array(200);
    data.set([0, 200, 0, 4]);
    for (const s of sequences) data.set([s.delay >> 8, s.delay & 255, s.next >> 8, s.next & 255, ...s.commands], s.at);
    return data;
  };

  test('when they come and go, and whether they are forced', () => {
    const show = { at: 4, delay: 0, next: 40, commands: [3, 1, 2, 4, 1, 2, 5, 1, 2, 3, 4, 5, 6, 6, 1, 2, 3, 4, 1, 0xff] };
    const hide = { at: 40, delay: 88, next: 40, commands: [2, 0xff] };
    expect(readSubpicture(unit(show, hide))).toEqual({ forced: false, startTicks: 0, endTicks: 88 * 1024 * 300 });
    expect(readSubpicture(unit({ ...show, delay: 2, commands: [0, 0xff] }, hide))).toMatchObject({
      forced: true,
      startTicks: 2 * 1024 * 300,
    });
    expect(readSubpicture(unit({ ...show, next: 4 }))).toMatchObject({ endTicks: null });
  });

  test('tables that leave the unit, go back or run in circles are refused', () => {
    expect(readSubpicture(unit({ at: 4, delay: 0, next: 900, commands: [1, 0xff] }))).toBeNull();
    expect(
      readSubpicture(unit({ at: 4, delay: 0, next: 40, commands: [1, 0xff] }, { at: 40, delay: 1, next: 4, commands: [0xff] })),
    ).toBeNull();
    expect(readSubpicture(unit({ at: 4, delay: 0, next: 4, commands: [7, 0xff, 0xff, 1] }))).toBeNull();
    expect(readSubpicture(new Uint8Array(3))).toBeNull();
    for (let seed = 0; seed < 3000; seed++) readSubpicture(seeded(seed).bytes(seeded(seed).int(120)));
  });
});

test('27 MHz ticks are nanoseconds without drift', () => {
  expect(ticksToNs(27_000_000)).toBe(1_000_000_000);
  expect(ticksToNs(900_900)).toBe(33_366_667);
  expect(ticksToNs(900_900 * 107_892)).toBe(3_599_996_400_000); // an hour of NTSC frames
});
