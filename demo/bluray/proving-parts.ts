/** What clips of the short discs have in common. */
export const small = { width: 320, height: 180, seed: 3, audio: [], subtitles: [] } as const;
export const lines = (at: readonly number[], forced: readonly number[] = []) =>
  at.map((t, i) => ({ at: t, seconds: 0.7, text: `Line ${i + 1}`, ...(forced.includes(i) ? { forced: true } : {}) }));
