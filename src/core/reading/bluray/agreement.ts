import { unlessDamaged, type ByteSource } from '../../bytes';
import { SOURCE_PACKET_BYTES, type ClipInfo, type Playlist } from '../../bluray';
import type { ClipPlace } from './clip-segments';

/** Times of clips are rounded, and of a whole number of pictures. */
const PLAYLIST_SLACK_45K = 45_000;

/** Share of a playlist's items whose clips are there and have the times that it shows. */
export function playlistAgreement(playlist: Playlist, clips: ReadonlyMap<string, ClipPlace>): number {
  const agreeing = playlist.items.filter((item) => {
    const clip = clips.get(item.clips[0] ?? '');
    if (!clip || clip.sizeBytes === 0) return false;
    const { info } = clip;
    if (!info || info.end45k === 0 || info.clocks.length > 1) return true;
    return item.in45k >= info.start45k - PLAYLIST_SLACK_45K && item.out45k <= info.end45k + PLAYLIST_SLACK_45K;
  });
  return playlist.items.length === 0 ? 0 : agreeing.length / playlist.items.length;
}

/** Clips whose tables are held against their content, and playlists whose copies are compared, and places in each: every one costs a drive a seek. */
export const MOST_AGREED = 24;
const AGREEMENT_SAMPLES = 2;

/** Share of a few entry points at which a packet of a stream's beginning stands: what tells which of two copies is the right one. */
export async function entryAgreement({ entries }: ClipInfo, clip: ByteSource): Promise<number> {
  if (entries.length === 0) return 1;
  const picked = Array.from(
    { length: AGREEMENT_SAMPLES },
    (_, i) => entries[Math.floor(((entries.length - 1) * i) / (AGREEMENT_SAMPLES - 1))],
  );
  const packet = new Uint8Array(SOURCE_PACKET_BYTES);
  let agreeing = 0;
  for (const entry of picked) {
    const got = entry ? await unlessDamaged(clip.read(entry.packet * SOURCE_PACKET_BYTES, packet), 0) : 0;
    const begins = got === SOURCE_PACKET_BYTES && packet[4] === 0x47 && ((packet[5] ?? 0) & 0x40) !== 0;
    // What can not be read says nothing against the table.
    if (begins || got < SOURCE_PACKET_BYTES) agreeing++;
  }
  return agreeing / AGREEMENT_SAMPLES;
}
