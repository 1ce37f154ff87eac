import { SECTOR_BYTES } from '../volume';

/** What stands in an image where nothing could be read. Its map says so in either case. */
export const FILLS = ['zeroes', 'words'] as const;
export type Fill = (typeof FILLS)[number];

const WORDS = new TextEncoder().encode('NOT READ: what stood in this sector could not be read when the image was taken.\n');

/**
 * A sector of what is put in place of what could not be read. Neither is a pack or a packet, so that nothing takes it for content even
 * where the map is lost. @param bytes of the last sector there may be fewer.
 */
export function fillSector(fill: Fill, bytes = SECTOR_BYTES): Uint8Array {
  const sector = new Uint8Array(bytes);
  if (fill === 'words') for (let i = 0; i < bytes; i++) sector[i] = WORDS[i % WORDS.length] as number;
  return sector;
}
