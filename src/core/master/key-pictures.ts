import type { PacketStream } from '../assembly';
import { DiscError } from '../bytes';
import { MatroskaWriter, identifier, type MatroskaSink, type MatroskaTrack } from '../matroska';
import type { Reading } from '../reading';
import type { Reel } from '../reels/model';
import { describePictureTrack } from './describer';
import type { MasterOptions } from './options';

/** Makes the stream that begins with the picture nearest before a moment. Only its first picture is read. */
export type OpenMoment = (index: number) => Promise<PacketStream>;

/** Streams without a picture for so many packets have none. */
const MOST_PACKETS = 4000;
/** Discs are read at so many places at a time. */
const LANES = 4;

interface KeyPicture {
  readonly index: number;
  readonly track: MatroskaTrack;
  readonly data: Uint8Array;
}

async function firstPicture(
  stream: PacketStream,
  reel: Reel,
  reading: Reading,
  options: MasterOptions,
  index: number,
): Promise<KeyPicture | null> {
  try {
    for (let seen = 0; seen < MOST_PACKETS && (await stream.fill());) {
      for (let packet = stream.take(); packet; packet = stream.take(), seen++) {
        if (packet.track !== 0 || !packet.key) continue;
        const data = packet.data.slice();
        const track = describePictureTrack(stream, reel, reading, options, { ...packet, data });
        return { index, data, track: { ...track, uid: identifier(options.seed, `picture ${index}`) } };
      }
    }
    return null;
  } finally {
    await stream.close();
  }
}

/**
 * Writes the first picture of many short streams, each as a track of its own: a decoder for each shows it as it is,
 * whatever the pictures that stood around it. Moments at which none can be read are left out.
 * @returns the index of the moment for each track of the file, in order; empty where there is none at all.
 */
export async function writeKeyPictures(
  count: number,
  open: OpenMoment,
  reel: Reel,
  reading: Reading,
  sink: MatroskaSink,
  options: MasterOptions,
): Promise<number[]> {
  const found: KeyPicture[] = [];
  let next = 0;
  await Promise.all(
    Array.from({ length: LANES }, async () => {
      while (next < count) {
        const index = next++;
        // A place that can not be read hides no other.
        const picture = await open(index)
          .then((stream) => firstPicture(stream, reel, reading, options, index))
          .catch((error: unknown) => {
            if (error instanceof DiscError && error.code !== 'cancelled') return null;
            throw error;
          });
        if (picture) found.push(picture);
      }
    }),
  );
  found.sort((a, b) => a.index - b.index);
  if (found.length === 0) return [];
  const writer = new MatroskaWriter(sink, found.length, 0, options.crc32);
  const description = {
    title: '',
    application: options.application,
    seed: options.seed,
    tracks: found.map((p) => p.track),
    chapters: [],
    tags: [],
    durationNs: 1e9,
  };
  await writer.begin(description);
  for (const [track, { data }] of found.entries()) {
    writer.add({ track, ticks: 0, durationTicks: null, key: true, discardable: false, data });
    if (writer.pending) await writer.flush();
  }
  await writer.finish(description);
  return found.map((p) => p.index);
}
