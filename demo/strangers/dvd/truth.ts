import type { ChainPlan, DvdPlan, SetPlan } from './plan';
import type { Stretch, TitleTruth, TrackTruth } from '../truth';
import type { VobTruth } from './vob';

/** Cells of a VOB that follow each other in a title. */
interface VobStretch extends Stretch {
  readonly vob: number;
  readonly chain: ChainPlan;
}

/** What a player shows of a title: its chains in order, and in them their cells. */
export function titleTruth(plan: DvdPlan, vobs: readonly (readonly VobTruth[])[], number: number): TitleTruth {
  const { set: s, title: t } = plan.titles[number - 1] as DvdPlan['titles'][number];
  const set = plan.sets[s] as SetPlan;
  const title = set.titles[t] as SetPlan['titles'][number];
  const stretches: { -readonly [K in keyof VobStretch]: VobStretch[K] }[] = [];
  const begins = new Map<string, { stretch: number; at90k: number }>();
  for (const c of title.chains) {
    const chain = set.chains[c] as ChainPlan;
    chain.cells.forEach(({ vob, cell, still = 0 }, i) => {
      const truth = vobs[s]?.[vob] as VobTruth;
      const own = truth.cells[cell] as VobTruth['cells'][number];
      const pictures = truth.pictures.filter((p) => p.cell === cell);
      const last = stretches.at(-1);
      const before = chain.cells[i - 1];
      const isLast = cell + 1 === truth.cells.length;
      if (last && before?.vob === vob && before.cell + 1 === cell && !before.still) {
        begins.set(`${c}/${i}`, { stretch: stretches.length - 1, at90k: own.from90k });
        last.to90k = own.to90k;
        last.ends = isLast;
        last.still = still;
        last.pictures = [...last.pictures, ...pictures];
      } else {
        begins.set(`${c}/${i}`, { stretch: stretches.length, at90k: own.from90k });
        stretches.push({ vob, ...own, begins: cell === 0, ends: isLast, pictures, chain, still });
      }
    });
  }
  const used = stretches.map(({ vob }) => vobs[s]?.[vob] as VobTruth);
  const wide = set.look.aspect === '16:9';
  const soundOf = (i: number, physical: number | null) => {
    const sound = physical === null ? undefined : set.vobs[stretches[i]?.vob ?? 0]?.sounds.find((one) => one.physical === physical);
    return sound ? (used[i]?.sounds.get(sound) ?? null) : null;
  };
  const audio = set.audio.map(({ language }, logical): TrackTruth => ({
    language,
    display: null,
    stretches: stretches.map(({ chain }, i) => soundOf(i, chain.audio[logical] ?? null)),
  }));
  // What stands in the content and no chain of the title names.
  const named = new Set(title.chains.flatMap((c) => set.chains[c]?.audio ?? []));
  const others = [...new Set(set.vobs.flatMap((vob) => vob.sounds.map((sound) => sound.physical)))].filter((p) => !named.has(p));
  const unclaimed = others.map((p): TrackTruth => ({ language: null, display: null, stretches: stretches.map((_, i) => soundOf(i, p)) }));
  const displays = wide ? (['wide', 'letterbox', 'panScan'] as const) : (['full'] as const);
  const subtitles = displays.flatMap((display) =>
    set.subtitles.map(({ language }, logical): TrackTruth => {
      const streamOf = (chain: ChainPlan) => {
        const streams = chain.subtitles[logical];
        // One stream for several displays is one track.
        if (!streams || (display === 'letterbox' && streams.letterbox === streams.wide)) return null;
        if (display === 'panScan' && (streams.panScan === streams.wide || streams.panScan === streams.letterbox)) return null;
        return streams[display];
      };
      return {
        language,
        display: display === 'full' ? '4:3' : display === 'panScan' ? 'pan and scan' : display,
        stretches: stretches.map(({ chain }, i) => {
          const stream = streamOf(chain);
          return stream === null ? null : (used[i]?.drawings.get(stream) ?? null);
        }),
      };
    }),
  );
  const isThere = ({ stretches: list }: TrackTruth) => list.some((one) => one !== null);
  return {
    stretches,
    audio: [...audio, ...unclaimed].filter(isThere),
    subtitles: subtitles.filter(isThere),
    chapters: title.chapters.map(({ chain, program }) => {
      const cell = set.chains[chain]?.programs[program] ?? 0;
      return begins.get(`${chain}/${cell}`) ?? { stretch: 0, at90k: 0 };
    }),
  };
}
