const two = (n: number) => String(n).padStart(2, '0');

/** A moment as files of chapters and subtitles have it: "01:02:03.450". @param ms milliseconds; before the beginning is the beginning. */
export function stampOf(ms: number): string {
  const whole = Math.max(0, Math.round(ms));
  const seconds = Math.floor(whole / 1000);
  return `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}.${String(whole % 1000).padStart(3, '0')}`;
}
