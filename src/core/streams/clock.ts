/**
 * Times inside the core are integers of the MPEG system clock, 27 MHz: every frame and field duration of the
 * formats read here is a whole number of it, which neither milliseconds nor 90 kHz can say of NTSC fields.
 */
export const TICKS_PER_SECOND = 27_000_000;
/** One tick of the 90 kHz clock of a presentation time stamp. */
export const TICKS_PER_PTS = 300;
export const TICKS_PER_MS = 27_000;

export const ptsToTicks = (pts90k: number): number => pts90k * TICKS_PER_PTS;
export const ticksToMs = (ticks: number): number => ticks / TICKS_PER_MS;
/** Nanoseconds, rounded: 27 MHz ticks of 1000/27 ns. */
export const ticksToNs = (ticks: number): number => Math.round((ticks * 1000) / 27);
