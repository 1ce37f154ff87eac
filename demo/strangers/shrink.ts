import type { BlurayPlan, ClipPlan, ItemPlan, PlaylistPlan } from './bluray/plan';
import type { ChainPlan, DvdPlan, SetPlan, VobPlan } from './dvd/plan';

const without = <T>(list: readonly T[], at: number): T[] => list.filter((_, i) => i !== at);
const withOne = <T>(list: readonly T[], at: number, one: T): T[] => list.map((old, i) => (i === at ? one : old));

/** A disc of either kind. */
export type DiscPlan = DvdPlan | BlurayPlan;

/** Plans that are a little smaller, or a little more ordinary: what makes most of it go first. */
function* smaller(plan: DiscPlan): Generator<DiscPlan> {
  if ('sets' in plan) yield* smallerDvds(plan);
  else for (const one of smallerBlurays(plan)) if (one.playlists.every((list) => isWholeOverBorders(one, list))) yield one;
}

/** Where a clip goes on in a second file, nothing is whole: whoever shows the one shows the other. */
const isWholeOverBorders = ({ clips }: BlurayPlan, { items }: PlaylistPlan): boolean =>
  items.every(({ clip, from, to }, i) => {
    const divided = clips[clip]?.divided;
    const [before, next] = [items[i - 1], items[i + 1]];
    if (divided === undefined) return true;
    return from === divided ? before?.clip === clip && before.to === from : to === divided && next?.clip === clip && next.from === to;
  });

function* smallerBlurays(plan: BlurayPlan): Generator<BlurayPlan> {
  if (plan.playlists.length > 1)
    for (const [p] of plan.playlists.entries()) yield { ...plan, playlists: without(plan.playlists, p), titles: [0], plays: 1 };
  const lists = (p: number, list: BlurayPlan['playlists'][number]): BlurayPlan => ({
    ...plan,
    playlists: withOne(plan.playlists, p, list),
  });
  for (const [p, { items, marks }] of plan.playlists.entries()) {
    if (items.length > 1)
      for (const [i] of items.entries()) {
        const left = marks.filter((m) => m.item !== i).map((m) => ({ ...m, item: m.item > i ? m.item - 1 : m.item }));
        const rest = without(items, i).map((item, j): ItemPlan => (j === i ? { ...item, connection: 1 } : item));
        yield lists(p, { items: rest, marks: left });
      }
    // The first is the title's beginning.
    for (let m = 1; m < marks.length; m++) yield lists(p, { items, marks: without(marks, m) });
    for (const [i, item] of items.entries())
      if (item.to - item.from > 1) yield lists(p, { items: withOne(items, i, { ...item, to: item.to - 1 }), marks });
  }
  const clips = (c: number, clip: ClipPlan): BlurayPlan => ({ ...plan, clips: withOne(plan.clips, c, clip) });
  for (const [c, clip] of plan.clips.entries()) {
    const least = Math.max(1, ...plan.playlists.flatMap((l) => l.items.filter((i) => i.clip === c).map((i) => i.to)));
    if (clip.groups > least) yield clips(c, { ...clip, groups: least });
    if (clip.sounds.length > 0) yield clips(c, { ...clip, sounds: clip.sounds.slice(0, -1) });
    if (clip.graphics.length > 0) yield clips(c, { ...clip, graphics: clip.graphics.slice(0, -1) });
    for (const [g, one] of clip.graphics.entries())
      if (one.events.length > 0) yield clips(c, { ...clip, graphics: withOne(clip.graphics, g, { ...one, events: one.events.slice(1) }) });
    if (clip.soundLag90k > 0) yield clips(c, { ...clip, soundLag90k: 0 });
  }
}

function* smallerDvds(plan: DvdPlan): Generator<DvdPlan> {
  if (plan.titles.length > 1) for (const [i] of plan.titles.entries()) yield { ...plan, titles: without(plan.titles, i), plays: 1 };
  for (const [s, set] of plan.sets.entries()) for (const one of smallerSets(set)) yield { ...plan, sets: withOne(plan.sets, s, one) };
}

function* smallerSets(set: SetPlan): Generator<SetPlan> {
  const chains = (c: number, chain: ChainPlan): SetPlan => ({ ...set, chains: withOne(set.chains, c, chain) });
  const vobs = (v: number, vob: VobPlan): SetPlan => ({ ...set, vobs: withOne(set.vobs, v, vob) });
  for (const [c, chain] of set.chains.entries()) {
    if (chain.cells.length > 1)
      for (const [i] of chain.cells.entries()) yield chains(c, { ...chain, cells: without(chain.cells, i), programs: [0] });
    if (chain.programs.length > 1) yield chains(c, { ...chain, programs: [0] });
    for (const [i, { still, ...cell }] of chain.cells.entries())
      if (still) yield chains(c, { ...chain, cells: withOne(chain.cells, i, cell) });
    if (chain.times !== 'true') yield chains(c, { ...chain, times: 'true' });
    if (chain.cells.some((cell) => cell.seamless))
      yield chains(c, { ...chain, cells: chain.cells.map((cell) => ({ ...cell, seamless: false })) });
    for (const [l, physical] of chain.audio.entries())
      if (physical !== null) yield chains(c, { ...chain, audio: withOne(chain.audio, l, null) });
    for (const [l, streams] of chain.subtitles.entries())
      if (streams !== null) yield chains(c, { ...chain, subtitles: withOne(chain.subtitles, l, null) });
  }
  for (const [t, title] of set.titles.entries()) {
    if (title.chapters.length > 1) yield { ...set, titles: withOne(set.titles, t, { ...title, chapters: title.chapters.slice(0, 1) }) };
    if (title.chains.length > 1) {
      const kept = title.chains.slice(0, -1);
      const last = kept.at(-1) ?? 0;
      const ended = { ...(set.chains[last] as ChainPlan), next: null, post: null };
      const chapters = title.chapters.filter(({ chain }) => kept.includes(chain));
      yield { ...set, chains: withOne(set.chains, last, ended), titles: withOne(set.titles, t, { chapters, chains: kept }) };
    }
  }
  for (const [v, vob] of set.vobs.entries()) {
    for (const [i] of vob.sounds.entries()) yield vobs(v, { ...vob, sounds: without(vob.sounds, i) });
    for (const [i, { events, physical }] of vob.drawings.entries()) {
      yield vobs(v, { ...vob, drawings: without(vob.drawings, i) });
      if (events.length > 1) yield vobs(v, { ...vob, drawings: withOne(vob.drawings, i, { physical, events: events.slice(1) }) });
    }
    for (const [i, sound] of vob.sounds.entries())
      if (sound.delay90k !== 0 || sound.tail90k !== 0)
        yield vobs(v, { ...vob, sounds: withOne(vob.sounds, i, { ...sound, delay90k: 0, tail90k: 0 }) });
    for (const [i, cell] of vob.cells.entries())
      if (cell.groups > 1) yield vobs(v, { ...vob, cells: withOne(vob.cells, i, { groups: 1 }) });
  }
}

/** A plan that still fails and of which nothing more can be taken away; after `most` trials the smallest that was found. */
export async function shrunk(plan: DiscPlan, fails: (plan: DiscPlan) => Promise<boolean>, most = 150): Promise<DiscPlan> {
  let best = plan;
  for (let trials = 0, found = true; found && trials < most;) {
    found = false;
    for (const one of smaller(best)) {
      if (++trials > most) break;
      // A chain without a cell, or a chapter without a chain, is no disc.
      if (!(await fails(one).catch(() => false))) continue;
      best = one;
      found = true;
      break;
    }
  }
  return best;
}
