import { createPayloadHash } from '@/node/payload-hash';
import { seeded } from '@/test-support/random';
import { DiscError } from '../bytes';
import { MatroskaWriter, type MatroskaSink, type MatroskaTrack } from '../matroska';
import type { AddedAudio } from '../reels';
import { TICKS_PER_MS } from '../streams';
import { AddedAudioTrack } from './added-audio';

const FRAME_MS = 20;

const track = (uid: number): MatroskaTrack => ({
  kind: 'audio',
  uid: BigInt(uid),
  codecId: 'A_FLAC',
  codecPrivate: Uint8Array.of(1, 2, 3, 4),
  name: 'not this name',
  language: 'de',
  ...{ isDefault: true, isForced: true, isCommentary: true, isHearingImpaired: true, isVisuallyImpaired: true, isOriginal: true },
  ...{ defaultDurationNs: FRAME_MS * 1e6, sampleRateHz: 48000, channels: 2, bitDepth: 24 },
});

/** A file as FFmpeg would hand it over: frames of 20 ms with known content. */
async function stream(frames: number, tracks = 1): Promise<Uint8Array> {
  const chunks: Uint8Array[] = [];
  const sink: MatroskaSink = {
    write: (data) => {
      chunks.push(data.slice());
      return Promise.resolve();
    },
    writeAt: (offset, data) => {
      let at = 0;
      for (const chunk of chunks) {
        if (offset >= at && offset + data.byteLength <= at + chunk.byteLength) chunk.set(data, offset - at);
        at += chunk.byteLength;
      }
      return Promise.resolve();
    },
  };
  const writer = new MatroskaWriter(sink, tracks, -1);
  const description = {
    ...{ title: '', application: 'test', seed: 'x', chapters: [], tags: [], durationNs: frames * FRAME_MS * 1e6 },
    tracks: Array.from({ length: tracks }, (_, i) => track(i + 1)),
  };
  await writer.begin(description);
  for (let i = 0; i < frames; i++) {
    writer.add({
      track: 0,
      ticks: i * FRAME_MS * TICKS_PER_MS,
      durationTicks: null,
      key: true,
      discardable: false,
      data: Uint8Array.of(i & 0xff, i >> 8),
    });
    if (writer.pending) await writer.flush();
  }
  await writer.finish(description);
  return Buffer.concat(chunks);
}

async function* inPieces(data: Uint8Array, size: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < data.byteLength; at += size) yield await Promise.resolve(data.subarray(at, at + size));
}

const added = (offsetMs: number): AddedAudio => ({
  source: { root: 'r', path: 'talk.flac', sizeBytes: 1, fingerprint: '', stream: 0 },
  ...{ codec: 'FLAC', channels: 2, sampleRateHz: 48000, bitDepth: 24, durationMs: 0, name: 'Talk', language: 'gd', offsetMs },
  ...{ isDefault: false, isCommentary: false, isVisuallyImpaired: false },
});
const opened = (data: Uint8Array, offsetMs: number, size = 7000) =>
  new AddedAudioTrack(3, added(offsetMs), createPayloadHash(), 0, inPieces(data, size));

test('frames come in step with the film, shifted; what lies outside is counted; every byte is accounted for', async () => {
  const file = await stream(500); // 10 s
  for (let seed = 0; seed < 40; seed++) {
    const random = seeded(seed);
    const offsetMs = random.pick([0, random.int(4000), -random.int(4000), -20_000, 30_000]);
    const endMs = 2000 + random.int(12_000);
    const own = opened(file, offsetMs, 1 + random.int(9000));
    await own.open();
    const given: { ms: number; frame: number }[] = [];
    const take = async (ticks: number, end?: number) => {
      for await (const f of own.until(ticks, end)) {
        expect([f.track, f.key]).toEqual([3, true]);
        expect(f.ticks).toBeLessThanOrEqual(ticks);
        given.push({ ms: f.ticks / TICKS_PER_MS, frame: (f.data[0] ?? 0) + 256 * (f.data[1] ?? 0) });
      }
    };
    for (let ms = 0; ms < endMs; ms += 40) await take(ms * TICKS_PER_MS);
    await take(endMs * TICKS_PER_MS, endMs * TICKS_PER_MS);
    await own.drain();
    const all = Array.from({ length: 500 }, (_, frame) => ({ ms: frame * FRAME_MS + offsetMs, frame }));
    expect(given).toEqual(all.filter(({ ms }) => ms >= 0 && ms < endMs));
    const promise = own.promise();
    expect([promise.packets, promise.bytes, promise.seenBytes]).toEqual([given.length, 2 * given.length, 1000]);
    expect(promise.left.reduce((sum, l) => sum + l.frames, promise.packets)).toBe(500);
    await own.close();
  }
});

test('the stream keeps its codec data; names, flags and language are the reel’s', async () => {
  const own = opened(await stream(5), 0);
  await own.open();
  const described = own.describe(9n);
  if (described.kind !== 'kept') throw new Error('not kept');
  expect(described).toMatchObject({
    codecId: 'A_FLAC',
    name: 'Talk',
    language: 'gd',
    isDefault: false,
    isForced: false,
    isCommentary: false,
  });
  expect(Buffer.from(described.elements).includes(Buffer.from([1, 2, 3, 4]))).toBe(true);
  expect(Buffer.from(described.elements).includes(Buffer.from('not this name'))).toBe(false);
  await own.close();
});

test('a file of two tracks, of none, or cut off is refused as what it is; nothing hangs', async () => {
  const code = async (data: Uint8Array) => {
    const own = opened(data, 0);
    try {
      await own.open();
      for await (const frame of own.until(Number.POSITIVE_INFINITY)) expect(frame.track).toBe(3);
      return 'read';
    } catch (error) {
      return error instanceof DiscError ? error.code : String(error);
    } finally {
      await own.close();
    }
  };
  const whole = await stream(400);
  expect(await code(whole)).toBe('read');
  expect(await code(await stream(3, 2))).toBe('unsupported');
  expect(await code(new Uint8Array(0))).toBe('bad-signature');
  for (let seed = 0; seed < 60; seed++) {
    const random = seeded(seed);
    const cut = whole.subarray(0, random.int(whole.byteLength));
    expect(['read', 'ended-early', 'bad-signature', 'bad-structure', 'out-of-range', 'unsupported']).toContain(await code(cut));
  }
});
