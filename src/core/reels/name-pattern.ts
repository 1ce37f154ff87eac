import { safeFileName, safeFolderPath } from './names';
import type { ReelTags } from './model';

/** What can stand in a pattern for names. */
export const PATTERN_FIELDS = ['work', 'year', 'series', 'season', 'episode', 'title', 'disc', 'language', 'accession'] as const;
export type PatternField = (typeof PATTERN_FIELDS)[number];
export type PatternValues = Readonly<Record<PatternField, string>>;

/** A film by its name; an episode with its series and number; whatever is not known is left out with its brackets. */
export const DEFAULT_FILE_PATTERN = '[{series} ][{season:2}x][{episode:2} ]{work}[ ({year})]';
export const DEFAULT_FOLDER_PATTERN = '';

const FIELD = /\{(\w+)(?::(\d))?\}/g;

/** Fields in a pattern that there are not. */
export const unknownFields = (pattern: string): string[] =>
  [...pattern.matchAll(FIELD)].map((m) => m[1] ?? '').filter((name) => !(PATTERN_FIELDS as readonly string[]).includes(name));

function fill(pattern: string, values: PatternValues): { text: string; missing: boolean } {
  let missing = false;
  const text = pattern.replace(FIELD, (_, name: string, digits: string | undefined) => {
    const value = (values as Readonly<Record<string, string>>)[name] ?? '';
    if (value === '') missing = true;
    return digits && /^\d+$/.test(value) ? value.padStart(Number(digits), '0') : value;
  });
  return { text, missing };
}

/**
 * Fills a pattern: `{field}`, `{field:2}` with at least so many digits, and `[…]` which is left out as a whole where a
 * field in it is empty. What comes out is only text: use `fileNameOf` and `folderOf` for names.
 */
export function fillPattern(pattern: string, values: PatternValues): string {
  const inner = pattern.replace(/\[([^[\]]*)\]/g, (_, part: string) => {
    const { text, missing } = fill(part, values);
    return missing ? '' : text;
  });
  return fill(inner, values).text.replace(/\s+/g, ' ').trim();
}

export const fileNameOf = (pattern: string, values: PatternValues): string => safeFileName(fillPattern(pattern, values));

/** Folders: parts between the pattern's own slashes. A slash in a name makes no folder. */
export const folderOf = (pattern: string, values: PatternValues): string => {
  const flat = Object.fromEntries(Object.entries(values).map(([field, value]) => [field, value.replace(/[/\\]/g, '-')])) as PatternValues;
  return safeFolderPath(fillPattern(pattern, flat));
};

/** What a reel puts into a pattern. @param name the reel's own, where no work is named. */
export function patternValues(tags: ReelTags, name: string, title: number, disc: string): PatternValues {
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
