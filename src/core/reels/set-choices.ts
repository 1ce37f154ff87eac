import type { RecipeId } from '../recipes/recipe';
import type { Role } from '../findings';
import type { AudioTrack, SubtitleTrack, Title } from '../reading';
import type { Reel, TakenTrack } from './model';
import { takeAudio, takeSubtitle } from './propose';

/** A track as it is found again on another disc of a set: by what it is, since streams have other numbers there. */
export interface KeptTrack {
  readonly language: string | null;
  readonly purpose: string | null;
  readonly codec: string;
  readonly forcedOnly: boolean;
  readonly name: string;
  readonly isDefault: boolean;
  readonly isForced: boolean;
}

/** What was chosen for one kind of title on a disc of a set, and is to be chosen on its other discs too. */
export interface SetChoice {
  readonly series: string;
  readonly role: Role;
  readonly audio: readonly KeptTrack[];
  readonly subtitles: readonly KeptTrack[];
  readonly recipes: readonly RecipeId[];
  readonly subtitleFiles: boolean;
}

type DiscTrack = Pick<AudioTrack | SubtitleTrack, 'stream' | 'language' | 'purpose'> & { readonly codec: string };

function keptOf(taken: readonly TakenTrack[], tracks: readonly DiscTrack[]): KeptTrack[] {
  return taken.flatMap((t) => {
    const own = tracks.find((o) => o.stream === t.stream);
    if (!own) return [];
    const { language, purpose, codec } = own;
    return [{ language, purpose, codec, forcedOnly: t.forcedOnly ?? false, name: t.name, isDefault: t.isDefault, isForced: t.isForced }];
  });
}

/** Makes a choice of what a reel takes of its first title. */
export const choiceFrom = (series: string, role: Role, title: Title, reel: Reel): SetChoice => ({
  series,
  role,
  audio: keptOf(reel.audio, title.audio),
  subtitles: keptOf(reel.subtitles, title.subtitles),
  recipes: reel.recipes,
  subtitleFiles: reel.subtitleFiles ?? false,
});

/** Tracks that kept ones are found in, in their order; of several alike each is found once, the same codec first. */
function foundAgain<T extends DiscTrack>(kept: readonly KeptTrack[], tracks: readonly T[]): { kept: KeptTrack; own: T }[] {
  const used = new Set<string>();
  const use = (own: DiscTrack, { forcedOnly }: KeptTrack) => `${own.stream} ${forcedOnly}`;
  return kept.flatMap((track) => {
    const free = tracks.filter((t) => t.language === track.language && t.purpose === track.purpose && !used.has(use(t, track)));
    const own = free.find((t) => t.codec === track.codec) ?? free[0];
    if (!own) return [];
    used.add(use(own, track));
    return [{ kept: track, own }];
  });
}

/** Takes on a title what was chosen for its kind on another disc of the set. */
export function withChoice(title: Title, reel: Reel, choice: SetChoice): Reel {
  const flags = ({ name, isDefault, isForced }: KeptTrack) => ({ name, isDefault, isForced });
  const audio = foundAgain(choice.audio, title.audio).map(({ kept, own }) => ({ ...takeAudio(own, false), ...flags(kept) }));
  const subtitles = foundAgain(choice.subtitles, title.subtitles).map(({ kept, own }): TakenTrack => ({
    ...takeSubtitle(own),
    ...flags(kept),
    ...(kept.forcedOnly ? { forcedOnly: true } : {}),
  }));
  return {
    ...reel,
    // A disc whose sound is all different keeps what the rules take: nothing to hear is no choice.
    audio: audio.length > 0 || choice.audio.length === 0 ? audio : reel.audio,
    subtitles,
    recipes: choice.recipes,
    ...(choice.subtitleFiles ? { subtitleFiles: true } : {}),
  };
}
