/** Numbers as people read them. */

/** "1:32:04", "5:28", "0:07". */
export function clock(ms: number): string {
  const total = Math.max(0, Math.round(ms / 1000));
  const [h, m, s] = [Math.floor(total / 3600), Math.floor(total / 60) % 60, total % 60];
  const two = (n: number) => String(n).padStart(2, '0');
  return h > 0 ? `${h}:${two(m)}:${two(s)}` : `${m}:${two(s)}`;
}

/** "4.51 GB", "121 MB": decimal units, three figures. */
export function bytes(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  let value = n;
  let unit = 0;
  while (value >= 1000 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${unit === 0 || value >= 100 ? String(Math.round(value)) : value.toPrecision(3)} ${units[unit] ?? ''}`;
}

export const kbps = (bitsPerSecond: number): string => `${Math.round(bitsPerSecond / 1000)} kb/s`;

/** "about 4 min", "40 s". */
export function timeLeft(seconds: number): string {
  if (!Number.isFinite(seconds)) return '';
  if (seconds < 50) return `${Math.max(1, Math.round(seconds))} s`;
  if (seconds < 5400) return `${Math.max(1, Math.round(seconds / 60))} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

const dateFormat = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });
const shortDay = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short' });
const timeFormat = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
export const day = (iso: string): string => dateFormat.format(new Date(iso));
export const dayTime = (iso: string): string => `${dateFormat.format(new Date(iso))}, ${timeFormat.format(new Date(iso))}`;

/** "04:26" today, "24 Nov, 04:26" on another day: as short as it stays plain. */
export function moment(iso: string, now = new Date()): string {
  const then = new Date(iso);
  const time = timeFormat.format(then);
  return then.toDateString() === now.toDateString() ? time : `${shortDay.format(then)}, ${time}`;
}

let languages: Intl.DisplayNames | null = null;
/** "English" for "en". A code that no one knows stays as it is. */
export function languageName(tag: string | null): string {
  if (tag === null) return 'not said';
  if (tag === 'zxx') return 'no speech';
  languages ??= new Intl.DisplayNames(['en'], { type: 'language', fallback: 'code' });
  try {
    return languages.of(tag) ?? tag;
  } catch {
    return tag;
  }
}

export const plural = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;

/** "1, 2 and 3". */
export function list(items: readonly (string | number)[]): string {
  if (items.length <= 1) return String(items[0] ?? '');
  return `${items.slice(0, -1).join(', ')} and ${items[items.length - 1]}`;
}

/** "2–5 and 7": runs of numbers drawn together. */
export function numbers(values: readonly number[]): string {
  const runs: [number, number][] = [];
  for (const n of [...values].sort((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last && n === last[1] + 1) last[1] = n;
    else runs.push([n, n]);
  }
  return list(runs.flatMap<string | number>(([a, b]) => (b - a >= 2 ? [`${a}–${b}`] : a === b ? [a] : [a, b])));
}
