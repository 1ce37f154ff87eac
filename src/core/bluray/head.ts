import { Cursor } from '../bytes';

/**
 * Opens a structure file of a Blu-ray disc: four letters that say what it is, four digits of its version, then the
 * places of its parts. Spec: BD-ROM part 3, common head of index, movie objects, playlists and clip information.
 * @param data the file whole. @param letters what it must begin with.
 * @returns a cursor over the whole file, standing after the version, and the version as a number: 100, 200 or 300.
 * @throws DiscError `bad-signature`, `ended-early`.
 */
export function openStructure(data: Uint8Array, letters: string, source: string, structure: string): { cursor: Cursor; version: number } {
  const cursor = new Cursor(data, { source, byteOffset: 0, structure });
  const found = cursor.text(4);
  if (found !== letters) throw cursor.wrong('bad-signature', `${structure} begins with "${printable(found)}", not "${letters}"`);
  const version = Number.parseInt(cursor.text(4), 10);
  if (Number.isNaN(version)) throw cursor.wrong('bad-signature', `${structure} has no version`);
  return { cursor, version };
}

const printable = (text: string) => text.replace(/[^\x20-\x7e]/g, '?');

/** The length of a part stands before it. @returns a cursor over just that part. */
export function lengthedPart(file: Cursor, position: number, structure: string): Cursor {
  const cursor = file.from(position, structure);
  return cursor.part(cursor.u32(), structure);
}

/**
 * Extension data: blocks told by two numbers. Spec: BD-ROM part 3, ExtensionData().
 * @param position 0 where the file has none. @returns blocks by "id1.id2".
 */
export function readExtensions(file: Cursor, position: number): ReadonlyMap<string, Cursor> {
  const blocks = new Map<string, Cursor>();
  if (position === 0) return blocks;
  const whole = file.from(position, 'ExtensionData');
  const length = whole.u32();
  if (length === 0) return blocks;
  whole.skip(4 + 3);
  const count = whole.u8();
  for (let i = 0; i < count; i++) {
    const id = `${whole.u16()}.${whole.u16()}`;
    const at = whole.u32();
    const bytes = whole.u32();
    blocks.set(id, file.from(position + at, 'ExtensionData block').part(bytes, 'ExtensionData block'));
  }
  return blocks;
}
