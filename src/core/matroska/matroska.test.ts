import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { crc32 as zlibCrc32 } from 'node:zlib';
import { DiscError, memorySource } from '../bytes';
import { probed } from '@/test-support/ffmpeg';
import { temporaryFolder } from '@/test-support/discs';
import { damaged, seeded, type Random } from '@/test-support/random';
import { ID, binary, float64, master, sizeBytes, uint, utf8, voidElement } from './ebml';
import {
  MatroskaWriter,
  crc32,
  displaySize,
  identifier,
  iso639_2,
  readMatroska,
  type MatroskaDescription,
  type MatroskaFrame,
  type MatroskaSink,
  type MatroskaTrack,
} from '.';

describe('EBML', () => {
  test.each([0, 1, 126, 127, 128, 16_382, 16_383, 2 ** 21 - 2, 2 ** 28, 2 ** 35, 2 ** 52])(
    'size %i is written in as few bytes as it takes, and never as the unknown size',
    (size) => {
      const bytes = sizeBytes(size);
      expect(bytes).toHaveLength(1 + [7, 14, 21, 28, 35, 42, 49].filter((bits) => size >= 2 ** bits - 1).length);
      const value = bytes.reduce((n, b, i) => n * 256 + (i === 0 ? b & (0xff >> bytes.length) : b), 0);
      expect(value).toBe(size);
    },
  );

  test('a size that can not be written is refused, never cut off', () => {
    for (const [size, width] of [
      [-1, 0],
      [1.5, 0],
      [2 ** 53, 0],
      [127, 1],
      [16_383, 2],
      [Number.NaN, 0],
    ] as const)
      expect(() => sizeBytes(size, width)).toThrow(RangeError);
    expect(() => uint(ID.Timestamp, 2 ** 54)).toThrow(RangeError);
    expect(() => uint(ID.Timestamp, -1)).toThrow(RangeError);
  });

  test('elements come out as the standard writes them', () => {
    expect([...uint(ID.TrackNumber, 1)]).toEqual([0xd7, 0x81, 1]);
    expect([...uint(ID.Timestamp, 500, 4)]).toEqual([0xe7, 0x84, 0, 0, 1, 0xf4]);
    expect([...utf8(ID.Name, 'é')]).toEqual([0x53, 0x6e, 0x82, 0xc3, 0xa9]);
    expect([...float64(ID.Duration, 1)]).toEqual([0x44, 0x89, 0x88, 0x3f, 0xf0, 0, 0, 0, 0, 0, 0]);
    expect([...master(ID.Seek, [null, binary(ID.SeekID, Uint8Array.of(1))])]).toEqual([0x4d, 0xbb, 0x84, 0x53, 0xab, 0x81, 1]);
    for (const size of [2, 3, 100, 128, 129, 130, 5000]) expect(voidElement(size)).toHaveLength(size);
    expect(() => voidElement(1)).toThrow(RangeError);
  });

  test('the plain checksum is the machine’s', () => {
    for (let seed = 0; seed < 50; seed++) {
      const data = seeded(seed).bytes(seeded(seed).int(2000));
      expect(crc32(data)).toBe(zlibCrc32(data));
    }
  });

  test('languages by both lists', () => {
    expect(['en', 'de', 'gd', 'gla', 'pt-BR', 'xx', null].map((l) => iso639_2(l))).toEqual([
      'eng',
      'ger',
      'gla',
      'gla',
      'por',
      'und',
      'und',
    ]);
    expect(displaySize(576, [16, 9])).toEqual({ width: 1024, height: 576 });
    expect(identifier('a', 'track 1')).not.toBe(identifier('a', 'track 2'));
  });
});

/** A file in memory. */
function memorySink(canSeek = true): MatroskaSink & { readonly data: () => Uint8Array } {
  let chunks: Uint8Array[] = [];
  const data = () => {
    const whole = new Uint8Array(Buffer.concat(chunks));
    chunks = [whole];
    return whole;
  };
  return {
    data,
    write: (chunk) => {
      chunks.push(chunk.slice()); // the writer uses its buffer again
      return Promise.resolve();
    },
    writeAt: canSeek
      ? (offset, chunk) => {
          data().set(chunk, offset);
          return Promise.resolve();
        }
      : null,
  };
}

const common = {
  name: '',
  language: 'en',
  isDefault: true,
  isForced: false,
  isCommentary: false,
  isHearingImpaired: false,
  isVisuallyImpaired: false,
  isOriginal: false,
  codecPrivate: null,
  defaultDurationNs: null,
};
const TRACKS: MatroskaTrack[] = [
  {
    ...common,
    kind: 'video',
    uid: 1n,
    codecId: 'V_MPEG2',
    language: null,
    pixelWidth: 720,
    pixelHeight: 576,
    displayAspect: [16, 9],
    interlacing: 'interlaced',
    topFieldFirst: true,
    colour: null,
    twoViews: null,
    packed: null,
    defaultDurationNs: 40_000_000,
  },
  {
    ...common,
    kind: 'audio',
    uid: 2n,
    codecId: 'A_AC3',
    sampleRateHz: 48_000,
    channels: 6,
    bitDepth: null,
    isCommentary: true,
    isOriginal: true,
    name: 'Commentary',
  },
  { ...common, kind: 'subtitle', uid: 3n, codecId: 'S_VOBSUB', isForced: true, codecPrivate: new TextEncoder().encode('size: 720x576\n') },
];
const description = (change: Partial<MatroskaDescription> = {}): MatroskaDescription => ({
  title: 'A title',
  application: 'test',
  seed: 'seed',
  tracks: TRACKS,
  durationNs: 0,
  chapters: [
    { startNs: 0, endNs: 1e9, name: 'One' },
    { startNs: 1e9, endNs: 2e9, name: 'Two “quoted” & <marked>' },
  ],
  tags: [
    { trackUid: null, entries: [{ name: 'TITLE', value: 'A title' }] },
    { trackUid: 2n, entries: [{ name: 'COMMENT', value: 'sound' }] },
  ],
  ...change,
});

/** Frames as an assembly gives them: video out of order by a little, sound and subtitles between. */
function makeFrames(random: Random, count: number, largest: number): MatroskaFrame[] {
  const frames: MatroskaFrame[] = [];
  for (let i = 0; i < count; i++) {
    const ticks = i * 1_080_000;
    frames.push({
      track: 0,
      ticks: ticks + (i % 3) * 1_080_000,
      durationTicks: 1_080_000,
      key: i % 12 === 0,
      discardable: i % 3 === 2,
      data: random.bytes(1 + random.int(largest)),
    });
    frames.push({ track: 1, ticks, durationTicks: 864_000, key: true, discardable: false, data: random.bytes(1 + random.int(900)) });
    if (i % 40 === 7)
      frames.push({
        track: 2,
        ticks,
        durationTicks: 27_000 * (1 + random.int(4000)),
        key: true,
        discardable: false,
        data: random.bytes(1 + random.int(400)),
      });
  }
  return frames;
}

/** A frame put together where it will stand, in more room than it takes in the end. */
function placed(writer: MatroskaWriter, data: Uint8Array): Uint8Array {
  const room = writer.place(data.byteLength + 40).fill(0xee);
  room.set(data);
  return room.subarray(0, data.byteLength);
}

async function writeFile(frames: readonly MatroskaFrame[], sink: MatroskaSink, d = description()): Promise<void> {
  const writer = new MatroskaWriter(sink, TRACKS.length, 0);
  writer.wantsDuration.add(2);
  await writer.begin(d);
  for (const [i, frame] of frames.entries()) {
    writer.add(i % 4 === 0 ? { ...frame, data: placed(writer, frame.data) } : frame);
    if (writer.pending) await writer.flush();
  }
  await writer.finish({ ...d, durationNs: 123_456_000_000 });
}

async function readBack(data: Uint8Array) {
  const blocks: { track: number; ms: number; key: boolean; data: string }[] = [];
  const summary = await readMatroska(memorySource('file.mkv', data), {
    block: (track, ms, key, bytes) => blocks.push({ track, ms, key, data: Buffer.from(bytes).toString('base64') }),
  });
  return { blocks, summary };
}

describe('what is written can be read', () => {
  test.each([
    { seed: 1, count: 30, largest: 100 },
    { seed: 2, count: 300, largest: 9000 },
    { seed: 3, count: 40, largest: 200_000 },
    { seed: 4, count: 3000, largest: 60 },
  ])('every frame, at its time, in order (seed $seed, $count pictures up to $largest bytes)', async ({ seed, count, largest }) => {
    const frames = makeFrames(seeded(seed), count, largest);
    const sink = memorySink();
    await writeFile(frames, sink);
    const { blocks, summary } = await readBack(sink.data());
    expect(blocks).toEqual(
      frames.map((f) => ({
        track: f.track + 1,
        ms: Math.round(f.ticks / 27_000),
        key: f.key,
        data: Buffer.from(f.data).toString('base64'),
      })),
    );
    expect(summary).toMatchObject({ finished: true, wrongChecksums: 0, title: 'A title', durationMs: 123_456 });
    expect(summary.checksums).toBe(summary.clusters + 6); // SeekHead, Info, Tracks, Chapters, Cues, Tags
    expect(summary.tracks.map((t) => [t.type, t.codecId, t.language, t.name])).toEqual([
      [1, 'V_MPEG2', 'und', ''],
      [2, 'A_AC3', 'en', 'Commentary'],
      [17, 'S_VOBSUB', 'en', ''],
    ]);
    expect(summary.chapters.map((c) => c.name)).toEqual(['One', 'Two “quoted” & <marked>']);
    expect(summary.tags.get('TITLE')).toBe('A title');
    expect(summary.cues).toBeGreaterThanOrEqual(Math.floor(count / 12));
  });

  test('a frame that was put where it will stand is never written over by another', async () => {
    const sink = memorySink();
    const writer = new MatroskaWriter(sink, TRACKS.length, 0);
    await writer.begin(description());
    const [first, second, third] = makeFrames(seeded(9), 3, 500) as [MatroskaFrame, MatroskaFrame, MatroskaFrame];
    writer.add(first);
    placed(writer, second.data);
    expect(() => {
      writer.add(third);
    }).toThrow('another one added');
  });

  test('a frame larger than a cluster stands in one of its own', async () => {
    const random = seeded(5);
    const large: MatroskaFrame = { track: 0, ticks: 0, durationTicks: 1, key: true, discardable: false, data: random.bytes(5_000_000) };
    const sink = memorySink();
    await writeFile([large, ...makeFrames(random, 30, 50).map((f) => ({ ...f, ticks: f.ticks + 1_080_000 }))], sink);
    const { blocks, summary } = await readBack(sink.data());
    expect(blocks[0]?.data).toBe(Buffer.from(large.data).toString('base64'));
    expect(summary.wrongChecksums).toBe(0);
  });

  test('the prober of FFmpeg sees the same: tracks, flags, languages, aspect, chapters, tags', async () => {
    const file = path.join(temporaryFolder(), 'file.mkv');
    const sink = memorySink();
    await writeFile(makeFrames(seeded(6), 200, 500), sink);
    writeFileSync(file, sink.data());
    const { streams, chapters, format } = probed(file);
    expect(streams.map((s) => s.codec_type)).toEqual(['video', 'audio', 'subtitle']);
    expect(streams[0]).toMatchObject({ display_aspect_ratio: '16:9', field_order: 'tt' });
    expect(streams[1]?.disposition).toMatchObject({ default: 1, comment: 1, original: 1, forced: 0 });
    expect(streams[2]?.disposition).toMatchObject({ forced: 1 });
    expect(streams[1]?.tags).toMatchObject({ language: 'eng', title: 'Commentary' });
    expect(chapters.map((c) => [Number(c.start_time), c.tags?.['title']])).toEqual([
      [0, 'One'],
      [1, 'Two “quoted” & <marked>'],
    ]);
    expect(Number(format.duration)).toBeCloseTo(123.456, 3);
  });

  test('a pipe gets a stream that says nothing it does not know', async () => {
    const sink = memorySink(false);
    await writeFile(makeFrames(seeded(7), 60, 300), sink, description({ durationNs: 2e9 }));
    const { summary, blocks } = await readBack(sink.data());
    expect(summary.finished).toBe(false);
    expect(summary.durationMs).toBe(2000);
    expect(blocks.length).toBeGreaterThan(100);
  });

  test('a write that fails is heard by the one who writes', async () => {
    let writes = 0;
    const sink: MatroskaSink = { writeAt: null, write: () => (++writes > 2 ? Promise.reject(new Error('no space')) : Promise.resolve()) };
    await expect(writeFile(makeFrames(seeded(8), 2000, 5000), sink)).rejects.toThrow('no space');
  });

  test('each cue leads to a cluster, by its place in the segment', async () => {
    const sink = memorySink();
    await writeFile(makeFrames(seeded(9), 400, 8000), sink);
    const data = Buffer.from(sink.data());
    const segmentAt = data.indexOf(Buffer.from([0x18, 0x53, 0x80, 0x67])) + 12;
    let found = 0;
    // CueTrackPositions that name video: CueTrack 1, then CueClusterPosition.
    for (
      let at = data.indexOf(Buffer.from([0xf7, 0x81, 1, 0xf1]));
      at >= 0;
      at = data.indexOf(Buffer.from([0xf7, 0x81, 1, 0xf1]), at + 1)
    ) {
      const width = (data[at + 4] ?? 0) & 0x0f;
      const position = data.readUIntBE(at + 5, width);
      expect(data.readUInt32BE(segmentAt + position)).toBe(ID.Cluster);
      found++;
    }
    expect(found).toBeGreaterThan(30);
  });
});

describe('files that are no good', () => {
  let whole: Uint8Array;
  beforeAll(async () => {
    const sink = memorySink();
    await writeFile(makeFrames(seeded(10), 120, 700), sink);
    whole = sink.data();
  });

  test('any changed byte is noticed: by its checksum, or as a file that can not be read', async () => {
    const { blocks, summary: clean } = await readBack(whole);
    const expected = JSON.stringify(blocks);
    let silent = 0;
    for (let seed = 0; seed < 150; seed++) {
      const random = seeded(seed);
      const copy = whole.slice();
      const at = random.int(copy.byteLength);
      copy[at] = (copy[at] ?? 0) ^ (1 << random.int(8));
      try {
        const { summary, blocks: read } = await readBack(copy);
        const same = JSON.stringify(read) === expected;
        if (summary.wrongChecksums === 0 && summary.checksums === clean.checksums && !same) silent++;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    expect(silent).toBe(0);
  });

  test('damage and truncation give typed errors within bounds', async () => {
    for (let seed = 0; seed < 200; seed++) {
      try {
        await readBack(damaged(whole, seeded(seed), 1 + seeded(seed).int(30)));
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    for (const length of [0, 3, 40, 41, 60, 5000, whole.byteLength - 1])
      await expect(readBack(whole.subarray(0, length))).rejects.toBeInstanceOf(DiscError);
  });

  test('a size of a petabyte is not believed', async () => {
    const header = whole.subarray(0, 40 + 12);
    const cluster = Uint8Array.from([0x1f, 0x43, 0xb6, 0x75, ...sizeBytes(2 ** 50, 8)]);
    const segment = Buffer.from(header).indexOf(Buffer.from([0x18, 0x53, 0x80, 0x67]));
    const file = Uint8Array.from([
      ...whole.subarray(0, segment),
      0x18,
      0x53,
      0x80,
      0x67,
      0x01,
      0xff,
      0xff,
      0xff,
      0xff,
      0xff,
      0xff,
      0xff,
      ...cluster,
      1,
      2,
      3,
    ]);
    await expect(readBack(file)).rejects.toMatchObject({ code: 'bad-structure' });
  });
});

describe('what Blu-ray asks of the file', () => {
  test('frames shorter than a millisecond keep times of their own where the unit is finer', async () => {
    // Access units of 1/1200 s beside pictures, for eight seconds: more than one cluster.
    const frames: MatroskaFrame[] = [];
    for (let i = 0; i < 8 * 1200; i++) {
      const ticks = i * 22_500;
      if (i % 48 === 0)
        frames.push({ track: 0, ticks, durationTicks: 1_080_000, key: i % 480 === 0, discardable: false, data: new Uint8Array(900) });
      frames.push({ track: 1, ticks, durationTicks: 22_500, key: true, discardable: false, data: new Uint8Array(60) });
    }
    const timesWith = async (timestampScaleNs: number) => {
      const sink = memorySink();
      await writeFile(frames, sink, description({ timestampScaleNs }));
      const { blocks, summary } = await readBack(sink.data());
      expect(summary).toMatchObject({ finished: true, wrongChecksums: 0, durationMs: 123_456 });
      return blocks.filter((b) => b.track === 2).map((b) => b.ms);
    };
    const fine = await timesWith(100_000);
    expect(fine).toHaveLength(8 * 1200);
    fine.forEach((ms, i) => {
      expect(Math.abs(ms - i / 1.2)).toBeLessThanOrEqual(0.051);
    });
    expect(new Set(fine).size).toBe(fine.length);
    expect(new Set(await timesWith(1_000_000)).size).toBeLessThan(fine.length);
  });

  test('colour, the display it was mastered on, and a second view stand where the standard has them', async () => {
    const codes = { matrix: 9, transfer: 16, primaries: 9, fullRange: false };
    const primaries = [13250, 34500, 7500, 3000, 34000, 16000, 15635, 16450];
    const hdr10 = { primaries, maxLuminance: 10_000_000, minLuminance: 50, maxContentLight: 1000, maxFrameAverageLight: 400 };
    const [video, ...others] = TRACKS;
    if (video?.kind !== 'video') throw new Error('no video');
    const changed: MatroskaTrack = {
      ...video,
      colour: { codes, bitsPerChannel: 10, chroma: 1, hdr10 },
      twoViews: { baseIsRight: true, configuration: Uint8Array.of(1, 2, 3) },
    };
    const sink = memorySink();
    await writeFile(makeFrames(seeded(1), 5, 100), sink, description({ tracks: [changed, ...others] }));
    const file = Buffer.from(sink.data());
    const holds = (...bytes: number[]) => file.includes(Buffer.from(bytes));
    expect(holds(0x53, 0xb8, 0x81, 14)).toBe(true); // StereoMode: both in one block, right eye first
    expect(holds(0x55, 0xb1, 0x81, 9)).toBe(true); //  MatrixCoefficients
    expect(holds(0x55, 0xba, 0x81, 16)).toBe(true); // TransferCharacteristics
    expect(holds(0x55, 0xbc, 0x82, 1000 >> 8, 1000 & 255)).toBe(true); // MaxCLL
    expect(holds(0x41, 0xe7, 0x84, 0x6d, 0x76, 0x63, 0x43)).toBe(true); // BlockAddIDType "mvcC"
    const red = Buffer.alloc(8);
    red.writeDoubleBE(0.68);
    expect(file.includes(Buffer.concat([Buffer.from([0x55, 0xd1, 0x88]), red]))).toBe(true);
  });
});
