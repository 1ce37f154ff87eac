/** What a disc's own library card says of it, in one language. */
export interface DiscMetadata {
  /** ISO 639-2, from the file's name. */
  readonly language: string;
  readonly title: string;
  readonly thumbnails: readonly string[];
}

const MAX_TITLE = 300;
const MAX_THUMBNAILS = 16;
const ENTITIES: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

function unescapeXml(text: string): string {
  return text.replace(/&(#x[0-9a-f]{1,6}|#\d{1,7}|[a-z]+);/gi, (whole, name: string) => {
    if (!name.startsWith('#')) return ENTITIES[name.toLowerCase()] ?? whole;
    const code = /^#x/i.test(name) ? Number.parseInt(name.slice(2), 16) : Number.parseInt(name.slice(1), 10);
    return code > 0x1f && code <= 0x10ffff && !(code >= 0xd800 && code <= 0xdfff) ? String.fromCodePoint(code) : '';
  });
}

/** Foreign text: no control characters, none that turn the direction of writing. */
const tidy = (text: string) =>
  text
    .replace(/[\u0000-\u001f\u007f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g, ' ')
    .replace(/\s+/g, ' ')
    .trim()
    .slice(0, MAX_TITLE);

/**
 * Reads bdmt_xxx.xml of the disc library metadata. Only the title and the thumbnails' names are wanted, so the text is
 * searched, not parsed: no entity is ever resolved, no other file opened.
 * Spec: BD-ROM part 3, disc library metadata.
 * @returns null where it names no title.
 */
export function parseDiscMetadata(data: Uint8Array, language: string): DiscMetadata | null {
  const utf16 = data[0] === 0xfe || data[0] === 0xff;
  const text = new TextDecoder(utf16 ? (data[0] === 0xfe ? 'utf-16be' : 'utf-16le') : 'utf-8').decode(data);
  const name = /<(?:[\w-]+:)?name\b[^>]*>([^<]{1,4000})</.exec(text)?.[1];
  const title = name === undefined ? '' : tidy(unescapeXml(name));
  if (title === '') return null;
  const thumbnails = [...text.matchAll(/<(?:[\w-]+:)?thumbnail\b[^>]*?\bhref="([\w.-]{1,100})"/g)].map((m) => m[1] ?? '');
  return { language, title, thumbnails: thumbnails.slice(0, MAX_THUMBNAILS) };
}
