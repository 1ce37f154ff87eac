import type { DamageStretch } from './model';
import { FAULT_WEIGHTS, lacksLayer, type Fault, type FaultKind, type Wholeness } from './fault';

/** "1:02:10.4": a moment of a file, to a tenth of a second. */
function momentText(ms: number): string {
  const tenths = Math.round(ms / 100);
  const two = (n: number) => String(n).padStart(2, '0');
  const hours = Math.floor(tenths / 36_000);
  return `${hours}:${two(Math.floor(tenths / 600) % 60)}:${two(Math.floor(tenths / 10) % 60)}.${tenths % 10}`;
}

/** "5.5 s", "80 ms". */
export const lengthText = (ms: number): string => (ms >= 995 ? `${(ms / 1000).toFixed(1)} s` : `${Math.round(ms)} ms`);

const plural = (n: number, one: string, many = `${one}s`) => `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`;

/** What stands there, in words; `track` is what the track is called. */
const WHAT: Readonly<Record<FaultKind, (fault: Fault, track: string) => string>> = {
  'no pack': (f) => `${plural(f.lastSector - f.firstSector + 1, 'sector')} that hold nothing of the disc`,
  unreadable: (f) => `${plural(f.lastSector - f.firstSector + 1, 'sector')} that could not be read`,
  'broken pack': (f, track) =>
    `${plural(f.count, 'pack')}${track && ` of ${track}`} that ${f.count === 1 ? 'contradicts itself' : 'contradict themselves'}`,
  'out of place': (f) => `${plural(f.count, 'pack')} from another place`,
  'packets missing': (f, track) => `packets${track && ` of ${track}`} missing in ${plural(f.count, 'place')}`,
  'error flag': (f) => `${plural(f.count, 'packet')} marked as wrong on the disc`,
  'no frame': (_f, track) => `something in ${track || 'a track'} that is no frame`,
  gap: (_f, track) => `a gap in ${track || 'the picture'}`,
  overlap: (_f, track) => `${track || 'sound'} given twice; the second was left out`,
  short: () => 'less than the disc’s tables say',
  'pictures missing': () => 'pictures missing',
  'last picture': () => 'the last of its pictures, by the disc’s tables, is not there',
  'no sound': (_f, track) => `nothing of ${track || 'the sound'}`,
  'rows missing': (f) =>
    `${plural(f.count, 'picture')} without some of ${f.count === 1 ? 'its' : 'their'} rows, kept as ${f.count === 1 ? 'it is' : 'they are'}`,
  held: () => 'the picture stands still',
  stamp: (f, track) =>
    `${plural(f.count, 'time stamp')}${track && ` of ${track}`} that ${f.count === 1 ? 'its neighbours contradict' : 'their neighbours contradict'}`,
  navigation: (f) => `${plural(f.count, 'navigation pack')} that ${f.count === 1 ? 'contradicts' : 'contradict'} the others`,
  'entry point': (f) => `${plural(f.count, 'entry point')} at which no picture begins`,
  'beyond the end': () => 'a picture that is shown beyond the end, since others need it',
  'over the cut': (f, track) =>
    `${plural(f.count, 'subtitle')}${track && ` of ${track}`} on the screen at the cut: shown as long as ${f.count === 1 ? 'it belongs' : 'they belong'} here`,
  'before the cut': (_f, track) => `damage before the cut: a subtitle${track && ` of ${track}`} that is on the screen here may be missing`,
  'one view': (f) => `${plural(f.count, 'picture')} without the second view`,
  layer: (f) => `${plural(f.count, 'picture')} of the enhancement layer left out: the file holds the base layer`,
  'check word': (f, track) => `${plural(f.count, 'frame')} of ${track || 'the sound'} at odds with their own check words, kept as they are`,
  'no track': (f) => `${plural(f.count, 'stream')} that the disc’s tables do not name here, left out`,
};

/** Whether what was read is all that its disc has: "whole by all that the disc says of itself". */
export function wholeText(wholeness: Pick<Wholeness, 'faults' | 'count' | 'damage'>, known: number = wholeness.count): string {
  const places = plural(known, 'place');
  if (wholeness.damage > 0)
    return `taken around damage in ${plural(wholeness.faults.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage').length, 'place')}`;
  if (lacksLayer(wholeness)) return `without the enhancement layer of its picture; ${places} to know of`;
  return known > 0 ? `whole; ${places} to know of` : 'whole by all that the disc says of itself';
}

/**
 * A fault in a line: "0:01:10.4: a gap in the picture, 5.5 s".
 * @param trackName what a track of the reel is called, by its place.
 */
export function faultText(fault: Fault, trackName: (track: number) => string = (track) => `track ${track + 1}`): string {
  const track = fault.track === null ? '' : fault.track === 0 ? 'the picture' : trackName(fault.track);
  const length = fault.ms === null || fault.ms <= 0 ? '' : `, ${lengthText(fault.ms)}`;
  const place =
    fault.content === null
      ? ''
      : ` (${fault.content}, ${fault.firstSector === fault.lastSector ? 'sector' : 'sectors'} ${fault.firstSector.toLocaleString('en-GB')}${fault.firstSector === fault.lastSector ? '' : ` to ${fault.lastSector.toLocaleString('en-GB')}`})`;
  return `${momentText(fault.atMs)}: ${WHAT[fault.kind](fault, track)}${length}${place}`;
}

/** How much is missing at the worst place, and how many others there are: "5.5 s are missing around 0:01:10.4, and 3 more places". */
export function wholenessText(faults: readonly Fault[]): string {
  const worst = [...faults].sort((a, b) => (b.ms ?? 0) - (a.ms ?? 0))[0];
  if (!worst) return 'nothing is missing';
  const more = faults.length - 1;
  const others = more > 0 ? `, and ${plural(more, 'more place')}` : '';
  if ((worst.kind === 'gap' || worst.kind === 'short') && worst.ms !== null)
    return `${lengthText(worst.ms)} are missing around ${momentText(worst.atMs)}${others}`;
  return `${faultText(faults[0] ?? worst)}${others}`;
}

/** Stretches that are kept of one job; a disc with more is read sector by sector. */
export const MOST_STRETCHES = 64;

/** Where faults lie on the disc, as damage of its reading; only what is damage, and stands somewhere. */
export function damageOf(faults: readonly Fault[], isDamage: (kind: FaultKind) => boolean): DamageStretch[] {
  return faults
    .filter((f) => f.content !== null && isDamage(f.kind) && f.kind !== 'short')
    .slice(0, MOST_STRETCHES)
    .map((f) => ({
      content: f.content ?? '',
      firstSector: f.firstSector,
      lastSector: f.lastSector,
      cause: f.kind === 'unreadable' ? ('unreadable' as const) : ('spoilt' as const),
    }));
}
