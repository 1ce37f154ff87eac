import { LOSSLESS } from './lossless';
import type { AudioTrack, Reading, SubtitleTrack, Title } from '../reading';
import type { Findings, Role, TitleFinding } from '../findings';
import { divideByAngles } from './compose';
import type { RecipeId } from '../recipes/recipe';
import { DEFAULT_FILE_NAME, DEFAULT_FOLDER, type NamePart } from './name-parts';
import { NO_TAGS, type DamageChoice, type Reel, type ReelTags, type TakenTrack } from './model';
import { nameOfDisc } from './names';
import { isSpare, takeAudio, takeSubtitle, wholeTitleReel } from './propose';
import { withChoice, type SetChoice } from './set-choices';

export const TITLE_KINDS = ['films', 'episodes', 'other titles'] as const;
export const DISC_KINDS = ['any disc', 'DVDs', 'Blu-rays'] as const;

/** Recipes for a kind of title on a kind of disc. */
export interface RecipesFor {
  readonly titles: (typeof TITLE_KINDS)[number];
  readonly discs: (typeof DISC_KINDS)[number];
  readonly recipes: readonly RecipeId[];
}

const KIND_OF: Readonly<Partial<Record<Role, RecipesFor['titles']>>> = {
  main: 'films',
  cut: 'films',
  feature: 'films',
  version: 'films',
  episode: 'episodes',
  'play-all': 'episodes',
};

/** A place of its own for the copies by a recipe. What is null is as for the reel. */
export interface CopyPlace {
  readonly recipe: RecipeId;
  /** By its identifier. */
  readonly storage: string | null;
  readonly folder: readonly NamePart[] | null;
  readonly fileName: readonly NamePart[] | null;
}

/** The archive's standing choices. Applied to a reading they propose reels; every choice comes with its reason. */
export interface HouseRules {
  /** BCP 47 tags in order of preference; empty for no preference. */
  readonly languages: readonly string[];
  /** Which audio is taken: all of it, or that in the preferred languages (and what has no language said). */
  readonly audio: 'all' | 'preferred';
  /** Of several tracks in one language: all, the best, or the best and one that every player knows. */
  readonly quality: 'all' | 'best' | 'best and compatible';
  readonly commentary: boolean;
  readonly description: boolean;
  /** Full subtitles: all, those in the preferred languages, or none. Forced ones are always taken. */
  readonly subtitles: 'all' | 'preferred' | 'none';
  readonly hearingImpaired: boolean;
  readonly extras: boolean;
  /** Extras shorter than this are left. */
  readonly shortestExtraMs: number;
  /** Where episodes stand singly and in a row: which are taken. */
  readonly series: 'episodes' | 'play-all' | 'both';
  /** Subtitles of a wide picture that are drawn for letterbox or pan and scan, where they are streams of their own. */
  readonly drawings: boolean;
  /** Of a title with several angles: the first, or a reel of each. */
  readonly angles: 'first' | 'all';
  /** Other cuts of the main title. */
  readonly cuts: boolean;
  /** Other films on the disc. */
  readonly features: boolean;
  readonly recipes: readonly RecipeId[];
  /** Other recipes for some kinds of titles and discs: the first that fits counts. */
  readonly recipesFor: readonly RecipesFor[];
  readonly fileName: readonly NamePart[];
  /** Folder in the library; its slashes stand in texts. */
  readonly folder: readonly NamePart[];
  /** Storage by its identifier; null for the first there is. */
  readonly storage: string | null;
  /** Where copies by some recipes go, that do not go where their reel does. */
  readonly places: readonly CopyPlace[];
  /** Subtitles are also written as files beside the result. */
  readonly subtitleFiles: boolean;
  /** Where a disc is not whole: nothing is made of it before somebody has looked, or what there is is taken with its gaps. */
  readonly damage: DamageChoice;
  /** Titles that are taken are measured in samples as soon as their disc was read. */
  readonly measure: boolean;
  /** What was chosen on one disc of a set for its others; one for each series and kind of title. */
  readonly sets: readonly SetChoice[];
}

export const DEFAULT_RULES: HouseRules = {
  languages: [],
  audio: 'all',
  quality: 'all',
  commentary: true,
  description: true,
  subtitles: 'all',
  hearingImpaired: true,
  extras: false,
  shortestExtraMs: 60_000,
  series: 'episodes',
  drawings: true,
  angles: 'first',
  cuts: false,
  features: true,
  recipes: ['master'],
  recipesFor: [],
  fileName: DEFAULT_FILE_NAME,
  folder: DEFAULT_FOLDER,
  storage: null,
  places: [],
  subtitleFiles: false,
  damage: 'refuse',
  measure: false,
  sets: [],
};

/** The rule that decided, as a key of the rules or a fact that no rule can change. */
export type Ground =
  | 'main title'
  | 'episode'
  | 'series'
  | 'cuts'
  | 'features'
  | 'extras'
  | 'shortest extra'
  | 'repeats'
  | 'not usable'
  | 'no content'
  | 'audio'
  | 'preferred language'
  | 'no language said'
  | 'other language'
  | 'quality: best'
  | 'quality: compatible'
  | 'quality: lesser'
  | 'only one'
  | 'commentary'
  | 'description'
  | 'forced'
  | 'subtitles'
  | 'hearing impaired'
  | 'other display'
  | 'unclaimed'
  | 'kept for the set'
  | 'unknown codec';

export interface Decision {
  readonly taken: boolean;
  readonly ground: Ground;
}
export interface TrackDecision extends Decision {
  readonly kind: 'audio' | 'subtitles';
  readonly stream: number;
}
export interface TitleDecision extends Decision {
  readonly title: number;
  /** Why each track is taken or left; empty for a title that is left. */
  readonly tracks: readonly TrackDecision[];
}
export interface Proposal {
  readonly reels: readonly Reel[];
  readonly decisions: readonly TitleDecision[];
}

/** What is known of the set that a disc belongs to. */
export interface SetPlace {
  readonly series: string;
  readonly season: number | null;
  /** Number of the first episode on this disc. */
  readonly firstEpisode: number;
}

const COMMENTARY = /commentary/;
/** Codecs that nearly every player knows. */
const COMPATIBLE = new Set<string>(['AC-3', 'AAC', 'MPEG audio', 'MP3']);

const sameLanguage = (tag: string | null, wanted: string) =>
  tag !== null && (tag.toLowerCase() === wanted.toLowerCase() || tag.toLowerCase().startsWith(`${wanted.toLowerCase()}-`));
const isPreferred = (tag: string | null, rules: HouseRules) => rules.languages.some((wanted) => sameLanguage(tag, wanted));
const rank = (tag: string | null, rules: HouseRules) => {
  const at = rules.languages.findIndex((wanted) => sameLanguage(tag, wanted));
  return at < 0 ? rules.languages.length : at;
};

/** How good a track sounds: lossless before lossy, then more channels, bits and bits a second. */
function worth(track: AudioTrack): number {
  return (
    (LOSSLESS.has(track.codec) ? 1e9 : 0) + track.channels * 1e7 + (track.bitDepth ?? 0) * 1e5 + Math.min(9e4, (track.bitRate ?? 0) / 100)
  );
}

function audioDecisions(title: Title, rules: HouseRules): TrackDecision[] {
  const plain = title.audio.filter((t) => (t.purpose === null || t.purpose === 'normal') && !isSpare(t, title.audio));
  const hasPreferred = plain.some((t) => isPreferred(t.language, rules));
  const decide = (track: AudioTrack): Decision => {
    if (track.codec === 'unknown') return { taken: false, ground: 'unknown codec' };
    if (isSpare(track, title.audio)) return { taken: false, ground: 'unclaimed' };
    if (COMMENTARY.test(track.purpose ?? '')) return { taken: rules.commentary, ground: 'commentary' };
    if (track.purpose === 'visually impaired') return { taken: rules.description, ground: 'description' };
    // A title without any preferred language keeps what it has: nothing to hear is no choice.
    if (rules.audio === 'preferred' && hasPreferred) {
      if (track.language === null) return { taken: true, ground: 'no language said' };
      if (!isPreferred(track.language, rules)) return { taken: false, ground: 'other language' };
    }
    if (rules.quality === 'all') return { taken: true, ground: rules.audio === 'all' ? 'audio' : 'preferred language' };
    const rivals = plain.filter((t) => t.language === track.language && t.codec !== 'unknown');
    if (rivals.length === 1) return { taken: true, ground: 'only one' };
    const best = rivals.reduce((a, b) => (worth(b) > worth(a) ? b : a));
    if (track === best) return { taken: true, ground: 'quality: best' };
    if (rules.quality === 'best and compatible' && !COMPATIBLE.has(best.codec)) {
      const compatible = rivals
        .filter((t) => COMPATIBLE.has(t.codec))
        .reduce<AudioTrack | null>((a, b) => (a && worth(a) >= worth(b) ? a : b), null);
      if (track === compatible) return { taken: true, ground: 'quality: compatible' };
    }
    return { taken: false, ground: 'quality: lesser' };
  };
  return title.audio.map((track) => ({ kind: 'audio', stream: track.stream, ...decide(track) }));
}

function subtitleDecisions(title: Title, rules: HouseRules): TrackDecision[] {
  const decide = (track: SubtitleTrack): Decision => {
    if (!rules.drawings && (track.drawnFor === 'letterbox' || track.drawnFor === 'pan and scan'))
      return { taken: false, ground: 'other display' };
    if (track.purpose === 'forced') return { taken: true, ground: 'forced' };
    if (COMMENTARY.test(track.purpose ?? '')) return { taken: rules.commentary && rules.subtitles !== 'none', ground: 'commentary' };
    const inLanguage =
      rules.subtitles === 'all' || (rules.subtitles === 'preferred' && (track.language === null || isPreferred(track.language, rules)));
    if (/captions/.test(track.purpose ?? '')) return { taken: rules.hearingImpaired && inLanguage, ground: 'hearing impaired' };
    if (rules.subtitles === 'preferred')
      return {
        taken: inLanguage,
        ground: track.language === null ? 'no language said' : inLanguage ? 'preferred language' : 'other language',
      };
    return { taken: inLanguage, ground: 'subtitles' };
  };
  return title.subtitles.map((track) => ({ kind: 'subtitles', stream: track.stream, ...decide(track) }));
}

const REPEATS = new Set<Role>(['duplicate', 'decoy', 'part', 'version']);

function titleDecision(title: Title, finding: TitleFinding | undefined, findings: Findings, rules: HouseRules): Decision {
  const role = finding?.role ?? 'extra';
  const hasPlayAll = findings.titles.some((f) => f.role === 'play-all');
  if (role === 'unusable') return { taken: false, ground: 'not usable' };
  if (role === 'main') return { taken: true, ground: 'main title' };
  if (role === 'episode') {
    const taken = rules.series !== 'play-all' || !hasPlayAll;
    return { taken, ground: hasPlayAll ? 'series' : 'episode' };
  }
  if (role === 'play-all') return { taken: rules.series !== 'episodes', ground: 'series' };
  // Where nothing tells which of two cuts is the film, both are.
  if (role === 'cut' && finding?.evidence.some((e) => e.kind === 'even cuts')) return { taken: true, ground: 'main title' };
  if (role === 'cut') return { taken: rules.cuts, ground: 'cuts' };
  if (role === 'feature') return { taken: rules.features, ground: 'features' };
  if (REPEATS.has(role)) return { taken: false, ground: 'repeats' };
  if (role === 'menu' || role === 'short') return { taken: false, ground: 'no content' };
  if (!rules.extras) return { taken: false, ground: 'extras' };
  return title.durationMs >= rules.shortestExtraMs ? { taken: true, ground: 'extras' } : { taken: false, ground: 'shortest extra' };
}

/** Tracks that the rules take, best language first; the first audio track is the default one. */
function ruledTracks(title: Title, tracks: readonly TrackDecision[], rules: HouseRules, tags: ReelTags): Pick<Reel, 'audio' | 'subtitles'> {
  const taken = new Set(tracks.filter((t) => t.taken).map((t) => `${t.kind} ${t.stream}`));
  const isExtra = (t: AudioTrack) => t.purpose !== null && t.purpose !== 'normal';
  const audio = title.audio
    .filter((t) => taken.has(`audio ${t.stream}`))
    .map((track, i) => ({ track, i }))
    .sort(
      (a, b) =>
        Number(isExtra(a.track)) - Number(isExtra(b.track)) || rank(a.track.language, rules) - rank(b.track.language, rules) || a.i - b.i,
    );
  const original = (track: TakenTrack) =>
    tags.language !== '' && sameLanguage(track.language, tags.language) ? { ...track, isOriginal: true } : track;
  return {
    audio: audio.map(({ track }, i) => original(takeAudio(track, i === 0))),
    subtitles: title.subtitles
      .filter((t) => taken.has(`subtitles ${t.stream}`))
      .map((track, i) => ({ track, i }))
      .sort((a, b) => rank(a.track.language, rules) - rank(b.track.language, rules) || a.i - b.i)
      .map(({ track }) => original(takeSubtitle(track))),
  };
}

/** Place of an episode among those of its disc, from 1. */
const episodePlace = (finding: TitleFinding): number =>
  finding.evidence.find((e) => e.value !== null && (e.kind === 'contained in' || e.kind === 'like length'))?.value ?? finding.title;

/**
 * Applies the archive's rules to a reading. Pure: the same reading, findings and rules give the same proposal.
 * @param tags what is known of the disc's work; @param set the set that it belongs to, where it does.
 */
export function applyRules(
  reading: Reading,
  findings: Findings,
  rules: HouseRules,
  tags: ReelTags = NO_TAGS,
  set: SetPlace | null = null,
): Proposal {
  const disc = tags.work || nameOfDisc(reading);
  const found = new Map(findings.titles.map((f) => [f.title, f]));
  const choiceOf = (title: number): SetChoice | undefined =>
    set === null ? undefined : rules.sets.find((s) => s.series === set.series && s.role === found.get(title)?.role);
  const chosen = (title: Title, reel: Reel): Reel => {
    const choice = choiceOf(title.number);
    return choice ? withChoice(title, reel, choice) : reel;
  };
  const decisions = reading.titles.map((title): TitleDecision => {
    const decision = titleDecision(title, found.get(title.number), findings, rules);
    const ruled = decision.taken ? [...audioDecisions(title, rules), ...subtitleDecisions(title, rules)] : [];
    if (!choiceOf(title.number)) return { title: title.number, ...decision, tracks: ruled };
    const reel = chosen(title, { ...wholeTitleReel(title, '', rules.damage), ...ruledTracks(title, ruled, rules, tags) });
    const tracks = ruled.map((t): TrackDecision => {
      const taken = reel[t.kind].some((own) => own.stream === t.stream);
      return taken === t.taken ? t : { ...t, taken, ground: 'kept for the set' };
    });
    return { title: title.number, ...decision, tracks };
  });
  const order = (number: number) => {
    const finding = found.get(number);
    return finding?.role === 'main' ? 0 : finding?.role === 'episode' ? episodePlace(finding) : 1000 + number;
  };
  const reels = decisions
    .filter((d) => d.taken)
    .sort((a, b) => order(a.title) - order(b.title))
    .flatMap((decision): Reel[] => {
      const title = reading.titles.find((t) => t.number === decision.title);
      const finding = found.get(decision.title);
      if (!title || !finding) return [];
      const ownTags = reelTags(finding, disc, tags, set);
      const name = reelName(finding, disc, ownTags, findings);
      const reel: Reel = {
        ...wholeTitleReel(title, name, rules.damage),
        ...ruledTracks(title, decision.tracks, rules, tags),
        recipes: recipesFor(rules, finding.role, reading.kind),
        tags: ownTags,
        ...(rules.subtitleFiles ? { subtitleFiles: true } : {}),
      };
      const own = chosen(title, reel);
      return rules.angles === 'all' && title.angles > 1 ? divideByAngles(title, own) : [own];
    });
  return { reels, decisions };
}

/** Recipes of a title by its part on the disc, and by the kind of disc. */
export function recipesFor(rules: Pick<HouseRules, 'recipes' | 'recipesFor'>, role: Role, disc: Reading['kind']): readonly RecipeId[] {
  const kind = KIND_OF[role] ?? 'other titles';
  const discs = disc === 'DVD-Video' ? 'DVDs' : disc === 'Video file' ? 'any disc' : 'Blu-rays';
  return rules.recipesFor.find((r) => r.titles === kind && (r.discs === 'any disc' || r.discs === discs))?.recipes ?? rules.recipes;
}

function reelTags(finding: TitleFinding, disc: string, tags: ReelTags, set: SetPlace | null): ReelTags {
  if (finding.role === 'episode' && set)
    return { ...tags, work: tags.work, series: set.series, season: set.season, episode: set.firstEpisode + episodePlace(finding) - 1 };
  return finding.role === 'main' ? { ...tags, work: tags.work || disc } : { ...tags, work: '' };
}

function reelName(finding: TitleFinding, disc: string, tags: ReelTags, findings: Findings): string {
  if (finding.role === 'main') return disc;
  if (finding.role === 'episode') return tags.episode === null ? `${disc} - part ${episodePlace(finding)}` : `Episode ${tags.episode}`;
  if (finding.role === 'play-all') return `${disc} - all parts`;
  if (finding.role === 'cut') return `${disc} - another cut`;
  if (finding.role === 'feature') return `${disc} - film ${finding.title}`;
  return findings.kind === 'nothing usable' ? disc : `${disc} - title ${finding.title}`;
}
