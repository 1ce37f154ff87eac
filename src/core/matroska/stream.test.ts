import { seeded } from '@/test-support/random';
import { ChunkReader, DiscError, concatBytes } from '../bytes';
import { MatroskaWriter, readMatroskaStream, type MatroskaDescription, type MatroskaFrame, type MatroskaTrack, type StreamBlock } from '.';

/** Matroska as it comes through a pipe, in chunks of any size. */

async function* inChunks(data: Uint8Array, sizes: () => number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < data.byteLength;) {
    const size = Math.max(1, sizes());
    yield data.subarray(at, at + size);
    at += size;
    await Promise.resolve();
  }
}

const common = {
  codecPrivate: Uint8Array.of(1, 2, 3),
  name: '',
  language: null,
  isDefault: true,
  isForced: false,
  isCommentary: false,
  isHearingImpaired: false,
  isVisuallyImpaired: false,
  isOriginal: false,
};
const tracks: MatroskaTrack[] = [
  {
    ...common,
    kind: 'video',
    uid: 1n,
    codecId: 'V_MPEG2',
    defaultDurationNs: 40_000_000,
    pixelWidth: 720,
    pixelHeight: 576,
    displayAspect: [16, 9],
    interlacing: 'progressive',
    topFieldFirst: null,
    colour: null,
    twoViews: null,
    packed: null,
  },
  { ...common, kind: 'audio', uid: 2n, codecId: 'A_AC3', defaultDurationNs: 32_000_000, sampleRateHz: 48_000, channels: 2, bitDepth: null },
  { ...common, kind: 'subtitle', uid: 3n, codecId: 'S_TEXT/UTF8', defaultDurationNs: null },
];
const description: MatroskaDescription = {
  title: 'Piped',
  application: 'test',
  seed: 'test',
  tracks,
  chapters: [],
  tags: [],
  durationNs: 20e9,
};

function framesOf(seed: number, count: number): MatroskaFrame[] {
  const random = seeded(seed);
  return Array.from({ length: count }, (_, i) => {
    const track = i % 12 === 11 ? 2 : i % 3 === 2 ? 1 : 0;
    return {
      track,
      ticks: i * 270_000,
      durationTicks: track === 2 ? 27_000 * (100 + random.int(900)) : null,
      key: track !== 0 || i % 24 === 0,
      discardable: false,
      data: Uint8Array.from({ length: 1 + random.int(3000) }, () => random.int(256)),
    };
  });
}

async function written(frames: readonly MatroskaFrame[]): Promise<Uint8Array> {
  const chunks: Uint8Array[] = [];
  const sink = {
    write: (data: Uint8Array) => {
      chunks.push(data.slice());
      return Promise.resolve();
    },
    writeAt: null,
  };
  const writer = new MatroskaWriter(sink, tracks.length, 0);
  writer.wantsDuration.add(2);
  await writer.begin(description);
  for (const frame of frames) {
    writer.add(frame);
    if (writer.pending) await writer.flush();
  }
  await writer.finish(description);
  return concatBytes(chunks);
}

test('what a writer sends through a pipe is read again, whatever the chunks', async () => {
  for (let seed = 1; seed <= 6; seed++) {
    const frames = framesOf(seed, 240);
    const data = await written(frames);
    const random = seeded(seed);
    const blocks: StreamBlock[] = [];
    let described: readonly { codecId: string; number: number; defaultDurationNs: number | null }[] = [];
    for await (const part of readMatroskaStream(
      inChunks(data, () => random.int(seed * 4000)),
      'pipe',
    )) {
      if (part.kind === 'tracks') described = part.tracks;
      else blocks.push(...part.blocks.map((b) => ({ ...b, data: b.data.slice() })));
    }
    expect(described.map((t) => [t.number, t.codecId, t.defaultDurationNs])).toEqual([
      [1, 'V_MPEG2', 40_000_000],
      [2, 'A_AC3', 32_000_000],
      [3, 'S_TEXT/UTF8', null],
    ]);
    expect(blocks.map((b) => [b.track, b.timestampMs, b.key])).toEqual(
      frames.map((f) => [f.track + 1, Math.round(f.ticks / 27_000), f.key]),
    );
    expect(blocks.every((b, i) => Buffer.from(b.data).equals(Buffer.from(frames[i]?.data ?? [])))).toBe(true);
    expect(blocks.filter((b) => b.durationMs !== null).map((b) => b.track)).toEqual(frames.filter((f) => f.track === 2).map(() => 3));
  }
});

test('a track taken over keeps what describes its stream, element by element', async () => {
  const data = await written(framesOf(1, 30));
  let kept: MatroskaTrack[] = [];
  for await (const part of readMatroskaStream(
    inChunks(data, () => 977),
    'pipe',
  ))
    if (part.kind === 'tracks')
      kept = part.tracks.map((t, i): MatroskaTrack => ({
        ...common,
        codecPrivate: null,
        kind: 'kept',
        type: (['video', 'audio', 'subtitle'] as const)[i] ?? 'video',
        uid: BigInt(i + 1),
        codecId: t.codecId,
        elements: t.elements.slice(),
        defaultDurationNs: null,
      }));
  const chunks: Uint8Array[] = [];
  const writer = new MatroskaWriter({ write: (d) => Promise.resolve(void chunks.push(d.slice())), writeAt: null }, 3, 0);
  await writer.begin({ ...description, tracks: kept });
  await writer.finish({ ...description, tracks: kept });
  const again: unknown[] = [];
  for await (const part of readMatroskaStream(
    inChunks(concatBytes(chunks), () => 500),
    'pipe',
  ))
    if (part.kind === 'tracks')
      again.push(...part.tracks.map((t) => [t.codecId, Buffer.from(t.elements).toString('hex'), t.defaultDurationNs]));
  expect(again).toEqual(
    kept
      .map((t) => [t.codecId, t.kind === 'kept' ? Buffer.from(t.elements).toString('hex') : '', expect.anything() as unknown])
      .map((row, i) => [row[0], row[1], i === 2 ? null : i === 0 ? 40_000_000 : 32_000_000]),
  );
});

test('a stream that ends early, is none, or says that it is endless, is a typed error', async () => {
  const data = await written(framesOf(3, 60));
  const read = async (bytes: Uint8Array) => {
    for await (const part of readMatroskaStream(
      inChunks(bytes, () => 1000),
      'pipe',
    ))
      if (part.kind === 'cluster' && part.blocks.length > 1e6) throw new Error('too many');
  };
  await expect(read(data.subarray(0, data.byteLength - 2000))).rejects.toMatchObject({ code: 'ended-early' });
  await expect(read(Uint8Array.of(1, 2, 3, 4, 5))).rejects.toBeInstanceOf(DiscError);
  await expect(read(new Uint8Array(0))).rejects.toMatchObject({ code: 'bad-signature' });
  const endless = concatBytes([
    data.subarray(0, 60),
    Uint8Array.of(0x1f, 0x43, 0xb6, 0x75, 0x01, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff),
  ]);
  await expect(read(endless)).rejects.toBeInstanceOf(DiscError);
});

describe('chunks', () => {
  test('pieces of any length out of chunks of any length', async () => {
    for (let seed = 0; seed < 60; seed++) {
      const random = seeded(seed);
      const data = Uint8Array.from({ length: 2000 }, (_, i) => i & 255);
      const reader = new ChunkReader(
        'x',
        inChunks(data, () => random.int(300)),
      );
      let at = 0;
      while (at < data.byteLength) {
        const length = Math.min(data.byteLength - at, random.int(500));
        const ahead = await reader.peek(length);
        const piece = await reader.take(length);
        expect(Buffer.from(piece).equals(Buffer.from(data.subarray(at, at + length)))).toBe(true);
        expect(ahead.byteLength).toBe(length);
        at += length;
        expect(reader.offset).toBe(at);
      }
      expect((await reader.peek(10)).byteLength).toBe(0);
      await expect(reader.take(1)).rejects.toMatchObject({ code: 'ended-early' });
    }
  });

  test('whoever makes the chunks is told when they are no longer wanted', async () => {
    let ended = false;
    async function* endless(): AsyncGenerator<Uint8Array> {
      try {
        for (;;) {
          yield new Uint8Array(100);
          await Promise.resolve();
        }
      } finally {
        ended = true;
      }
    }
    const reader = new ChunkReader('x', endless());
    await reader.take(250);
    await reader.close();
    expect(ended).toBe(true);
  });
});
