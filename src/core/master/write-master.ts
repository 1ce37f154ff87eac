import type { AssembledTrack, PacketStream } from '../assembly';
import { DiscError } from '../bytes';
import { MatroskaWriter, type MatroskaSink } from '../matroska';
import type { CreateHash, PayloadHash } from '../proof/hash';
import type { MasterPromise, TrackPromise } from '../proof/promise';
import type { Reading } from '../reading';
import type { Reel } from '../reels/model';
import { reelMs } from '../reels/pieces';
import { AddedAudioTrack } from './added-audio';
import type { AddedStreamTrack } from './added-stream';
import { AddedTrack } from './added-subtitles';
import { BesideWriter } from './beside';
import { Describer, codecId } from './describer';
import type { MasterOptions } from './options';
import { OtherEyeTrack } from './other-eye';

const TAP_NONE = () => undefined;

/** Hashes every taken byte per track: hand `tap` to the assembly. */
export class TrackHashes {
  private readonly hashes: (PayloadHash | undefined)[] = [];
  constructor(private readonly createHash: CreateHash) {}
  readonly tap = (track: number, data: Uint8Array): void => {
    (this.hashes[track] ??= this.createHash()).update(data);
  };
  digest(track: number): string {
    return (this.hashes[track] ??= this.createHash()).digest();
  }
}

/**
 * Writes a reel as a Matroska master: the disc's own streams, nothing re-encoded.
 * @returns what the finished file must hold, for the proof.
 * @throws what the assembly and the sink throw; the file is then not finished.
 */
export async function writeMaster(
  assembly: PacketStream,
  hashes: TrackHashes,
  reading: Reading,
  reel: Reel,
  sink: MatroskaSink,
  options: MasterOptions,
): Promise<MasterPromise> {
  const count = assembly.tracks.length;
  const sounds: AddedStreamTrack[] = openSounds(reel, count, options);
  const other = openOther(reel, count + sounds.length, options);
  if (other) sounds.push(other);
  const texts = (reel.added ?? []).map((a, i) => new AddedTrack(count + sounds.length + i, a, options.createHash(), i));
  const added = [...sounds, ...texts];
  const describer = new Describer(assembly, reel, reading, options, added);
  const writer = new MatroskaWriter(sink, count + added.length, 0, options.crc32);
  texts.forEach((_, i) => writer.wantsDuration.add(count + sounds.length + i));
  const beside = await openBesideWriters(assembly, options);
  const spans: (Span | undefined)[] = [];
  const seeMoment = (track: number, ticks: number) => {
    const span = (spans[track] ??= { from: ticks, to: ticks });
    if (ticks < span.from) span.from = ticks;
    if (ticks > span.to) span.to = ticks;
  };
  const addUntil = async (ticks: number, endTicks?: number) => {
    for (const track of added)
      for await (const frame of track.until(ticks, endTicks)) {
        seeMoment(frame.track, frame.ticks);
        writer.add(frame);
        if (writer.pending) await writer.flush();
      }
  };
  assembly.tracks.forEach((track, i) => {
    if (track.kind === 'subtitle') writer.wantsDuration.add(i);
  });
  const report = options.onProgress ?? TAP_NONE;
  const estimateMs = reelMs(reading.titles, reel.pieces);
  let begun = false;
  let aligned = false;
  // Frames from elsewhere come between a packet and its place: then it is put together apart.
  const room = added.length > 0 ? undefined : writer;
  try {
    for (const sound of sounds) await sound.open();
    while (await assembly.fill()) {
      for (let packet = assembly.take(room); packet; packet = assembly.take(room)) {
        if (describer.needsPicture) describer.see(packet);
        if (!begun) {
          begun = true;
          const head = describer.describe(estimateMs * 1e6);
          await writer.begin(head);
          for (const file of beside.values()) await file.begin(head);
        }
        seeMoment(packet.track, packet.ticks);
        // Both eyes' pictures begin with one that decoding can begin with: that is one moment.
        if (other && !aligned && packet.track === 0) {
          aligned = true;
          await other.beginAt(packet.ticks);
        }
        if (added.length > 0 && packet.track === 0) await addUntil(packet.ticks);
        writer.add(packet);
        if (beside.size > 0) await beside.get(packet.track)?.put(packet);
        if (writer.pending) await writer.flush();
      }
      report(assembly.readBytes, assembly.totalBytes);
    }
    if (!begun) await writer.begin(describer.describe(null));
    await addUntil(assembly.endTicks, assembly.endTicks);
    for (const sound of sounds) await sound.drain();
    const end = describer.describe(null);
    await writer.finish(end);
    for (const file of beside.values()) await file.finish(end);
  } finally {
    for (const sound of sounds) await sound.close();
  }
  return {
    durationMs: assembly.endTicks / 27_000,
    frames: assembly.account(0).packets,
    interlaced: describer.interlaced,
    chapters: [...(reel.chapters ?? assembly.outputChapters().map((c) => ({ startMs: c.startTicks / 27_000, name: c.name })))],
    tracks: [...assembly.tracks.map((track, i) => trackPromise(assembly, hashes, track, i)), ...added.map((track) => track.promise())].map(
      (track, i) => ({ ...track, ...momentsOf(spans[i]) }),
    ),
    wholeness: assembly.wholeness(),
    around: reel.damage === 'around',
  };
}

/** @throws DiscError `unsupported` where sound from a file is asked for and none can be opened here. */
function openSounds(reel: Reel, firstTrack: number, { openAdded, createHash, signal }: MasterOptions): AddedAudioTrack[] {
  const wanted = reel.addedAudio ?? [];
  if (wanted.length > 0 && !openAdded)
    throw new DiscError('unsupported', { source: wanted[0]?.source.path ?? '', byteOffset: 0 }, 'Sound from a file can not be added here');
  return wanted.flatMap((a, i) => (openAdded ? [new AddedAudioTrack(firstTrack + i, a, createHash(), i, openAdded(a), signal)] : []));
}

/** @throws DiscError `unsupported` where the other eye's picture is asked for and can not be opened here. */
function openOther({ otherEye }: Reel, track: number, { openOtherEye, createHash, signal }: MasterOptions): OtherEyeTrack | null {
  if (!otherEye) return null;
  if (!openOtherEye)
    throw new DiscError(
      'unsupported',
      { source: `title ${otherEye.title}`, byteOffset: 0 },
      'The other eye’s picture can not be added here',
    );
  return new OtherEyeTrack(track, otherEye, createHash(), openOtherEye(otherEye), signal);
}

/** Writers of the subtitle tracks that go to files of their own as well, by track of the result. */
async function openBesideWriters(assembly: PacketStream, { openBeside, crc32 }: MasterOptions): Promise<Map<number, BesideWriter>> {
  const writers = new Map<number, BesideWriter>();
  if (!openBeside) return writers;
  let subtitle = 0;
  for (const [track, { kind }] of assembly.tracks.entries()) {
    if (kind !== 'subtitle') continue;
    const sink = await openBeside(subtitle++);
    if (sink) writers.set(track, new BesideWriter(sink, track, crc32));
  }
  return writers;
}

/** First and last moment of a track, in ticks. */
interface Span {
  from: number;
  to: number;
}

const momentsOf = (span: Span | undefined): Pick<TrackPromise, 'fromMs' | 'toMs'> => ({
  fromMs: span ? span.from / 27_000 : null,
  toMs: span ? span.to / 27_000 : null,
});

function trackPromise(assembly: PacketStream, hashes: TrackHashes, track: AssembledTrack, index: number): TrackPromise {
  const account = assembly.account(index);
  return {
    kind: track.kind,
    stream: track.source.stream,
    codecId: assembly.described(index)?.codecId ?? codecId(track.source.codec),
    language: track.kind === 'video' ? null : track.taken.language,
    packets: account.packets,
    bytes: account.takenBytes,
    hash: hashes.digest(index),
    lpcm: track.kind === 'audio' ? track.lpcm : null,
    left: [...account.left].map(([reason, { ticks, ...sum }]) => ({ reason, ...sum, ms: Math.round(ticks / 27_000) })),
    seenBytes: account.seenBytes,
    irregularities: account.irregularityCount,
    forcedAtMs: assembly.forcedTicks(index).map((ticks) => Math.round(ticks / 27_000)),
    fromMs: null, // known to the writer
    toMs: null,
  };
}
