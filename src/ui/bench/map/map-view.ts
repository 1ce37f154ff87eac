/** The part of the map that is looked at, as shares of its axis. */
export interface MapView {
  readonly from: number;
  readonly to: number;
}

export const WHOLE: MapView = { from: 0, to: 1 };
/** Closer than this a sector would fill the screen. */
const CLOSEST = 1 / 4096;

/** Comes closer (factor above 1) or goes farther, with the place under the pointer staying where it is. @param place 0 to 1 of the view. */
export function zoomed(view: MapView, factor: number, place: number): MapView {
  const width = view.to - view.from;
  const next = Math.min(1, Math.max(CLOSEST, width / factor));
  const fixed = view.from + width * place;
  const from = Math.min(1 - next, Math.max(0, fixed - next * place));
  return { from, to: from + next };
}

/** Moves along by a share of what is seen. */
export function moved(view: MapView, by: number): MapView {
  const width = view.to - view.from;
  const from = Math.min(1 - width, Math.max(0, view.from + by * width));
  return { from, to: from + width };
}

/** A view with a stretch in its middle, a fifth of it wide, where it can be that near. */
export function around(from: number, to: number): MapView {
  const width = Math.min(1, Math.max(CLOSEST, (to - from) * 5));
  const start = Math.min(1 - width, Math.max(0, (from + to) / 2 - width / 2));
  return { from: start, to: start + width };
}
