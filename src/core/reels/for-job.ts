import type { Reading } from '../reading';
import type { Reel } from './model';

/** A reading with only what a reel needs: a job is self-contained, and a disc with a thousand titles need not travel with each. */
export function readingForReel(reading: Reading, reel: Reel): Reading {
  const wanted = new Set([...reel.pieces.map((p) => p.title), ...(reel.otherEye ? [reel.otherEye.title] : [])]);
  const titles = reading.titles.filter((t) => wanted.has(t.number));
  const used = new Set(titles.flatMap((t) => t.parts.map((p) => p.segment)));
  const segments = reading.segments.filter((s) => used.has(s.id));
  const contents = new Set(segments.map((s) => s.content));
  return {
    ...reading,
    titles,
    segments,
    damage: reading.damage.filter((d) => contents.has(d.content)),
    loose: [],
    routes: reading.routes.filter((r) => wanted.has(r.title)),
    remarks: reading.remarks.filter((r) => r.title === null || wanted.has(r.title)),
  };
}
