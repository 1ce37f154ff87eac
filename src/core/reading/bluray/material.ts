import { SOURCE_PACKET_BYTES, type Playlist } from '../../bluray';
import type { ClipLooks } from './clip-looks';
import type { ClipPlace, Cuts } from './clip-segments';
import type { ClipSegment, Remark, Title } from '../model';

export interface NumberedPlaylist {
  readonly number: number;
  readonly playlist: Playlist;
}

/** Everything that titles are built from. */
export interface Material {
  readonly clips: ReadonlyMap<string, ClipPlace>;
  readonly looks: ClipLooks;
  readonly cuts: Cuts;
  readonly segments: Map<string, ClipSegment>;
  readonly remarks: Remark[];
}

export const note = (
  remarks: Remark[],
  code: Remark['code'],
  severity: Remark['severity'],
  detail: string,
  title: number | null = null,
) => {
  remarks.push({ code, severity, title, detail });
};

/** Whether a title's clips are there, whole, and not protected; what is not is remarked. */
export async function stateOf(
  number: number,
  used: readonly ClipSegment[],
  longest: ClipSegment | null,
  material: Material,
): Promise<Title['state']> {
  const { clips, looks, remarks } = material;
  const isThere = (s: ClipSegment) => (clips.get(s.content)?.sizeBytes ?? 0) > 0;
  for (const content of new Set(used.filter((s) => !isThere(s)).map((s) => s.content)))
    note(remarks, 'structure-lost', 'fault', `Title ${number} needs clip ${content}, which is not there`, number);
  // What else there is of it can be had: what is missing is put in at the end, for all titles at once.
  if (!longest || !used.some(isThere)) return 'unreadable';
  for (const content of new Set([longest, ...used].filter(isThere).map((s) => s.content)))
    if (await looks.protectedContent(content)) {
      note(remarks, 'scrambled', 'fault', `Packets of clip ${content} carry the flags of protection`, number);
      return 'scrambled';
    }
  for (const segment of used) {
    const reach = await looks.reachableBytes(segment.content);
    if (reach > 0 && segment.endPacket * SOURCE_PACKET_BYTES > reach) {
      const detail = `Title ${number} goes on to packet ${segment.endPacket} of clip ${segment.content}, which ends at byte ${reach}`;
      note(remarks, 'beyond-end', 'fault', detail, number);
      break; // what is missing is put in at the end, for all titles at once
    }
  }
  return 'usable';
}
