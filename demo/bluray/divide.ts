import { createHash } from 'node:crypto';
import { readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { run } from '../run';
import type { MadeClip } from './clips';
import { packetize, type AuthoredPes } from './packetize';
import { scanClip } from './scan';
import { pesOf } from './pes-packets';

/**
 * Divides one clip in two at a key picture, as a disc does at a seamless join: the sound that belongs to the end of the first stands
 * at the head of the second. Over the join everything is contiguous, since it was made in one.
 */
export interface Division {
  readonly at: number;
  /** Seconds of sound before the join that stand in the second clip. */
  readonly lead: number;
  /** Clock of the second clip's first picture, seconds; null where the first one's goes on. */
  readonly clock: number | null;
  readonly names: readonly [string, string];
}

/** What a clip held before anything was done to it, by FFmpeg's own reading. */
export interface Truth {
  /** Hash of every decoded picture, in order. */
  readonly pictures: readonly string[];
  /** SHA-256 of each sound as FFmpeg takes it out: the stream itself, or samples where it has no stream of its own. */
  readonly sound: readonly string[];
}

const quiet = ['-v', 'error', '-nostdin', '-y'];

const FIRST_SOUND_PID = 0x1100;

/** @param codecs FFmpeg's names of the sound, in order of their PIDs. TrueHD can only be the first: FFmpeg sees a core beside it. */
export async function truthOf(file: string, codecs: readonly string[]): Promise<Truth> {
  const frames = `${file}.frames`;
  await run('ffmpeg', [...quiet, '-i', file, '-map', '0:v:0', '-fps_mode', 'passthrough', '-f', 'framemd5', frames]);
  const pictures = (await readFile(frames, 'utf8'))
    .split('\n')
    .flatMap((line) => (/^\d/.test(line) ? [line.split(',').at(-1)?.trim() ?? ''] : []));
  const sound: string[] = [];
  for (const [i, codec] of codecs.entries()) {
    const out = `${file}.sound`;
    const how = codec === 'pcm' ? ['-c:a', 'pcm_s24le', '-f', 's24le'] : ['-c:a', 'copy', '-f', codec];
    await run('ffmpeg', [...quiet, '-i', file, '-map', codec === 'truehd' ? '0:a:0' : `0:i:${FIRST_SOUND_PID + i}`, ...how, out]);
    sound.push(
      createHash('sha256')
        .update(await readFile(out))
        .digest('hex'),
    );
  }
  return { pictures, sound };
}

/** Packets of several streams in order of arrival; those of one stream stay in theirs. */
function multiplexed(streams: readonly Uint8Array[]): Uint8Array {
  const packets = streams.flatMap((data) => {
    let latest = 0;
    return Array.from({ length: data.byteLength / 192 }, (_, i) => {
      const packet = data.subarray(i * 192, i * 192 + 192);
      latest = Math.max(latest, new DataView(packet.buffer, packet.byteOffset, 4).getUint32(0) & 0x3fffffff);
      return { packet, arrival: latest };
    });
  });
  return Buffer.concat(packets.sort((a, b) => a.arrival - b.arrival).map((p) => p.packet));
}

const PRIVATE_STREAM = 0xbd;

export async function divideClip(
  whole: MadeClip,
  { at, lead, clock, names }: Division,
  videoPid: number,
  frame90k: number,
): Promise<MadeClip[]> {
  const data = new Uint8Array(await readFile(whole.file));
  const start = whole.facts.start90k;
  const pictures = pesOf(data, videoPid);
  const first = pictures.findIndex((p) => p.key && p.pts90k >= start + at * 90_000);
  const join = pictures[first];
  if (!join) throw new Error('there is no key picture to divide at');
  const shift = clock === null ? 0 : Math.round(clock * 90_000) - join.pts90k;
  const moved = (list: readonly AuthoredPes[]) => list.map((p) => ({ ...p, pts90k: p.pts90k + shift, dts90k: p.dts90k + shift }));
  const sounds = whole.streams.slice(1).map((s) => ({ pid: s.pid, packets: pesOf(data, s.pid) }));
  const before = (list: readonly AuthoredPes[]) => list.filter((p) => p.pts90k < join.pts90k - lead * 90_000);
  const after = (list: readonly AuthoredPes[]) => list.filter((p) => p.pts90k >= join.pts90k - lead * 90_000);
  const halves = [
    [packetize(videoPid, pictures.slice(0, first)), ...sounds.map((s) => packetize(s.pid, before(s.packets), PRIVATE_STREAM))],
    [packetize(videoPid, moved(pictures.slice(first))), ...sounds.map((s) => packetize(s.pid, moved(after(s.packets)), PRIVATE_STREAM))],
  ];
  return Promise.all(
    halves.map(async (streams, i) => {
      const name = names[i] ?? '';
      const file = path.join(path.dirname(whole.file), `${name}.m2ts`);
      const mixed = multiplexed(streams);
      await writeFile(file, mixed);
      return { name, file, streams: whole.streams, facts: scanClip(mixed, videoPid, frame90k) };
    }),
  );
}
