import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { HAVEN, TWIN, WATCH, openDisc, temporaryFolder, titleOf, writeMasterFile, type OpenDisc } from '@/test-support/discs';
import { complaints, decodedFrames, decodedSamples, elementary, packetTimes, probed } from '@/test-support/ffmpeg';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { seeded } from '@/test-support/random';
import { concatBytes, memorySource, readExactly } from '../../bytes';
import { readMatroska } from '../../matroska';
import { proveMaster } from '../../proof';
import { CORE_STREAM, FAULT_WEIGHTS, readDisc, wholeText } from '../../reading';
import { wholeTitleReel, type Reel } from '../../reels';
import { Assembly } from '..';
import { AccessUnitFramer } from '../framers/access-unit-framer';
import { OwnRoom } from '../framers/framer';
import { HevcCodec } from '../framers/unit-codecs';
import { Timeline } from '../timeline';

let haven: OpenDisc;
let twin: OpenDisc;
beforeAll(async () => {
  [haven, twin] = [await openDisc(HAVEN), await openDisc(TWIN)];
});
afterAll(async () => {
  await haven.opened.close();
  await twin.opened.close();
});

const clip = (name: string) => path.join(HAVEN, 'BDMV', 'STREAM', `${name}.m2ts`);
const reelOf = (disc: OpenDisc, number: number, change: Partial<Reel> = {}): Reel => ({
  ...wholeTitleReel(titleOf(disc.reading, number), 'test'),
  ...change,
});
const folder = temporaryFolder();
const master = async (disc: OpenDisc, reel: Reel, name: string) => {
  const file = path.join(folder, `${name}.mkv`);
  return { file, ...(await writeMasterFile(disc, reel, file)) };
};

/** Payload of one kind of unit out of a clip, by a demultiplexer as plain as can be. */
function payloadOf(file: string, pid: number, belongs: (start: Buffer) => boolean): Buffer {
  const data = readFileSync(file);
  const packets: Buffer[][] = [];
  for (let at = 4; at + 188 <= data.length; at += 192) {
    if ((data.readUInt16BE(at + 1) & 0x1fff) !== pid || ((data[at + 3] ?? 0) & 0x10) === 0) continue;
    let payload = at + 4 + ((data[at + 3] ?? 0) & 0x20 ? 1 + (data[at + 4] ?? 0) : 0);
    if ((data[at + 1] ?? 0) & 0x40) {
      payload += 9 + (data[payload + 8] ?? 0);
      packets.push([]);
    }
    packets[packets.length - 1]?.push(data.subarray(payload, at + 188));
  }
  return Buffer.concat(packets.map((p) => Buffer.concat(p)).filter(belongs));
}
const isAc3 = (start: Buffer) => start.readUInt16BE(0) === 0x0b77;
const sha = (data: Buffer) => createHash('sha256').update(data).digest('hex');

describe('two clips joined without a seam', () => {
  let made: Awaited<ReturnType<typeof master>>;
  beforeAll(async () => {
    made = await master(haven, reelOf(haven, 1), 'joined');
  });

  test('every frame of both clips decodes to the same picture, in the same order, at an even pace', () => {
    const frames = decodedFrames(made.file, 'v:0');
    expect(frames).toEqual([...decodedFrames(clip('00001'), 'v:0'), ...decodedFrames(clip('00002'), 'v:0')]);
    const times = packetTimes(made.file, 'v:0').map((p) => p.pts ?? 0);
    const sorted = [...times].sort((a, b) => a - b);
    for (let i = 1; i < sorted.length; i++) expect(Math.abs((sorted[i] ?? 0) - (sorted[i - 1] ?? 0) - 1001 / 24000)).toBeLessThan(0.0011);
  });

  test('sound in four kinds is the clips’ own, the core told apart from what surrounds it', () => {
    const both = (pid: number, belongs: (start: Buffer) => boolean) =>
      Buffer.concat(['00001', '00002'].map((n) => payloadOf(clip(n), pid, belongs)));
    const trueHd = both(0x1100, (start) => !isAc3(start));
    const core = both(0x1100, isAc3);
    expect(sha(elementary(made.file, 'a:0', 'truehd'))).toBe(sha(trueHd));
    expect(sha(elementary(made.file, 'a:1', 'ac3'))).toBe(sha(core));
    expect(sha(elementary(made.file, 'a:2', 'ac3'))).toBe(sha(both(0x1102, isAc3)));
    const samples = decodedSamples(made.file, 'a:3');
    const source = Buffer.concat([decodedSamples(clip('00001'), 'a:4'), decodedSamples(clip('00002'), 'a:4')]);
    // Where the clips overlap by part of a frame, what was already heard is left out.
    const left = made.promise.tracks[4]?.left.reduce((sum, l) => sum + l.bytes, 0) ?? 0;
    expect(source.length - samples.length).toBe((left / 18) * 24);
    const join = decodedSamples(clip('00001'), 'a:4').length;
    expect(samples.subarray(0, join).equals(source.subarray(0, join))).toBe(true);
    expect(samples.subarray(join).equals(source.subarray(join + source.length - samples.length))).toBe(true);
  });

  test('subtitles: whole display sets at their times, forced ones counted', () => {
    const times = packetTimes(made.file, 's:0').map((p) => Math.round((p.pts ?? 0) * 1000));
    const lead = Math.round(1000 * Number(probed(made.file).streams[0]?.start_time));
    expect(times.slice(0, 7)).toEqual([0, 400, 1100, 1600, 2300, 2700, 3400].map((t) => t + lead));
    expect(Math.abs((times[8] ?? 0) - lead - 4004 - 400)).toBeLessThanOrEqual(1);
    expect(made.assembly.forcedUnits(5)).toBe(2);
    expect(made.assembly.forcedUnits(6)).toBe(0);
    expect(made.promise.tracks[5]?.forcedAtMs.map((ms) => ms - lead)).toEqual([1600, expect.closeTo(4004 + 1600, -1)]);
  });

  test('is proven, and FFmpeg has nothing to say against it', async () => {
    const bytes = new Uint8Array(readFileSync(made.file));
    const proof = await proveMaster(memorySource('x', bytes), made.promise, { createHash: createPayloadHash, crc32: fastCrc32 });
    expect(proof).toMatchObject({ passed: true, identicalTracks: 7, tracks: 7 });
    // The check words of FFmpeg's own TrueHD encoder do not satisfy its decoder; the bytes are the encoder's (see above).
    expect(complaints(made.file).filter((line) => !line.includes('Lossless check failed'))).toEqual([]);
  });

  test('chapters begin at the marks', () => {
    const lead = Number(probed(made.file).streams[0]?.start_time);
    const starts = probed(made.file).chapters.map((c) => Number(c.start_time));
    expect(starts).toHaveLength(3);
    [2.002, 4.004].forEach((at, i) => {
      expect(Math.abs((starts[i + 1] ?? 0) - lead - at)).toBeLessThan(0.007);
    });
  });
});

test('the longer cut has the other clip between the two', async () => {
  const { file } = await master(haven, reelOf(haven, 2), 'longer');
  expect(decodedFrames(file, 'v:0')).toEqual(['00001', '00003', '00002'].flatMap((n) => decodedFrames(clip(n), 'v:0')));
});

test('interlaced pictures, eight channels in the container’s order, E-AC-3 and DTS', async () => {
  const { file, promise } = await master(haven, reelOf(haven, 3), 'fields');
  expect(decodedFrames(file, 'v:0')).toEqual(decodedFrames(clip('00004'), 'v:0'));
  expect(decodedSamples(file, 'a:0').equals(decodedSamples(clip('00004'), 'a:0'))).toBe(true);
  expect(sha(elementary(file, 'a:1', 'eac3'))).toBe(sha(payloadOf(clip('00004'), 0x1101, isAc3)));
  expect(sha(elementary(file, 'a:2', 'dts'))).toBe(sha(payloadOf(clip('00004'), 0x1102, () => true)));
  expect(probed(file).streams[0]).toMatchObject({ field_order: 'tt', codec_name: 'h264' });
  expect(promise.interlaced).toBe(true);
  expect(complaints(file)).toEqual([]);
});

test('ten bits with the data of their display; MPEG-2 too', async () => {
  const deep = await master(haven, reelOf(haven, 4), 'deep');
  expect(decodedFrames(deep.file, 'v:0')).toEqual(decodedFrames(clip('00005'), 'v:0'));
  const { stdout } = spawnSync('ffprobe', ['-v', 'error', '-select_streams', 'v', '-show_streams', '-of', 'json', deep.file], {
    encoding: 'utf8',
  });
  const [stream] = (JSON.parse(stdout) as { streams: Record<string, unknown>[] }).streams;
  expect(stream).toMatchObject({ pix_fmt: 'yuv420p10le', color_transfer: 'smpte2084', color_primaries: 'bt2020' });
  expect(JSON.stringify(stream?.['side_data_list'])).toMatch(
    /max_content":1000,"max_average":400.*Mastering display.*max_luminance":"1000\/1"/,
  );
  const old = await master(haven, reelOf(haven, 5), 'old');
  expect(decodedFrames(old.file, 'v:0')).toEqual(decodedFrames(clip('00006'), 'v:0'));
  expect([...complaints(deep.file), ...complaints(old.file)]).toEqual([]);
});

test('another reader of the whole disc, libbluray under FFmpeg, sees the same pictures and as much sound', async () => {
  const disc = await openDisc(WATCH);
  const { file } = await master(disc, reelOf(disc, 1), 'watch');
  await disc.opened.close();
  const hashes = (input: readonly string[], ...how: readonly string[]) => {
    const args = ['-v', 'error', ...input, ...how, '-f', 'framemd5', '-'];
    const { stdout } = spawnSync('ffmpeg', args, { encoding: 'utf8', maxBuffer: 2 ** 28 });
    return stdout
      .split('\n')
      .flatMap((line) => (line === '' || line.startsWith('#') ? [] : [line.slice(line.lastIndexOf(',') + 1).trim()]));
  };
  const played = ['-playlist', '1', '-i', `bluray:${WATCH}`];
  const pictures = hashes(played, '-map', '0:v', '-fps_mode', 'passthrough');
  expect(pictures.length).toBeGreaterThan(4500);
  expect(decodedFrames(file, 'v:0')).toEqual(pictures);
  // It begins one frame of sound later, and a decoder that does so makes other samples of all that follows: counted only.
  expect(Math.abs(decodedFrames(file, 'a:0').length - hashes(played, '-map', '0:a').length)).toBeLessThanOrEqual(1);
});

test('text subtitles stand in clips of their own, and come out at the times of the title', async () => {
  const disc = await openDisc(WATCH);
  const title = titleOf(disc.reading, 1);
  expect(title.subtitles.map((t) => [t.codec, t.language, t.apart?.clip, t.apart?.atMs])).toEqual([
    ['text', 'en', '00033', 0],
    ['text', 'gd', '00034', 0],
  ]);
  const { file, promise } = await master(disc, reelOf(disc, 1), 'words');
  const second = { ...reelOf(disc, 1), pieces: [{ title: 1, angle: 1, fromChapter: 2, toChapter: 2 }] };
  const part = await master(disc, second, 'words-2');
  await disc.opened.close();
  expect(promise.tracks.slice(2).map((t) => [t.codecId, t.packets])).toEqual([
    ['S_HDMV/TEXTST', 4],
    ['S_HDMV/TEXTST', 1],
  ]);
  const dialogs = async (of: string) => {
    const found: { ms: number; text: string }[] = [];
    const data = readFileSync(of);
    await readMatroska(memorySource(of, data), {
      block: (track, ms, _key, bytes) => {
        if (track === 3) found.push({ ms, text: new TextDecoder().decode(bytes.slice(-40)).replace(/^.*?(?=Spoken)/s, '') });
      },
    });
    return found;
  };
  const near = (ms: number) => expect.closeTo(ms, -2) as number;
  expect(await dialogs(file)).toEqual([5, 60, 101, 150].map((at) => ({ ms: near(at * 1000), text: `Spoken at ${at} s` })));
  const startMs = title.chapters[1]?.startMs ?? 0;
  expect(await dialogs(part.file)).toEqual([101, 150].map((at) => ({ ms: near(at * 1000 - startMs), text: `Spoken at ${at} s` })));
  expect(complaints(file)).toEqual([]);
});

describe('cuts', () => {
  test('a chapter: from an entry point to the next, with sound as long as the picture', async () => {
    const all = reelOf(haven, 1);
    const reel = { ...all, subtitles: all.subtitles.slice(0, 1) }; // nothing of the other is said in this chapter
    const { file, promise } = await master(haven, { ...reel, pieces: [{ title: 1, angle: 1, fromChapter: 2, toChapter: 2 }] }, 'chapter');
    const whole = decodedFrames(clip('00001'), 'v:0');
    const frames = decodedFrames(file, 'v:0');
    const at = whole.indexOf(frames[0] ?? '');
    expect(Math.abs(at - 48)).toBeLessThanOrEqual(2);
    expect(frames).toEqual(whole.slice(at));
    const samples = decodedSamples(file, 'a:3').length / 24;
    expect(Math.abs(samples / 48000 - frames.length * (1001 / 24000))).toBeLessThan(0.04);
    expect(promise.chapters).toHaveLength(1);
    expect(complaints(file)).toEqual([]);
  });

  test('in and out times inside a clip: no picture between them is lost, and what is shown beyond is said', async () => {
    const { file } = await master(haven, reelOf(haven, 7), 'inside');
    const whole = decodedFrames(clip('00003'), 'v:0');
    const frames = decodedFrames(file, 'v:0');
    const at = whole.indexOf(frames[0] ?? '');
    expect(at).toBeLessThanOrEqual(26);
    expect(frames).toEqual(whole.slice(at, at + frames.length));
    expect(at + frames.length).toBeGreaterThanOrEqual(72);
    expect(at + frames.length).toBeLessThanOrEqual(75);
  });

  test('all chapters one after the other hold every frame of the whole', async () => {
    const seen = new Set<string>();
    for (let chapter = 1; chapter <= 3; chapter++) {
      const piece = { title: 1, angle: 1, fromChapter: chapter, toChapter: chapter };
      const { file } = await master(haven, reelOf(haven, 1, { pieces: [piece] }), `one-${chapter}`);
      for (const frame of decodedFrames(file, 'v:0')) seen.add(frame);
    }
    const all = [...decodedFrames(clip('00001'), 'v:0'), ...decodedFrames(clip('00002'), 'v:0')];
    expect(all.filter((frame) => !seen.has(frame))).toEqual([]);
  });
});

test('each angle is its own clip', async () => {
  const seen = new Set<string>();
  for (const angle of [1, 2, 3]) {
    const { file } = await master(twin, reelOf(twin, 2, { pieces: [{ title: 2, angle, fromChapter: 1, toChapter: 2 }] }), `angle-${angle}`);
    const frames = decodedFrames(file, 'v:0');
    expect(frames).toHaveLength(96);
    seen.add(frames.join());
  }
  expect(seen.size).toBe(3);
});

describe('two views', () => {
  test('both stand in every block, the second told by its configuration; the first decodes as it is', async () => {
    const { file, assembly, promise } = await master(twin, reelOf(twin, 1), 'views');
    expect(assembly.lonelyFrames).toBe(0);
    const { stdout } = spawnSync('ffprobe', ['-v', 'error', '-select_streams', 'v', '-show_streams', '-of', 'json', file], {
      encoding: 'utf8',
    });
    expect(stdout).toMatch(/block_lr/);
    const flat = await master(twin, reelOf(twin, 3), 'flat');
    expect(decodedFrames(file, 'v:0')).toEqual(decodedFrames(flat.file, 'v:0'));
    // Units of both views: lengths of four bytes, second view in types 15, 20 and 24.
    const plain = packetTimes(flat.file, 'v:0');
    expect(packetTimes(file, 'v:0').every(({ size }, i) => size > (plain[i]?.size ?? 0))).toBe(true);
    expect(promise.frames).toBe(96);
    expect(readFileSync(file).includes(Buffer.from('mvcC'))).toBe(true);
  });
});

describe('a picture in two layers', () => {
  const BASE = 0x1011;
  const LAYER = 0x1015;
  const METADATA = 62;
  /** The clip, in which every packet of the picture comes once more as another stream's; its access units end in a unit of metadata. */
  async function layered(): Promise<{ clip: Uint8Array; units: number }> {
    const source = await haven.opened.content('00005');
    const own = await readExactly(source, 0, source.sizeBytes, 'a clip');
    const parts: Uint8Array[] = [];
    let units = 0;
    for (let at = 0; at + 192 <= own.byteLength; at += 192) {
      const packet = own.slice(at, at + 192);
      parts.push(packet);
      if (((((packet[5] ?? 0) & 0x1f) << 8) | (packet[6] ?? 0)) !== BASE) continue;
      const twin = packet.slice();
      twin.set([((packet[5] ?? 0) & 0xe0) | (LAYER >> 8), LAYER & 255], 5);
      if ((packet[5] ?? 0) & 0x40) units++;
      parts.push(twin);
    }
    return { clip: concatBytes(parts), units };
  }

  test('the layer that no file holds is counted, unit for unit, and the master is not called all that the disc has', async () => {
    const { clip: bytes, units } = await layered();
    const title = titleOf(haven.reading, 4);
    const reading = {
      ...haven.reading,
      titles: haven.reading.titles.map((t) => (t === title ? { ...t, video: { ...t.video, layer: LAYER } } : t)),
      segments: haven.reading.segments.map((s) =>
        s.kind === 'clip' && s.content === '00005' ? { ...s, firstPacket: 0, endPacket: bytes.byteLength / 192 } : s,
      ),
    };
    const walked = async (of: typeof haven.reading) => {
      const assembly = new Assembly(of, reelOf(haven, 4), (name) =>
        name === '00005' ? Promise.resolve(memorySource(name, bytes)) : haven.opened.content(name),
      );
      let pictures = 0;
      while (await assembly.fill()) for (let p = assembly.take(); p; p = assembly.take()) if (p.track === 0) pictures++;
      return { pictures, wholeness: assembly.wholeness() };
    };
    const { pictures, wholeness } = await walked(reading);
    expect(pictures).toBe(units);
    const layers = wholeness.faults.filter((f) => f.kind === 'layer');
    expect(layers.reduce((sum, f) => sum + f.count, 0)).toBe(units);
    expect(wholeText(wholeness)).toMatch(/^without the enhancement layer/);
  });

  test('units of metadata in the access units of the base stay in them', () => {
    const timeline = new Timeline();
    const framer = new AccessUnitFramer(timeline, new HevcCodec(), 1_126_125);
    framer.beginStretch({ epoch: timeline.begin(0), in90k: 0, out90k: 1e9, endsCut: false });
    const unit = (type: number, ...rest: number[]) => [0, 0, 0, 1, type << 1, 1, ...rest];
    const IDR = 20;
    const bytes = Uint8Array.from([...unit(IDR, 0xaf, 0x12, 0x34), ...unit(METADATA, 0x19, 0x08, 0x77)]);
    framer.append(bytes, 0, bytes.byteLength, 3000, 3000, true);
    framer.finish();
    const held = framer.queue.shift();
    expect(held).toBeDefined();
    const out = held ? [...(framer.reframed(held, new OwnRoom()) ?? [])] : [];
    expect(out.slice(-9)).toEqual([0, 0, 0, 5, METADATA << 1, 1, 0x19, 0x08, 0x77]);
  });
});

describe('a second view that is not whole', () => {
  const VIEW = '00012';
  const PID = 0x1012;
  /** The view's clip with something done to its packets, and what comes of the title. */
  const walked = async (spoil: (packets: Uint8Array[]) => Uint8Array[]) => {
    const source = await twin.opened.content(VIEW);
    const own = await readExactly(source, 0, source.sizeBytes, 'a clip');
    const packets = Array.from({ length: own.byteLength / 192 }, (_, i) => own.slice(i * 192, i * 192 + 192));
    const spoilt = memorySource(VIEW, Buffer.concat(spoil(packets)));
    const open = (name: string) => (name === VIEW ? Promise.resolve(spoilt) : twin.opened.content(name));
    const assembly = new Assembly(twin.reading, { ...reelOf(twin, 1), damage: 'around' }, open);
    while (await assembly.fill()) while (assembly.take());
    return assembly.wholeness();
  };
  const ofView = (packet: Uint8Array) => ((((packet[5] ?? 0) & 0x1f) << 8) | (packet[6] ?? 0)) === PID && ((packet[7] ?? 0) & 0x10) !== 0;

  test('a packet that is cut out, emptied or flagged is damage, with its clip and sector, whichever it is', async () => {
    const random = seeded(2612);
    expect((await walked((p) => p)).faults).toEqual([]);
    for (const how of ['cut out', 'emptied', 'flagged'] as const)
      for (let trial = 0; trial < 4; trial++) {
        let at = -1;
        const { faults } = await walked((packets) => {
          const own = packets.flatMap((p, i) => (ofView(p) ? [i] : []));
          at = own[1 + random.int(own.length - 2)] as number;
          if (how === 'cut out') return packets.filter((_, i) => i !== at);
          const hurt = packets[at] as Uint8Array;
          if (how === 'emptied') hurt.fill(0);
          else hurt.set([(hurt[5] ?? 0) | 0x80], 5);
          return packets;
        });
        const damage = faults.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage' && f.content === VIEW);
        expect({ how, at, damage: damage.length > 0 }).toEqual({ how, at, damage: true });
        const sector = Math.floor((at * 192) / 2048);
        expect(damage.some((f) => f.firstSector <= sector + 64 && f.lastSector >= sector - 1)).toBe(true);
      }
  });

  test('a clip of the view that is absent is said when the disc is read, and the title is made with one view', async () => {
    const { volume } = twin.opened;
    const without = {
      ...volume,
      label: volume.label,
      list: async (folder: string) => (await volume.list(folder))?.filter((e) => !e.name.startsWith(VIEW)) ?? null,
      open: (file: string) => (file.endsWith(`${VIEW}.m2ts`) ? Promise.resolve(null) : volume.open(file)),
    };
    const reading = await readDisc(without);
    const title = reading.titles.find((t) => t.number === 1);
    expect(title?.video.secondView).toBeNull();
    const said = reading.remarks.filter((r) => r.title === 1 && r.severity === 'warning').map((r) => r.detail);
    expect(said.join()).toMatch(/second view are not there/);
  });
});

test('a track that is not there, or a core without its stream, is refused', () => {
  const reel = reelOf(haven, 1);
  const [first] = reel.audio;
  if (!first) throw new Error('no audio');
  const make = (stream: number) => () =>
    new Assembly(haven.reading, { ...reel, audio: [{ ...first, stream }] }, (name) => haven.opened.content(name));
  expect(make(0x1105)).toThrow(/has no audio stream 1105/);
  expect(make(0x1102 + CORE_STREAM)).toThrow(/has no audio/);
});

test('a clip that ends before its tables say is an error that says where', async () => {
  const short = async (name: string) => {
    const source = await haven.opened.content(name);
    return {
      ...source,
      sizeBytes: source.sizeBytes,
      read: (at: number, to: Uint8Array) => (at > 500_000 ? Promise.resolve(0) : source.read(at, to)),
    };
  };
  const assembly = new Assembly(haven.reading, reelOf(haven, 1), short);
  await expect(async () => {
    while (await assembly.fill()) while (assembly.take());
  }).rejects.toMatchObject({ code: 'ended-early' });
});
