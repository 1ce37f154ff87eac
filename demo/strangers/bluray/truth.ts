import { GROUP } from '../streams';
import type { Placed, Stretch, TitleTruth, TrackTruth } from '../truth';
import type { ClipTruth } from './clip';
import { time90k, type BlurayPlan, type ClipPlan, type ItemPlan, type PlaylistPlan } from './plan';

/** What an item shows, 90 kHz from the clip's first picture. */
export const itemTimes = ({ picture }: ClipPlan, { from, to }: ItemPlan) => ({
  from90k: time90k(picture, from * GROUP),
  to90k: time90k(picture, to * GROUP),
});

interface ItemStretch extends Stretch {
  readonly item: ItemPlan;
  readonly clip: ClipTruth;
  readonly plan: ClipPlan;
}

/** What a player shows of a playlist: its items, one after the other. */
export function playlistTruth(plan: BlurayPlan, clips: readonly ClipTruth[], place: number): TitleTruth {
  const { items, marks } = plan.playlists[place] as PlaylistPlan;
  const stretches: { -readonly [K in keyof ItemStretch]: ItemStretch[K] }[] = [];
  const begins: { stretch: number; at90k: number }[] = [];
  items.forEach((item, i) => {
    const clip = clips[item.clip] as ClipTruth;
    const own = plan.clips[item.clip] as ClipPlan;
    const { from90k, to90k } = itemTimes(own, item);
    const pictures = clip.pictures.filter((p) => p.at90k >= from90k && p.at90k < to90k);
    const last = stretches.at(-1);
    // The same tables too: else it is another stretch, even of the same clip.
    const goesOn = items[i - 1]?.clip === item.clip && items[i - 1]?.to === item.from;
    if (last && goesOn && last.item.sounds === item.sounds && last.item.graphics === item.graphics) {
      begins.push({ stretch: stretches.length - 1, at90k: from90k });
      last.to90k = to90k;
      last.pictures = [...last.pictures, ...pictures];
      return;
    }
    begins.push({ stretch: stretches.length, at90k: from90k });
    // Sound goes on over a seamless join: what stands there in either clip belongs to the title.
    const seamless = item.connection === 5;
    if (last && seamless) last.ends = true;
    stretches.push({ from90k, to90k, begins: seamless, ends: false, isCutBefore: !seamless, pictures, still: 0, item, clip, plan: own });
  });
  const tracks = (kind: 'sounds' | 'graphics'): TrackTruth[] => {
    const languages = [...new Set(stretches.flatMap(({ plan: own, item }) => own[kind].slice(0, item[kind]).map((s) => s.language)))];
    return languages.map((language) => ({
      language,
      display: kind === 'graphics' ? 'wide' : null,
      stretches: stretches.map(({ plan: own, clip, item }): readonly Placed[] | null => {
        const at = own[kind].findIndex((s) => s.language === language);
        return at >= 0 && at < item[kind] ? (clip[kind][at] ?? null) : null;
      }),
    }));
  };
  return {
    stretches,
    audio: tracks('sounds'),
    subtitles: tracks('graphics'),
    chapters: marks.map(({ item, after90k }) => {
      const { stretch, at90k } = begins[item] as (typeof begins)[number];
      return { stretch, at90k: at90k + after90k };
    }),
  };
}
