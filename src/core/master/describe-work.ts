import type { MatroskaAttachment, MatroskaTag } from '../matroska';
import type { Reading } from '../reading';
import type { Reel, ReelTags } from '../reels/model';

/**
 * Tags of the whole file, by the names and levels of the official Matroska tag specification: 70 the collection, 60 the
 * season, 50 the work or episode itself.
 */
export function workTags(reel: Reel, reading: Reading): MatroskaTag[] {
  const { tags } = reel;
  const titles = reel.pieces.map((p) => String(p.title)).join(', ');
  const medium = reading.kind === 'Video file' ? null : reading.kind === 'DVD-Video' ? 'DVD' : 'Blu-ray Disc';
  const entries = (list: readonly (readonly [string, string | null | undefined])[]) =>
    list.flatMap(([name, value]) => (value ? [{ name, value }] : []));
  const work: MatroskaTag = {
    trackUid: null,
    entries: entries([
      ['DATE_RELEASED', tags?.year],
      ['PART_NUMBER', tags?.episode === null || tags?.episode === undefined ? null : String(tags.episode)],
      ['CATALOG_NUMBER', tags?.accession],
      ['ORIGINAL_MEDIA_TYPE', medium],
      ['SUMMARY', tags?.notes],
      ['COMMENT', `${medium === null ? 'File' : 'Disc'} ${reading.label}, title ${titles}, fingerprint ${reading.fingerprint}`],
    ]),
  };
  const above: MatroskaTag[] = [];
  if (tags?.series) above.push({ trackUid: null, level: 70, entries: [{ name: 'TITLE', value: tags.series }] });
  if (tags?.season !== null && tags?.season !== undefined)
    above.push({ trackUid: null, level: 60, entries: [{ name: 'PART_NUMBER', value: String(tags.season) }] });
  return [...above, work];
}

const JPEG = 'data:image/jpeg;base64,';

/** The cover picture as players look for it: cover.jpg. */
export function workAttachments(tags: ReelTags | undefined): MatroskaAttachment[] {
  if (!tags?.cover?.startsWith(JPEG)) return [];
  const binary = atob(tags.cover.slice(JPEG.length));
  const data = Uint8Array.from(binary, (character) => character.charCodeAt(0));
  return [{ fileName: 'cover.jpg', mediaType: 'image/jpeg', data }];
}
