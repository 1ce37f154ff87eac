import { safeFileName, safeFolderPath } from './names';
import type { ReelTags } from './model';

/** What is known of a reel and can stand in a name. */
export const NAME_FIELDS = ['work', 'year', 'series', 'season', 'episode', 'title', 'disc', 'language', 'accession'] as const;
export type NameField = (typeof NAME_FIELDS)[number];
export type NameValues = Readonly<Record<NameField, string>>;

/** A part of a name: a text as it stands, or a field with texts of its own that are left out where it is empty. */
export type NamePart =
  | { readonly kind: 'text'; readonly text: string }
  | {
      readonly kind: 'field';
      readonly field: NameField;
      /** At least so many digits where it is a number, 0 to 9. */
      readonly digits: number;
      readonly before: string;
      readonly after: string;
    };

const field = (name: NameField, before = '', after = '', digits = 0): NamePart => ({ kind: 'field', field: name, digits, before, after });

/** A film by its name and year; an episode with its series and number. */
export const DEFAULT_FILE_NAME: readonly NamePart[] = [
  field('series', '', ' '),
  field('season', '', 'x', 2),
  field('episode', '', ' ', 2),
  field('work'),
  field('year', ' (', ')'),
];
export const DEFAULT_FOLDER: readonly NamePart[] = [];

function textOf(part: NamePart, values: NameValues): string {
  if (part.kind === 'text') return part.text;
  const value = values[part.field];
  if (value === '') return '';
  return part.before + (/^\d+$/.test(value) ? value.padStart(part.digits, '0') : value) + part.after;
}

/** What parts come to. Only text: use `fileNameOf` and `folderOf` for names. */
export const fillParts = (parts: readonly NamePart[], values: NameValues): string =>
  parts
    .map((p) => textOf(p, values))
    .join('')
    .replace(/\s+/g, ' ')
    .trim();

export const fileNameOf = (parts: readonly NamePart[], values: NameValues): string => safeFileName(fillParts(parts, values));

/** Folders: between the slashes that stand in texts. A slash in a field makes no folder. */
export const folderOf = (parts: readonly NamePart[], values: NameValues): string => {
  const flat = Object.fromEntries(Object.entries(values).map(([name, value]) => [name, value.replace(/[/\\]/g, '-')])) as NameValues;
  return safeFolderPath(fillParts(parts, flat));
};

/** The text that parts are whatever is known of a reel; null where a field is among them. */
export const literalOf = (parts: readonly NamePart[]): string | null =>
  parts.some((p) => p.kind === 'field') ? null : parts.map((p) => (p.kind === 'text' ? p.text : '')).join('');

/** What a reel puts into a name. @param name the reel's own, where no work is named. */
export function nameValues(tags: ReelTags, name: string, title: number, disc: string): NameValues {
  return {
    work: tags.work || name,
    year: tags.year,
    series: tags.series,
    season: tags.season === null ? '' : String(tags.season),
    episode: tags.episode === null ? '' : String(tags.episode),
    title: String(title),
    disc,
    language: tags.language,
    accession: tags.accession,
  };
}

const FIELD = /\{(\w+)(?::(\d))?\}/g;
const isField = (name: string): name is NameField => (NAME_FIELDS as readonly string[]).includes(name);

/** Texts and fields of a stretch of an old pattern that has no brackets. Fields that there never were come to nothing. */
function plainParts(text: string): NamePart[] {
  const parts: NamePart[] = [];
  let at = 0;
  for (const match of text.matchAll(FIELD)) {
    if (match.index > at) parts.push({ kind: 'text', text: text.slice(at, match.index) });
    at = match.index + match[0].length;
    const name = match[1] ?? '';
    if (isField(name)) parts.push(field(name, '', '', Number(match[2] ?? 0)));
  }
  if (at < text.length) parts.push({ kind: 'text', text: text.slice(at) });
  return parts;
}

/** What stood in one pair of brackets: its texts go with its fields, and so with what is left out. */
function bracketParts(inner: string): NamePart[] {
  const names = [...inner.matchAll(FIELD)].map((m) => m[1] ?? '');
  if (names.some((n) => !isField(n))) return [];
  const parts: NamePart[] = [];
  let text = '';
  for (const part of plainParts(inner)) {
    if (part.kind === 'text') text = part.text;
    else {
      parts.push({ ...part, before: text });
      text = '';
    }
  }
  const last = parts.at(-1);
  if (last?.kind === 'field') return [...parts.slice(0, -1), { ...last, after: text }];
  return text === '' ? [] : [{ kind: 'text', text }];
}

/**
 * Reads a name as versions before wrote it, where it was one line: `{field}`, `{field:2}` for digits, and `[…]` that was left
 * out where a field in it was empty. With several fields in one pair of brackets each now goes by itself.
 */
export function partsOfPattern(pattern: string): NamePart[] {
  const parts: NamePart[] = [];
  let at = 0;
  for (const match of pattern.matchAll(/\[([^[\]]*)\]/g)) {
    parts.push(...plainParts(pattern.slice(at, match.index)), ...bracketParts(match[1] ?? ''));
    at = match.index + match[0].length;
  }
  return [...parts, ...plainParts(pattern.slice(at))];
}

/** House rules of any version, as they are now; what is none is given back as it came, for the schema to refuse. */
export function upgradeRules(raw: unknown): unknown {
  if (typeof raw !== 'object' || raw === null || !('filePattern' in raw)) return raw;
  const { filePattern, folderPattern, ...rest } = raw as { filePattern: unknown; folderPattern?: unknown };
  return {
    ...rest,
    fileName: typeof filePattern === 'string' ? partsOfPattern(filePattern) : filePattern,
    folder: typeof folderPattern === 'string' ? partsOfPattern(folderPattern) : [],
  };
}

/** The folder of a draft of any version. */
export const upgradeFolder = (raw: unknown): unknown => (typeof raw === 'string' ? partsOfPattern(raw) : raw);
