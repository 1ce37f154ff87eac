import type { Reading } from '../reading';

/** What file systems can hold as one name: 255 bytes, less what the application adds at the end. */
const MAX_NAME_BYTES = 200;
/** Names that some systems keep for devices, whatever stands behind a full stop. */
const RESERVED = /^(con|prn|aux|nul|com[0-9]|lpt[0-9])(?=\.|$)/i;
/** Control, direction and invisible characters: they make a name look like another. */
const INVISIBLE = /[\p{Cc}\p{Cf}\p{Cs}\p{Co}\u2028\u2029]/gu;
const FORBIDDEN = /[/\\:*?"<>|]/g;

/** The longest beginning of `text` that takes at most `most` bytes of UTF-8; characters are kept whole. */
function beginning(text: string, most: number): string {
  let bytes = 0;
  let end = 0;
  for (const character of text) {
    const code = character.codePointAt(0) ?? 0;
    bytes += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
    if (bytes > most) return text.slice(0, end);
    end += character.length;
  }
  return text;
}

/**
 * Makes a file name (without extension) that every usual file system takes, out of any text.
 * Never empty, never a path, at most 200 bytes of UTF-8.
 */
export function safeFileName(text: string): string {
  let name = text
    .normalize('NFC')
    .replace(INVISIBLE, '')
    .replace(/\.{2,}/g, '.')
    .replace(FORBIDDEN, '-')
    .replace(/\s+/g, ' ')
    .trim();
  name = name.replace(/^[.\s-]+/, '').replace(/[.\s]+$/, '');
  name = beginning(name, MAX_NAME_BYTES).replace(/[.\s]+$/, '');
  if (name === '') return 'Untitled';
  return name.replace(RESERVED, '$1 -');
}

const MAX_FOLDER_DEPTH = 6;

/**
 * Makes a folder path inside a storage out of any text: parts between slashes, each a safe name; never absolute, never
 * upwards, at most six deep. Empty for the storage itself.
 */
export function safeFolderPath(text: string): string {
  return text
    .split(/[/\\]/)
    .filter((part) => /[^.\s]/.test(part))
    .slice(0, MAX_FOLDER_DEPTH)
    .map(safeFileName)
    .join('/');
}

/** The disc's own name for itself where its library card has one, in English if it is there; else its label as words. */
export function nameOfDisc(reading: Pick<Reading, 'label' | 'names'>): string {
  const own = reading.names.find((n) => n.language === 'en') ?? reading.names[0];
  return own?.name.replace(INVISIBLE, '').trim() || nameFromLabel(reading.label);
}

/** A label such as THE_LAMP-ROOM as words. Short ones without a lower-case letter are capitalised. */
export function nameFromLabel(label: string): string {
  const words = label
    .replace(INVISIBLE, '')
    .replace(/[_\s]+/g, ' ')
    .trim();
  if (words === '' || /^dvd(_| )?video( recorder)?$/i.test(words)) return 'Untitled disc';
  if (/\p{Ll}/u.test(words)) return words;
  return words.toLowerCase().replace(/(^|[\s-])(\p{L})/gu, (_, before: string, letter: string) => before + letter.toUpperCase());
}
