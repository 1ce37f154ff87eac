/** Seven hues identify shared content; a letter goes with them, since seven are soon used up. */
const HUES = ['bg-hue-1', 'bg-hue-2', 'bg-hue-3', 'bg-hue-4', 'bg-hue-5', 'bg-hue-6', 'bg-hue-7'];

export const hueOf = (content: number): string => HUES[content % HUES.length] ?? 'bg-hue-1';
/** The same hue, paler: for titles that only repeat what others own. The text on it is ink. */
export const paleHue = (content: number): string => `color-mix(in srgb, var(--hue-${(content % HUES.length) + 1}) 42%, var(--card))`;
export const letterOf = (content: number): string => String.fromCharCode(97 + (content % 26));
